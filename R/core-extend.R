#' Add computed columns to the lines
#'
#' Adds columns to the lines of a daybook, computed from the columns they have, and records this in the [audit()].
#' Columns of numbers are exact and can be totalled, ranked and used in conditions like any other; the original columns
#' stay unchanged.
#'
#' @param book A daybook made by [daybook()].
#' @param ... Columns to add, by name: expressions over columns, such as `profit = revenue - units * unit_cost`. Each
#'   can use the ones before it.
#' @param decimals Whole number from 0 to 6: the decimals that new columns of numbers are rounded to, once per line. By
#'   default, the decimals that the result has, up to six: `revenue - units * unit_cost` has as many as its parts.
#' @return A daybook. A column computed from revenue counts money, as revenue does; see [totals()].
#' @section Errors: `hinterfeld_error_argument` for a column without a name or with a name already in use,
#'   `hinterfeld_error_role` when it cannot be computed, `hinterfeld_error_overflow` for a number that cannot be exact.
#' @export
#' @examples
#' book <- extend_lines(demo_daybook(), profit = revenue - units * unit_cost,
#'                      margin_class = ifelse(profit > 0, "gain", "loss"))
#' totals(book, by = margin_class, measures = c("revenue", "profit"))
#' audit(book)
extend_lines <- function(book, ..., decimals = NULL) {
  check_daybook(book)
  check_whole_number(decimals, "decimals", 0L, max_decimals, none = TRUE)
  quos <- rlang::enquos(...)
  check_new_names(names(quos), book)
  for (name in names(quos)) book <- extend_by(book, name, quos[[name]], decimals, rlang::current_env())
  book
}

check_new_names <- function(names, book, call = caller_env()) {
  taken <- c(intersect(names, names(book$columns)), names[duplicated(names)])
  if (length(names) == 0 || any(names == "") || length(taken)) {
    problem <- if (length(taken)) sprintf("The lines have %s already.", columns_named(unique(taken)))
    stop_because("argument", problem %||% "Every new column needs a name.",
                 i = "For example `extend_lines(book, profit = revenue - units * unit_cost)`.", call = call)
  }
}

extend_by <- function(book, name, quo, decimals, call) {
  expr <- rlang::quo_get_expr(quo)
  check_nesting(expr)
  found <- value_per_line(quo, book, decimals, name, call = call)
  if (!is.null(found$minor)) {
    counts <- expression_counts(expr, book)
    book$columns[[name]] <- found$minor
    book$decimals <- c(book$decimals, stats::setNames(found$decimals, name))
    book$rates[[name]] <- rate_parts(expr, names(book$columns))
    book$counts <- c(book$counts, stats::setNames(if (counts == "number") "other" else counts, name))
  } else {
    values <- rep_len(found$values, book$lines)
    book$columns[[name]] <- if (type_of(values) == "text") encode_text(values) else values
  }
  what <- lines_and_revenue(book)
  why <- sprintf("%s is %s", name, shown_expression(quo, names(book$columns)))
  book$trail <- add_steps(book$trail,
                          new_trail("extend", why, what[1], what[1], what[2], what[2], book$decimals[["revenue"]]))
  book$orders <- record_step(book$orders)
  book
}

# A column is not taken from a daybook in this way, so that nobody takes NULL for its values.
#' @export
`$.hinterfeld_daybook` <- function(x, name) {
  value <- .subset2(x, name)
  if (is.null(value) && name %in% setdiff(names(.subset2(x, "columns")), c(daybook_fields, tally_fields))) {
    stop_because("argument", sprintf("`$%s` does not take a column of a daybook.", name),
                 i = sprintf("Take it from its lines: `lines_of(book)$%s`.", name), call = NULL)
  }
  value
}

# What a user assigns to a daybook would not be in its audit.
#' @export
`$<-.hinterfeld_daybook` <- function(x, name, value) {
  if (!name %in% daybook_fields) stop_assigned(name)
  fields <- unclass(x)
  fields[name] <- list(value)
  structure(fields, class = class(x))
}

#' @export
`[[<-.hinterfeld_daybook` <- function(x, i, value) {
  if (!is.character(i) || !i %in% daybook_fields) stop_assigned(as.character(i))
  fields <- unclass(x)
  fields[i] <- list(value)
  structure(fields, class = class(x))
}

daybook_fields <- c("columns", "known", "lines", "roles", "decimals", "scales", "counts", "rates", "rounding",
                    "calendar", "currency", "span", "out", "early", "coverage", "day_rules", "trail", "orders", "alike",
                    "aside", "used", "grouped", "origin", "made_of", "at")

# What tallies have and daybooks are asked for too.
tally_fields <- c("every", "rowsets", "measures", "labels", "names", "by", "held", "codes", "amounts", "groups", "all")

stop_assigned <- function(name) {
  stop_because("argument", sprintf("`%s` cannot be assigned to a daybook: the audit would have no record of it.", name),
               i = sprintf("Use `book <- extend_lines(book, %s = ...)`.", name), call = NULL)
}
