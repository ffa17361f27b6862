#' Sort rows, or keep the rows of one period
#'
#' `sort_rows()` puts the rows of a totals table in the order of some of its columns. In a table with subtotals groups
#' are sorted by their subtotals, inside each other, and every subtotal stays below its group; in a crosstab totals stay
#' at the end. `in_period()` keeps the rows of one period.
#'
#' @param t A totals table made by [totals()]; `sort_rows()` also takes a crosstab, or what [best_of_each()],
#'   [unsold()] or [coverage()] gives.
#' @param ... Columns, bare or as strings; `down()` around one, or a minus before it, begins with its highest value.
#'   Missing values come last, rows that are equal in all of them keep their order. Texts are compared byte by byte.
#' @param period Text or a year's number: a year (`"2025"`), quarter (`"2026-Q1"`), month (`"2026-03"`), week
#'   (`"2026-W38"`) or day (`"2026-03-02"`) of the table's calendar, as [period_label()] writes it, or `"latest"`, the
#'   table's last. It is as long as the table's own periods or longer; those that begin in it are kept, and weeks whose
#'   fourth day is in it.
#'   Subtotals over all periods are not kept.
#' @return `t` with its rows sorted, or with only the rows of that period. Either becomes a step of its inquiry; see
#'   [inquiry_of()].
#' @section Errors: `hinterfeld_error_column` for a column that the table does not have, `hinterfeld_error_period` for a
#'   table without a period that has a year, or a period without a row.
#' @export
#' @examples
#' t <- add_change(totals(demo_daybook(), by = region, every = "year"))
#' sort_rows(in_period(t, "latest"), down(revenue_change))
#' sort_rows(t, region, year)
#' sort_rows(crosstab(t, region, year), down(`2025`))
sort_rows <- function(t, ...) {
  crosstab <- inherits(t, "hinterfeld_crosstab")
  listing <- !is.null(listing_of(t))
  if (!crosstab && !listing) check_totals(t)
  order <- sort_columns(rlang::enquos(...), t)
  if (listing) {
    return(t[do.call(ordered_rows, unname(Map(sort_places, as.list(t)[names(order)], order))), ])
  }
  if (crosstab) {
    return(sort_crosstab(t, order))
  }
  take_step(step_on(t, "sort_rows", list(order = order), character()), t, call = rlang::current_env())
}

# The columns to sort by, by their first names: TRUE for those that begin with the highest.
sort_columns <- function(quos, t, call = caller_env()) {
  if (length(quos) == 0) {
    stop_because("argument", "Name the columns to sort by.", i = "For example `sort_rows(t, region, down(revenue))`.",
                 call = call)
  }
  parts <- lapply(unname(quos), function(quo) {
    expr <- rlang::quo_get_expr(quo)
    down <- rlang::is_call(expr, c("down", "desc", "-"), n = 1)
    if (down) quo <- rlang::quo_set_expr(quo, expr[[2]])
    check_sorted_by(rlang::quo_get_expr(quo), call)
    names <- pick_columns(quo, names(t), "...", call)
    stats::setNames(rep(down, length(names)), if (is.null(answer_of(t))) names else ids_of(answer_of(t), names))
  })
  unlist(parts)
}

# A column or a selection of columns, not something that is computed from them.
check_sorted_by <- function(expr, call) {
  selections <- c("c", "all_of", "any_of", "starts_with", "ends_with", "contains", "matches", "everything", "where",
                  "$", "[[")
  computed <- is.call(expr) && !rlang::is_call(expr, selections)
  if (computed) {
    stop_because("column", sprintf("Rows are sorted by columns, and `%s` is not one.", expression_text(expr)),
                 i = "Add it as a column first, or name one: `sort_rows(t, region, down(revenue))`.", call = call)
  }
}

#' @export
take_step.hinterfeld_step_sort_rows <- function(step, t, again = FALSE, call = caller_env()) {
  answer <- answer_of(t)
  by <- step$args$order
  names <- step_names(t, names(by))
  data <- as_tibble.hinterfeld_totals(t)
  keys <- unname(Map(sort_places, data[names], by))
  order <- if (again) {
    seq_len(nrow(t))
  } else if (is.null(answer$level)) {
    do.call(ordered_rows, keys)
  } else {
    do.call(ordered_rows, c(group_places(data, answer, keys), keys))
  }
  out <- t[order, ]
  set_answer(with_taken_step(out, step), by_hand = answer$by_hand)
}

# A step that adds no column.
with_taken_step <- function(t, step, stats = list()) {
  attr(t, "answer") <- with_step(attr(t, "answer", exact = TRUE), step, stats)
  t
}

#' @rdname sort_rows
#' @export
in_period <- function(t, period) {
  check_totals(t)
  if (rlang::is_integerish(period, 1)) period <- number_text(period)
  check_text(period, "period")
  take_step(step_on(t, "in_period", list(period = period), character()), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_in_period <- function(step, t, again = FALSE, call = caller_env()) {
  answer <- answer_of(t)
  if (is.null(answer$every) || is_recurring(answer$every)) {
    stop_because("period", "The table is not split by a period that includes the year.",
                 i = sprintf("Total with %s or another period.", as_typed("every = \"month\"")), call = call)
  }
  if (again) {
    return(with_taken_step(t, step))
  }
  days <- row_days(t)
  named <- period_named(step$args$period, days, answer, call)
  rows <- which(!is.na(days) & named)
  if (length(rows) == 0) {
    labels <- period_label(range(days, na.rm = TRUE), answer$every, answer$about$calendar)
    stop_because("period", sprintf("The table has no row for \"%s\".", step$args$period),
                 i = sprintf("Its periods run from %s to %s.", labels[1], labels[2]),
                 i = sprintf("Name one as long as a %s or longer: \"2026\", \"2026-Q1\", \"2026-03\", or \"latest\".",
                             answer$every), call = call)
  }
  out <- t[rows, ]
  set_answer(with_taken_step(out, step), by_hand = answer$by_hand)
}

# Which rows begin in the period of this name, of whatever length.
period_named <- function(period, days, answer, call) {
  if (period == "latest") {
    return(days == max(days, na.rm = TRUE))
  }
  longer <- grains[match(answer$every, grains):length(grains)]
  # A week belongs to the year that holds its fourth day.
  days <- days + week_anchor(answer)
  hits <- lapply(longer, function(every) {
    own <- if (every == answer$every) days - week_anchor(answer) else days
    period_label(own, every, answer$about$calendar) %in% period
  })
  Reduce(`|`, hits)
}
