#' Change against an earlier period
#'
#' Compares each period with the same period one year before, or with the period before it. "Now" is the last day of the
#' daybook, never today's date. When the last period is not complete, the earlier one is cut to the same days, and the
#' row says so. All values are computed again from the lines, so this works for any measure and for subtotals.
#'
#' @inheritParams add_rank
#' @param of A measure of `t`, as in [add_rank()], or several: each is compared, and `comparable` is one for all of
#'   them.
#' @param versus Text: `"year_before"` or `"period_before"`.
#' @param align Text: what counts as the same period one year before. `"date"`: the same dates, the same week number or
#'   the same place in the fiscal year; 29 February has no counterpart. In 4-4-5 years, too, days are compared by date.
#'   Weeks that do not start on Monday are numbered in the way ISO 8601 numbers its weeks. `"weekday"`: 364 days before,
#'   so that Mondays are compared with Mondays.
#' @param like_for_like Logical: cut the earlier period of an incomplete last period to the days that
#'   have passed: up to the same date, or for weeks, 4-4-5 years and `"period_before"` to the same number
#'   of days; if the calendar has closed days, to the same number of open ones.
#' @param as_of Date, or its text such as `"2026-05-31"`: compute the table as it stood at the end of this day instead
#'   of the daybook's last day. A day before the first kept line is an error.
#' @param periods For a table without a period, two periods to compare, the later first: their names,
#'   `c("2026-05", "2025-05")`, or any days as a named list of two pairs of dates,
#'   `list("Spring 2026" = as.Date(c("2026-03-01", "2026-05-31")), ...)`.
#' @param per_open_day Logical: compare per open day of the calendar (see [sales_calendar()]): the earlier value is
#'   divided by its open days and multiplied by those of now, rounded once. For sums and counts.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with the columns
#'   * `<of>_before`: the earlier value; missing if the earlier period is before the data;
#'   * `<of>_change`: now less before, exact;
#'   * `<of>_change_pct`: the change as a fraction of the earlier value, missing unless the earlier value is above 0;
#'   * `<of>_direction`: `up`, `down`, `level`, `new` (nothing before: no line, or 0), `gone` (nothing now) or `unknown`
#'     (the earlier period is before the data or does not exist, or its value is below 0);
#'   * `comparable`: `full`, `to_date` (both cut to the days that have passed) or `none` (the earlier period is not
#'     entirely in the data, or was not cut). With `name`, `<name>_comparable`.
#'
#'   With `per_open_day`, `<of>_open_days` and `<of>_open_days_before` follow; because earlier values are rounded, the
#'   changes of the members need not add up exactly. With `periods`, `<of>_now` comes first. Members that sold before
#'   but not now get a row with 0, so that the changes of the members add up to the change in their total; a table cut
#'   to some of its rows gets no such rows. Columns added earlier are computed again over all rows.
#' @section Errors: `hinterfeld_error_period` for a table without a period or with a recurring one, a day outside
#'   the data, or periods that are not two pairs of dates; `hinterfeld_error_measure` for `of`.
#' @export
#' @examples
#' book <- demo_daybook()
#' add_change(totals(book, every = "year"))
#' add_change(totals(book, by = category, every = "month"), versus = "period_before")
#' add_change(totals(book, by = region), periods = list(
#'   "Spring 2026" = as.Date(c("2026-03-01", "2026-05-31")),
#'   "Autumn 2025" = as.Date(c("2025-09-01", "2025-11-30"))
#' ))
add_change <- function(t, of = NULL, versus = c("year_before", "period_before"), align = c("date", "weekday"),
                       like_for_like = TRUE, as_of = NULL, periods = NULL, per_open_day = FALSE, name = NULL) {
  check_totals(t)
  check_name(name)
  of <- columns_given(enquo(of), t)
  if (length(of) > 1) {
    if (!is.null(name)) {
      stop_because("argument", "`name` is for one measure.", i = "Leave it out, or add the changes one by one.")
    }
    for (one in of) check_measure(t, one)
    for (one in of) {
      t <- add_change(t, !!one, versus, align, like_for_like, as_of, periods, per_open_day)
    }
    return(t)
  }
  check_measure(t, of)
  endings <- c(before = "_before", change = "_change", pct = "_change_pct", direction = "_direction",
             comparable = "_comparable")
  if (!is.null(periods)) endings <- c(now = "_now", endings)
  check_flag(per_open_day, "per_open_day")
  if (per_open_day) {
    check_scalable(answer_of(t)$measures[[of]], of)
    endings <- c(endings, open = "_open_days", open_before = "_open_days_before")
  }
  columns <- stats::setNames(paste0(name %||% of, endings), names(endings))
  if (is.null(name)) columns[["comparable"]] <- "comparable"
  check_flag(like_for_like, "like_for_like")
  periods <- periods_given(periods, answer_of(t)$about$calendar, rlang::current_env())
  if (rlang::is_string(as_of)) as_of <- as.Date(as_of, optional = TRUE)
  args <- if (is.null(periods)) {
    list(of = of, versus = check_choice(versus[1], "versus", c("year_before", "period_before")),
         align = check_choice(align[1], "align", c("date", "weekday")), like_for_like = like_for_like, as_of = as_of)
  } else {
    list(of = of, periods = periods, like_for_like = like_for_like)
  }
  args$per_open_day <- per_open_day
  if (is.null(name) && !is.null(comparable_with(answer_of(t), args))) {
    columns <- columns[names(columns) != "comparable"]
  }
  check_number_column(t, of)
  check_no_others(t)
  if (is.null(periods)) check_change_period(answer_of(t)) else check_periods(periods, answer_of(t))
  take_step(step_on(t, "change", args, columns), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_change <- function(step, t, again = FALSE, call = caller_env()) {
  if (!is.null(step$args$periods)) {
    return(change_of_periods(step, t, call))
  }
  how <- step$args
  if (!is.null(how$as_of)) t <- table_as_of(t, how$as_of, call)
  of <- step_names(t, how$of)
  plan <- plan_of_table(answer_of(t), how)
  compared <- compare_rows(t, of, plan, call)
  t <- compared$table
  columns <- change_columns(t, of, compared, plan, isTRUE(how$per_open_day))
  summary <- change_summary(columns, plan, facts_of(answer_of(t), call))
  add_columns_of(t, step, columns[names(step$columns)], step_stats_of(t, summary = summary), call)
}

check_measure <- function(t, of, call = caller_env()) {
  measures <- names(answer_of(t)$measures)
  if (!rlang::is_string(of) || !of %in% measures) {
    added <- rlang::is_string(of) && of %in% names(answer_of(t)$added)
    stop_because("measure", "`of` must name a measure of the table.",
                 x = if (added) sprintf("`%s` was added by a step, so it has no earlier value of its own.", of),
                 i = sprintf("Its measures are %s.", columns_named(measures)),
                 i = if (added) sprintf("To compare years up to a day, total by year, with %s.",
                                        as_typed("as_of = \"2026-05-31\"")), call = call)
  }
}

# What is 0 without lines grows with the days; means and extremes do not.
check_scalable <- function(measure, of, call = caller_env()) {
  if (is.na(measure_kinds[[measure$kind]]$empty)) {
    stop_because("measure", sprintf("`%s` is not a sum or a count, so it does not grow with open days.", of),
                 i = sprintf("Leave out %s.", as_typed("per_open_day")), call = call)
  }
}

# Rows of others are sums of rows that are not there any more, so what they were before cannot be told.
check_no_others <- function(t, what = "change", lack = "earlier value to compare with", call = caller_env()) {
  if (answer_of(t)$others) {
    stop_because("argument", sprintf("The rows for the rest (\"others\") have no %s.", lack),
                 i = sprintf("Add the %s first, then pick the best sellers.", what), call = call)
  }
}

check_change_period <- function(answer, call = caller_env()) {
  every <- answer$every
  if (is.null(every) || is_recurring(every)) {
    stop_because("period",
                 if (is.null(every)) {
                   "A change needs periods to compare."
                 } else {
                   sprintf("`%s` recurs every year, so there is no earlier one to compare with.", every)
                 },
                 i = sprintf("Total with %s or another period, or name two periods with %s for a table without one.",
                             as_typed("every = \"month\""), as_typed("periods")), call = call)
  }
}
