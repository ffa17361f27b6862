#' Total: measures per period and group, with subtotals
#'
#' Totals the kept lines of a daybook, or what a tally holds, for every combination of the `by` columns and the periods
#' that occurs in the lines.
#'
#' @param facts A daybook made by [daybook()], or a tally made by [tally_of()], which can be asked for what it holds.
#' @param by Columns to split by, bare or as strings; several with `c(category, product)`. None for
#'   the whole.
#' @param every Text: the period, `"day"`, `"week"`, `"month"`, `"quarter"` or `"year"` of the daybook's
#'   calendar; or a recurring one, `"weekday"`, `"month_of_year"` or `"quarter_of_year"`, which adds the years together
#'   and says so in a message. Several from long to short: `c("year", "month_of_year")` has a column for each, and their
#'   rows are single months again. A week beside longer periods is of the month, quarter and year that hold its fourth
#'   day, so the subtotal of such a year is not that of the calendar's. `NULL` for the whole span.
#' @param measures What to total: columns of numbers, bare or as text, `"lines"`, or a list of texts and of
#'   [measures], named where the default name will not do.
#' @param subtotals `TRUE` for subtotals at every level of the period and the nested `by` columns, and a grand total. Or
#'   choose: a text or list whose elements name the columns by which a subtotal is still split, with `"Total"` for the
#'   grand total. `c("category", "region", "Total")` gives the totals of both dimensions of a two-way table.
#' @param fill Logical: give every group a row in every period from the first to the last day of the daybook or, if
#'   there is no period, give every combination of groups a row. Sums and counts in these rows are 0.
#' @return A totals table: a tibble with one row per period and group, and columns
#'   * the periods, each named by its grain (`day`, `month`): the first day of the period, class Date; a
#'     recurring one is a factor in calendar order;
#'   * the `by` columns; a missing text value is the group `not given`;
#'   * with subtotals, `level`: a factor naming the finest column by which a row is still split (all of its columns if
#'     two levels share the finest), or `Total` for the grand total. The columns that a row is totalled over hold the
#'     text `Total`, so columns of another type become text. A real value `Total` or `not given` keeps its name; the
#'     label is then changed, with a message;
#'   * the measures, exact to their decimals;
#'   * for recurring periods `single_days`, `single_months` or `single_quarters`: how many single periods the row adds
#'     together.
#'
#'   Rows are sorted by period, then by the first measure from the highest, then by name. With several `by` columns, the
#'   later ones are sorted within the earlier ones. A subtotal comes below its group.
#' @section Periods: The periods, each with an example from a calendar year as it is printed:
#'
#' `r grain_table()`
#' @section Errors: `hinterfeld_error_column` for a column that the facts do not have, `hinterfeld_error_argument`
#'   for another period or level, `hinterfeld_error_measure` for a measure that cannot be taken,
#'   `hinterfeld_error_overflow` for a total that cannot be exact.
#' @seealso [crosstab()], [reconcile()], [in_words()]
#' @export
#' @examples
#' book <- demo_daybook()
#' totals(book, by = product, every = "day")
#' totals(book, by = c(category, region), subtotals = TRUE)
#' totals(book, every = "weekday", measures = list("revenue", mean_day = mean_of(revenue, per = "day")))
totals <- function(facts, by = NULL, every = NULL, measures = "revenue", subtotals = NULL, fill = FALSE) {
  check_facts(facts)
  check_every(every)
  check_flag(fill, "fill")
  by <- pick_columns(enquo(by), split_columns(facts), "by")
  measures <- measures_given(enquo(measures), facts)
  for (grain in every) check_grain(facts, grain)
  measures <- facts_measures(facts, measures)
  check_table_names(by, every, names(measures), subtotals)
  plan_levels(subtotals, c(every, by))
  if (!is.null(subtotals) && !isTRUE(subtotals)) subtotals <- if (isFALSE(subtotals)) NULL else as.list(subtotals)
  answer_inquiry(new_inquiry(by, every, lapply(measures, function(m) m$spec), subtotals, fill), facts, measures)
}

# The table of an inquiry, before its steps.
answer_inquiry <- function(inquiry, facts, measures) {
  every <- inquiry$every
  names <- c(every, inquiry$by)
  keys <- facts_keys(facts, inquiry$by, every)
  levels <- plan_levels(inquiry$subtotals, names)
  if (length(every) && is.null(single_grain(every))) say("recurring", recurring_words(facts, every))
  answered <- answer_rows(facts, keys, list(), measures, levels, names %in% every, inquiry$fill)
  table_of(answered, keys, measures, levels, choose_labels(keys, answered$codes), inquiry, facts)
}

# The rows of all levels as codes per key, values per measure, level and order. Measures that add up rows add up those
# of every group of `keys` and `hidden` keys; no level is split by these. `dated` tells which keys are periods.
answer_rows <- function(facts, keys, hidden, measures, levels, dated, fill = FALSE) {
  all <- c(keys, hidden)
  detail <- measure_groups(facts, all, measures)
  if (fill) detail <- fill_groups(detail, all, measures, dated, facts$out)
  rows <- level_rows(facts, all, measures, levels, detail)
  rows$codes <- rows$codes[seq_along(keys)]
  c(rows, list(order = row_order(facts, all, measures, levels, rows, detail, dated)))
}

# Rows as a totals table.
table_of <- function(answered, keys, measures, levels, labels, inquiry, facts) {
  names <- c(inquiry$every, inquiry$by)
  values <- table_columns(answered, keys, names, measures, levels, labels)
  columns <- c(
    Map(key_about, names, keys, names %in% inquiry$every),
    if (length(levels) > 1) list(level = new_column("level", "level")),
    Map(measure_about, names(measures), measures)
  )
  names(columns) <- names(values)
  t <- new_totals(values, new_answer(inquiry, columns, levels, labels, length(answered$order), facts))
  if (length(inquiry$every) && is.null(single_grain(inquiry$every))) with_singles(t) else t
}

# `every` marks the period; `numbers` says that texts of the column, where it must say Total, represent numbers.
key_about <- function(id, key, period) {
  number <- is.numeric(key$labels) && !inherits(key$labels, "Date") && !is.factor(key$labels)
  new_column(id, "key", every = if (period) key$name, numbers = number)
}

measure_about <- function(id, m) {
  kind <- measure_kinds[[m$kind]]
  new_column(id, "measure", m$counts, if (!kind$divided) m$decimals, kind = m$kind, margin = m$margin,
             adds_up = kind$adds_up,
             label = m$label, plain = is.null(m$where) && m$kind == "sum")
}

# Rows as the columns of a table: keys, level and measures.
table_columns <- function(rows, keys, names, measures, levels, labels) {
  columns <- Map(function(key, codes) key_values(key, codes, rows$order, labels), keys, rows$codes)
  names(columns) <- names
  if (length(levels) > 1) {
    words <- vapply(levels, function(level) level$label, "")
    columns$level <- factor(words[rows$level[rows$order]], words)
  }
  c(columns, Map(function(m, value) show_value(m, value, rows$order), measures, rows$values))
}

# Measures of an inquiry, resolved again: what there was to say has been said.
inquiry_measures <- function(facts, inquiry, of = names(inquiry$measures)) {
  quietly(facts_measures(facts, lapply(inquiry$measures[of], asked_measure)))
}

# The inquiry of a table asked again of its facts, split by some of its columns, with subtotals of its own. What was
# added up over the table's members is added up over them again. Columns go by their first names; keys stand in the
# order of a table, or with `as_given` in that of `split`.
ask_again <- function(answer, split, of = names(answer$inquiry$measures), subtotals = NULL, fill = FALSE,
                      facts = facts_of(answer), as_given = FALSE) {
  inquiry <- answer$inquiry
  measures <- inquiry_measures(facts, inquiry, of)
  every <- intersect(inquiry$every, split)
  by <- setdiff(split, every)
  up <- any(vapply(measures, function(m) m$margin == "add_up" && !adds_up(m), NA))
  hidden <- if (up) facts_keys(facts, setdiff(inquiry$by, by), setdiff(inquiry$every, every), inquiry$every)
  names <- if (as_given) split else c(every, by)
  keys <- facts_keys(facts, by, every, inquiry$every)[match(names, c(every, by))]
  levels <- plan_levels(subtotals, names)
  rows <- answer_rows(facts, keys, hidden, measures, levels, names %in% every, fill)
  c(rows, list(keys = keys, names = names, levels = levels, measures = measures, facts = facts))
}

# The keys of a table in facts.
table_keys <- function(answer, facts) {
  facts_keys(facts, answer$inquiry$by, answer$everys)
}

# The same as a totals table, without its steps.
retotal <- function(answer, split, of = names(answer$inquiry$measures), subtotals = NULL, fill = FALSE,
                    facts = facts_of(answer)) {
  answered <- ask_again(answer, split, of, subtotals, fill, facts)
  every <- intersect(answered$names, answer$inquiry$every)
  inquiry <- new_inquiry(setdiff(answered$names, every), if (length(every)) every, answer$inquiry$measures[of],
                         subtotals,
                         fill)
  labels <- quietly(choose_labels(answered$keys, answered$codes))
  table_of(answered, answered$keys, answered$measures, answered$levels, labels, inquiry, facts)
}

# The subtotals of a table, as totals() takes them, in the first names of columns.
subtotals_of <- function(answer) {
  levels <- answer$levels[-1]
  if (length(levels)) lapply(levels,
                             function(level) if (length(level$columns)) ids_of(answer, level$columns) else "Total")
}

check_table_names <- function(by, every, measures, subtotals, call = caller_env()) {
  recurring <- length(every) && is.null(single_grain(every))
  taken <- c(every, if (length(subtotals)) "level", if (recurring) single_counts_name(every))
  clash <- c(intersect(by, c(taken, measures)), intersect(measures, taken))
  if (length(clash)) {
    stop_because("argument", sprintf("Two columns of the totals table would be called %s.", columns_named(clash)),
                 i = "Give the measure another name, or rename the column before `daybook()`.", call = call)
  }
}

# Every group in every covered period, or every combination of groups where there is no period.
fill_groups <- function(detail, keys, measures, dated, out) {
  if (length(keys) == 0) {
    return(detail)
  }
  if (any(dated)) {
    times <- which(dated)
    members <- detail$codes[-times]
    first <- group_lines(row_count(detail),
                         Map(function(key, codes) new_key(key$name, codes, key$labels), keys[-times], members))$first
    members <- lapply(members, function(code) code[first])
    n <- length(first)
    spans <- places_in_time(keys[times], out)$codes
    codes <- vector("list", length(keys))
    codes[times] <- lapply(spans, rep, each = n)
    codes[-times] <- lapply(members, rep, times = length(spans[[1]]))
  } else {
    codes <- unname(as.list(expand.grid(lapply(detail$codes, function(code) sort(unique(code))))))
  }
  at <- find_groups(codes, detail$codes, key_sizes(keys))
  list(codes = codes, values = Map(function(m, value) fill_empty(m, value[at]), measures, detail$values))
}
