#' Total: revenue per period and group
#'
#' Totals the kept lines of a daybook for every combination of the `by` columns and the periods
#' that has lines.
#'
#' @param book A daybook made by [daybook()].
#' @param by Columns to split by, bare or as strings; several with `c(category, product)`. None for
#'   the whole.
#' @param every Text: the period, `"day"`, `"week"`, `"month"`, `"quarter"` or `"year"` of the daybook's
#'   calendar; `NULL` for the whole span.
#' @param measures Text: what to total, `"revenue"`.
#' @return A totals table: a tibble with one row per period and group, and columns
#'   * the period, named by its grain (`day`, `month`): the first day of the period, class Date;
#'   * the `by` columns; a missing text value is the group `not given`;
#'   * `revenue`: in the currency of the data, exact to its decimals.
#'
#'   Rows are in order of period, then of revenue from the highest, then of names. With several
#'   `by` columns the later ones are ordered within the earlier ones.
#' @section Errors: `hinterfeld_error_column` for an unknown column, `hinterfeld_error_argument`
#'   for another period or measure, `hinterfeld_error_overflow` for a total that cannot be exact.
#' @export
#' @examples
#' book <- demo_daybook()
#' totals(book, by = product, every = "day")
#' totals(book, by = c(category, region), every = "month")
totals <- function(book, by = NULL, every = NULL, measures = "revenue") {
  check_daybook(book)
  check_choice(every, "every", grains, none = TRUE)
  check_choice(measures, "measures", "revenue")
  by <- pick_columns(enquo(by), names(book$columns), "by")
  check_by(by, every)

  period <- if (!is.null(every)) list(key_of_period(book$columns$day, every, book$calendar))
  keys <- c(period, lapply(by, function(name) key_of_column(name, book$columns[[name]])))
  amounts <- list(revenue = new_amount("sum", book$columns$revenue))
  result <- tally_lines(book$lines, keys, amounts)
  order <- totals_order(result, keys, length(period))

  groups <- Map(function(key, codes) key_values(key, codes[order]), keys, result$codes)
  names(groups) <- vapply(keys, function(key) key$name, "")
  revenue <- from_units(result$values$revenue[order], book$decimals[["revenue"]])
  new_totals(c(groups, list(revenue = revenue)), list(
    book = book, every = every, by = by,
    measures = list(revenue = list(name = "revenue", decimals = book$decimals[["revenue"]]))
  ))
}

new_totals <- function(columns, memory) {
  tibble::new_tibble(columns, memory = memory, class = "hinterfeld_totals")
}

#' @importFrom tibble as_tibble
#' @export
as_tibble.hinterfeld_totals <- function(x, ...) {
  attr(x, "memory") <- NULL
  class(x) <- setdiff(class(x), "hinterfeld_totals")
  x
}

memory_of <- function(t) {
  attr(t, "memory", exact = TRUE)
}

check_totals <- function(t, name = "t", call = caller_env()) {
  if (!inherits(t, "hinterfeld_totals")) {
    stop_because("argument", c(
      sprintf("`%s` must be a totals table.", name),
      i = sprintf("It is %s.", describe(t)),
      i = "Make one with `totals()`."
    ), call = call)
  }
}

check_by <- function(by, every, call = caller_env()) {
  if (any(by %in% c(every, "revenue"))) {
    stop_because("argument", c(
      sprintf("`by` cannot hold %s: the totals table has a column of that name already.",
              columns_named(intersect(by, c(every, "revenue")))),
      i = "Split days and months with `every`; rename other columns before `daybook()`."
    ), call = call)
  }
}

# Labels of a key for the codes of the groups. Missing text gets a name of its own.
key_values <- function(key, codes) {
  codes[codes == 0] <- NA
  values <- key$labels[codes]
  if (is.character(values)) values[is.na(codes)] <- not_given
  values
}

not_given <- "not given"

# Periods ascending; then, key by key, the group's own total from the highest and its name.
totals_order <- function(result, keys, periods) {
  columns <- list()
  for (k in seq_along(keys)) {
    if (k > periods) {
      columns <- c(columns, list(-prefix_totals(result, keys, k)))
    }
    columns <- c(columns, list(key_ranks(keys[[k]])[replace(result$codes[[k]], result$codes[[k]] == 0, NA)]))
  }
  if (length(columns) == 0) seq_along(result$values[[1]]) else do.call(order, c(columns, method = "radix"))
}

# Each group's total over the first k keys.
prefix_totals <- function(result, keys, k) {
  if (k == length(keys)) {
    return(result$values[[1]])
  }
  part <- lapply(seq_len(k), function(i) new_key(NULL, result$codes[[i]], keys[[i]]$labels))
  groups <- length(result$values[[1]])
  id <- Reduce(function(a, b) pair_codes_kernel(a, b$codes, max(a), length(b$labels))$codes, part,
               rep(1L, groups))
  total <- tally_lines(groups, list(new_key(NULL, id, seq_len(max(id)))),
                       list(new_amount("sum", result$values[[1]])))
  total$values[[1]][match(id, total$codes[[1]])]
}

# Names are compared byte by byte, so that the order is the same on every machine.
key_ranks <- function(key) {
  ranks <- integer(length(key$labels))
  ranks[order(key$labels, method = "radix")] <- seq_along(ranks)
  ranks
}
