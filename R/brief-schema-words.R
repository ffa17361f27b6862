# What each key of a brief is for, in the form of briefs, where an editor shows it: by the key alone, or by the key that
# it is in as well.

key_words <- c(
  lines = "The sale lines: a file, a folder, a pattern, or a table of a database.",
  settle = "Columns of text whose spellings are made one before tables are attached.",
  attach = "Tables whose columns are added to the lines, in this order.",
  day = "The column of the day of sale.",
  product = "The column of the product.",
  revenue = "The revenue of a line: a column, or an expression over columns.",
  units = "The column of the pieces sold.",
  "causes units" = "The measure that counts the pieces.",
  order = "The column of the order's number.",
  "crosstab order" = "The order of the rows.",
  "figure order" = "What the rows are ordered by.",
  "sort_rows order" = "Columns to sort by; a minus in front begins with the highest.",
  rounding = "How a half of the smallest unit is rounded.",
  currency = "The name or sign of the currency, shown beside amounts.",
  day_format = "How days are written, as in strptime, for example %d/%m/%Y.",
  on_bad = "What happens to a line without a usable day, product or revenue.",
  covers = "The first and the last day that the data cover.",
  year_starts = "Month and day on which the year starts.",
  week_starts = "The weekday on which the week starts.",
  weeks = "Weeks as in ISO 8601, or years of 4, 4 and 5 weeks.",
  keep = "A condition: the lines, or the groups of a table, that are kept.",
  leave_out = "A condition: the lines, or the groups of a table, that are left out.",
  why = "What the condition means, for the audit and the sentences.",
  file = "A path, a folder or a pattern.",
  "report file" = "The name of the report.",
  title = "A title instead of its own.",
  subtitle = "A line below the title instead of its own.",
  caption = "A note below the figure instead of its own.",
  heading = "The heading of a section of your own.",
  table = "The name of a table.",
  "attach table" = "The table to attach: a file or a table of a database.",
  "sections figure" = "The name of a figure.",
  tables = "The formats in which every table is written.",
  figures = "The formats in which every figure is written.",
  delimiter = "What separates the values of a line; by default found in the heading.",
  decimal_mark = "The decimal mark of numbers.",
  types = "The types of columns, where what is found will not do.",
  blank = "Values to read as missing, in addition to empty ones.",
  encoding = "The encoding of the file.",
  sheet = "The sheet of a workbook; by default the first.",
  range = "The cells of a sheet, for example B3:F90.",
  need = "Whether every line must have a match.",
  name = "What the new columns are called, or start with.",
  "attach name" = "What the table is called in messages and names of columns.",
  by = "The columns that the table is split by.",
  every = "The period or periods that the table is split by, from long to short.",
  measures = "What is totalled; by default revenue.",
  subtotals = "true for all subtotals, or the columns of each.",
  fill = "Whether every member has a row for every period.",
  add = "Steps, each of which adds columns.",
  pick = "The rows to keep: best or slow sellers, or the best of each.",
  columns = "The columns to show, in this order.",
  "crosstab columns" = "The columns of the table that are spread side by side.",
  rows = "The columns of the table that stay rows.",
  sort = "Columns to sort by; a minus in front begins with the highest.",
  decimals_shown = "How many decimals readers are shown.",
  in_period = "Only the rows of this period, for example 2026-Q1, or latest.",
  best_of_each = "The best seller of each group.",
  n = "How many.",
  within = "The columns inside which it starts afresh; by default the whole table.",
  of = "The measure or added column that it is about; by default the first measure.",
  "crosstab of" = "The measures or added columns to show.",
  "change of" = "The measure to compare, or several.",
  ties = "How equal values are ranked.",
  others = "Whether the rest of each group is one more row.",
  share = "The least share of the total, instead of a number of rows.",
  best = "Only the best rows.",
  margins = "Whether there are totals of rows and columns.",
  empty = "What stands where there is no line.",
  catalogue = "The file of all products.",
  where = "A condition: the lines that count.",
  sum_of = "The sum of a column or expression.",
  mean_of = "The mean of a column or expression, per line or per what `per` names.",
  median_of = "The median of a column or expression, per line or per what `per` names.",
  smallest_of = "The smallest value, of lines or of totals.",
  largest_of = "The largest value, of lines or of totals.",
  first_of = "The first day.",
  last_of = "The last day.",
  count_lines = "How many lines.",
  count_distinct = "How many distinct values a column has.",
  ratio_of = "A ratio: what is divided.",
  to = "A ratio: what it is divided by.",
  per = "What is totalled first: day, another period, or a column such as order.",
  margin = "Whether totals are computed from the lines, or add up what they hold.",
  incomplete = "Whether periods that are not complete count.",
  versus = "What each period is compared with.",
  align = "Whether days are compared by date or by weekday.",
  like_for_like = "Whether an unfinished period is compared with the same days of the earlier one.",
  as_of = "The day on which the data are taken to end.",
  per_open_day = "Whether the change is per open day of the calendar.",
  over = "The columns whose members are looked at one by one.",
  list_price = "The column of the list price, to tell discounts from prices.",
  returns = "Whether returns are a cause of their own.",
  due = "How the part of a target that is due by now is told.",
  highest_first = "Whether rank 1 is the highest value.",
  along = "The column that it runs along; by default the period.",
  restart = "The period at whose start it begins again.",
  last = "How many periods the window has.",
  what = "Whether the window gives a sum or a mean.",
  classes = "The classes and their bounds, as fractions of the total.",
  period = "The period, for example 2026-05, or latest.",
  draw = "The kind of figure.",
  at = "The first day of the period to draw.",
  only = "Whether only rises or only falls are drawn.",
  cumulative = "Whether years are drawn as running totals.",
  places = "The file of the places and where they are.",
  outline = "The file of the outline to draw, as GeoJSON."
)

# The schema with these words wherever it has none of its own.
with_key_words <- function(schema, inside = "") {
  if (!is.list(schema)) {
    return(schema)
  }
  for (key in names(schema$properties)) {
    form <- with_key_words(schema$properties[[key]], key)
    words <- key_words[intersect(c(paste(inside, key), key), names(key_words))]
    if (is.null(form$description) && length(words)) form <- c(list(description = words[[1]]), form)
    schema$properties[[key]] <- form
  }
  others <- setdiff(names(schema), c("properties", "$defs", "enum", "default"))
  schema[others] <- lapply(schema[others], function(part) {
    if (is.list(part) && is.null(names(part))) lapply(part, with_key_words, inside) else with_key_words(part, inside)
  })
  if (!is.null(schema[["$defs"]])) {
    schema[["$defs"]] <- Map(with_key_words, schema[["$defs"]], names(schema[["$defs"]]))
  }
  schema
}
