#' Total: measures per period and group, with subtotals
#'
#' Totals the kept lines of a daybook for every combination of the `by` columns and the periods
#' that has lines.
#'
#' @param book A daybook made by [daybook()].
#' @param by Columns to split by, bare or as strings; several with `c(category, product)`. None for
#'   the whole.
#' @param every Text: the period, `"day"`, `"week"`, `"month"`, `"quarter"` or `"year"` of the daybook's
#'   calendar; or a recurring one, `"weekday"` or `"month_of_year"`, which adds the years together
#'   and says so in a message. `NULL` for the whole span.
#' @param measures What to total: names of columns of numbers, `"lines"`, or a list of these and of
#'   [measures], named where the default name will not do.
#' @param subtotals `TRUE` for each level of the period and the nested `by` columns, and the grand
#'   total. Or a choice: a text or list whose elements name the columns that a subtotal still splits,
#'   `"Total"` for the grand total; `c("category", "region", "Total")` gives both dimensions of a
#'   two-way table, each on its own.
#' @param fill Logical: give every group a row in every period from the first to the last day of
#'   the daybook, and without a period every combination of groups, with sums and counts of 0.
#' @return A totals table: a tibble with one row per period and group, and columns
#'   * the period, named by its grain (`day`, `month`): the first day of the period, class Date; a
#'     recurring one is a factor in calendar order;
#'   * the `by` columns; a missing text value is the group `not given`;
#'   * with subtotals, `level`: a factor naming the finest column that a row still splits (all of
#'     them where two levels share it), `Total` for the grand total. Columns above it hold the text
#'     `Total`, and so become text if they are not. A value that really is `Total` or `not given`
#'     keeps its name, and the label is changed with a message;
#'   * the measures, exact to their decimals.
#'
#'   Rows are in order of period, then of the first measure from the highest, then of names. With
#'   several `by` columns the later ones are ordered within the earlier ones. A subtotal stands
#'   below its group.
#' @section Errors: `hinterfeld_error_column` for an unknown column, `hinterfeld_error_argument`
#'   for another period or level, `hinterfeld_error_measure` for a measure that cannot be taken,
#'   `hinterfeld_error_overflow` for a total that cannot be exact.
#' @seealso [crosstab()], [reconcile()], [in_words()]
#' @export
#' @examples
#' book <- demo_daybook()
#' totals(book, by = product, every = "day")
#' totals(book, by = c(category, region), subtotals = TRUE)
#' totals(book, every = "weekday", measures = list("revenue", mean_day = mean_of(revenue, per = "day")))
totals <- function(book, by = NULL, every = NULL, measures = "revenue", subtotals = NULL, fill = FALSE) {
  check_daybook(book)
  check_choice(every, "every", c(grains, recurring_grains), none = TRUE)
  check_flag(fill, "fill")
  by <- pick_columns(enquo(by), names(book$columns), "by")
  measures <- resolve_measures(measures, book)
  check_table_names(by, every, names(measures), subtotals)

  keys <- table_keys(book, by, every)
  levels <- plan_levels(subtotals, c(every, by))
  if (!is.null(every) && every %in% recurring_grains) say("recurring", recurring_words(book, every))
  found <- answer_rows(book, keys, list(), measures, levels, length(every), fill)
  labels <- choose_labels(keys, found$codes)
  new_totals(table_columns(found, keys, c(every, by), measures, levels, labels), list(
    book = book, every = every, by = by, book_columns = by, measures = lapply(measures, remembered),
    levels = levels, labels = labels, fill = fill, rows = length(found$order), cut = FALSE
  ))
}

# The rows of all levels as codes per key, values per measure, level and order. Measures that add up rows add up those of
# every group of `keys` and `hidden` keys; no level is split by these.
answer_rows <- function(book, keys, hidden, measures, levels, periods, fill = FALSE) {
  all <- c(keys, hidden)
  detail <- measure_groups(book, all, measures)
  if (fill) detail <- fill_groups(detail, all, measures, periods)
  rows <- level_rows(book, all, measures, levels, detail)
  rows$codes <- rows$codes[seq_along(keys)]
  c(rows, list(order = row_order(book, all, measures, levels, rows, detail, periods)))
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

# The inquiry of a table asked again of its daybook, split by some of its columns, with subtotals of its own. What was
# added up over the table's members is added up over them again.
ask_again <- function(memory, split, of = names(memory$measures), subtotals = NULL, fill = FALSE) {
  measures <- quietly(resolve_measures(lapply(memory$measures[of], function(m) m$spec), memory$book))
  every <- intersect(memory$every, split)
  by <- setdiff(split, every)
  # A column may have been renamed since the table was made.
  key_of <- function(by, every) table_keys(memory$book, memory$book_columns[match(by, memory$by)], if (length(every)) every)
  up <- any(vapply(measures, function(m) m$margin == "add_up" && !adds_up(m), NA))
  hidden <- if (up) key_of(setdiff(memory$by, by), setdiff(memory$every, every))
  keys <- key_of(by, every)
  levels <- plan_levels(subtotals, c(every, by))
  rows <- answer_rows(memory$book, keys, hidden, measures, levels, length(every), fill)
  c(rows, list(keys = keys, names = c(every, by), levels = levels, measures = measures))
}

# The same as a totals table.
retotal <- function(memory, split, of = names(memory$measures), subtotals = NULL, fill = FALSE) {
  found <- ask_again(memory, split, of, subtotals, fill)
  memory$labels <- quietly(choose_labels(found$keys, found$codes))
  memory$every <- intersect(memory$every, split)
  if (length(memory$every) == 0) memory["every"] <- list(NULL)
  kept <- memory$by %in% split
  memory$book_columns <- memory$book_columns[kept]
  memory$by <- memory$by[kept]
  memory$measures <- lapply(found$measures, remembered)
  memory[c("levels", "fill", "rows", "cut")] <- list(found$levels, fill, length(found$order), FALSE)
  memory[c("derived", "sentences", "steps", "others")] <- NULL
  new_totals(table_columns(found, found$keys, found$names, found$measures, found$levels, memory$labels), memory)
}

check_flag <- function(x, name, call = caller_env()) {
  if (!rlang::is_bool(x)) {
    stop_because("argument", c(sprintf("`%s` must be TRUE or FALSE.", name), i = sprintf("It is %s.", describe(x))),
                 call = call)
  }
}

check_table_names <- function(by, every, measures, subtotals, call = caller_env()) {
  taken <- c(every, if (length(subtotals)) "level")
  clash <- c(intersect(by, c(taken, measures)), intersect(measures, taken))
  if (length(clash)) {
    stop_because("argument", c(
      sprintf("Two columns of the totals table would be called %s.", columns_named(clash)),
      i = "Name the measure otherwise, or rename the column before `daybook()`."
    ), call = call)
  }
}

table_keys <- function(book, by, every) {
  days <- book$columns$day
  period <- if (is.null(every)) {
    NULL
  } else if (every %in% recurring_grains) {
    list(key_of_recurring(days, every, book$calendar, book$span))
  } else {
    list(key_of_period(days, every, book$calendar, book$span))
  }
  c(period, lapply(by, function(name) key_of_column(name, book$columns[[name]])))
}

# What a table remembers of a measure: enough to take it again, without the lines' values.
remembered <- function(m) {
  list(kind = m$kind, decimals = m$decimals, counts = m$counts, spec = m$spec, words = measure_words(m), margin = m$margin,
       label = m$label, plain = is.null(m$where) && m$kind == "sum", adds_up = adds_up(m))
}

# Every group in every period, or every combination of groups where there is no period.
fill_groups <- function(detail, keys, measures, periods) {
  if (length(keys) == 0) {
    return(detail)
  }
  if (periods == 1) {
    members <- detail$codes[-1]
    first <- group_lines(row_count(detail), Map(function(key, codes) new_key(key$name, codes, key$labels), keys[-1], members))$first
    members <- lapply(members, function(code) code[first])
    n <- length(first)
    spans <- length(keys[[1]]$labels)
    codes <- c(list(rep(seq_len(spans), each = n)), lapply(members, rep, times = spans))
  } else {
    codes <- unname(as.list(expand.grid(lapply(detail$codes, function(code) sort(unique(code))))))
  }
  at <- find_groups(codes, detail$codes, key_sizes(keys))
  list(codes = codes, values = Map(function(m, value) nothing_to_zero(m, value[at]), measures, detail$values))
}
