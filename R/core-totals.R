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
  levels <- plan_levels(subtotals, vapply(keys, function(key) key$name, ""))
  detail <- measure_groups(book, keys, measures)
  if (fill) detail <- fill_groups(detail, keys, measures, length(every))
  rows <- level_rows(book, keys, measures, levels, detail)
  order <- row_order(book, keys, measures, levels, rows, detail, length(every))
  if (!is.null(every) && every %in% recurring_grains) say_recurring(book, every)

  labels <- choose_labels(keys, rows)
  columns <- Map(function(key, codes) key_values(key, codes, order, labels), keys, rows$codes)
  names(columns) <- vapply(keys, function(key) key$name, "")
  if (length(levels) > 1) {
    names <- vapply(levels, function(level) level$label, "")
    columns$level <- factor(names[rows$level[order]], names)
  }
  values <- Map(function(m, value) show_value(m, value, order), measures, rows$values)
  new_totals(c(columns, values), list(
    book = book, every = every, by = by, book_columns = by, measures = lapply(measures, remembered),
    levels = levels, labels = labels, fill = fill, rows = length(order), cut = FALSE
  ))
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
  list(kind = m$kind, decimals = m$decimals, spec = m$spec, words = measure_words(m), margin = m$margin,
       label = m$label, plain = is.null(m$where) && m$kind == "sum", adds_up = adds_up(m))
}

say_recurring <- function(book, every) {
  say("recurring", recurring_words(book, every))
}

# "weekday adds 4 years together, 2023 to 2026."
recurring_words <- function(book, every) {
  years <- position_kernel(as.integer(book$span), "year", book$calendar$rules)
  names <- unique(year_name(years, book$calendar))
  sprintf("%s adds %s together, %s.", grain_name(every), count_of(years[2] - years[1] + 1, "year"), paste(names, collapse = " to "))
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
  values <- Map(function(m, value) {
    value <- value[at]
    if (m$kind %in% c("sum", "lines", "distinct")) value[is.na(at)] <- 0
    value
  }, measures, detail$values)
  list(codes = codes, values = values)
}

# Labels ---------------------------------------------------------------------------------------------

total_code <- -1L
not_given <- "not given"

# The words for subtotals and for missing text: others where a value has that name already.
choose_labels <- function(keys, rows) {
  labels <- list(total = "Total", not_given = not_given)
  for (k in seq_along(keys)) {
    key <- keys[[k]]
    if (!is.character(key$labels)) next
    codes <- rows$codes[[k]]
    if (!any_special(codes)) next
    held <- key$labels[sort(unique(codes[codes > 0]))]
    if (labels$total %in% held && any(codes == total_code)) {
      labels$total <- "Total (all)"
      say("label", sprintf("`%s` holds \"Total\", so subtotals are called \"Total (all)\".", key$name))
    }
    if (labels$not_given %in% held && any(codes == 0)) {
      labels$not_given <- "not given (blank)"
      say("label", sprintf("`%s` holds \"not given\", so blanks are called \"not given (blank)\".", key$name))
    }
  }
  labels
}

# A key's values for the codes of some rows. A column that must say Total is text, or a factor.
key_values <- function(key, codes, rows, labels) {
  special <- any_special(codes)
  if (is.character(key$labels)) {
    codes <- take_rows(list(codes), rows)[[1]]
    return(coded_text(if (special) special_codes(codes, length(key$labels)) else codes,
                      if (special) c(key$labels, labels$not_given, labels$total) else key$labels))
  }
  if (!special) {
    return(labels_kernel(key$labels, codes, rows, threads_wanted()))
  }
  codes <- codes[rows]
  values <- key$labels[replace(codes, codes <= 0, NA)]
  total <- codes == total_code
  if (is.factor(values) && any(total)) {
    return(factor(replace(as.character(values), total, labels$total), c(levels(values), labels$total)))
  }
  if (any(total) && !is.character(values)) values <- as.character(values)
  if (is.character(values)) {
    values[codes == 0] <- labels$not_given
    values[total] <- labels$total
  }
  values
}

# Is any code that of a missing value or of a total?
any_special <- function(codes) {
  any_special_kernel(codes, threads_wanted())
}

# Codes of missing and total behind those of the labels.
special_codes <- function(codes, known) {
  codes[codes == 0L] <- known + 1L
  codes[codes == total_code] <- known + 2L
  codes
}
