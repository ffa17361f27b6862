#' Sales calendar: when years and weeks start, and how months are made
#'
#' @param year_starts Text: month and day the year starts, `"MM-DD"`; `"04-01"` for a fiscal year
#'   from April. Months and quarters count from there, so with `"04-06"` each month starts on the 6th.
#' @param week_starts Text: the day weeks start, such as `"monday"` or `"sunday"`.
#' @param weeks Text: `"iso"`, calendar months and weeks from Monday numbered as in ISO 8601; or `"445"`, a year of 52
#'   or 53 whole weeks, each quarter of 13 weeks divided into months of 4, 4 and 5 weeks. Such a year starts on the week
#'   start nearest to `year_starts`, and a 53rd week makes the last month longer. If omitted, months are calendar
#'   months, and weeks start on whichever day `week_starts` names.
#' @param closed Days on which the shop is closed: dates, or text with dates and names of weekdays such as
#'   `c("sunday", "2026-12-25")`. Like for like counts open days, and [add_change()] can compare per open day. Those of
#'   a file are its column, `load_table("closed.csv")$day`.
#' @return A calendar, for [daybook()] and the functions of [period_start()].
#' @section Names of years: A year that starts on 1 January is called by its number, `2026`; any other is named after
#'   both calendar years it spans, `2026/27`.
#' @section Errors: `hinterfeld_error_calendar` for a day that does not exist or does not occur in every month, an
#'   unknown weekday, ISO weeks that do not start on Monday, or a shop that is never open.
#' @references ISO 8601-1:2019, Date and time, for weeks that start on Monday and belong to the year
#'   that holds their Thursday. National Retail Federation, "4-5-4 Calendar", for years of 52 or 53
#'   weeks that start on the week nearest to a date.
#' @export
#' @examples
#' sales_calendar()
#' sales_calendar(year_starts = "04-01")
#' sales_calendar(year_starts = "02-01", week_starts = "sunday", weeks = "445")
#' sales_calendar(closed = c("sunday", "2025-12-25", "2026-01-01"))
sales_calendar <- function(year_starts = "01-01", week_starts = "monday", weeks = c("iso", "445"), closed = NULL) {
  check_text(year_starts, "year_starts")
  check_choice(week_starts, "week_starts", weekdays_known)
  given <- length(weeks) == 1
  weeks <- check_choice(weeks[1], "weeks", c("iso", "445"))
  if (given && weeks == "iso" && week_starts != "monday") {
    stop_because("calendar", sprintf("ISO weeks start on Monday, not on %s.", capital(week_starts)),
                 i = "For weeks from another day, leave `weeks` out (calendar months) or use `weeks = \"445\"`.")
  }
  start <- read_year_start(year_starts, weeks)
  structure(list(
    year_starts = year_starts, week_starts = week_starts, weeks = weeks, closed = read_closed(closed),
    rules = c(start, match(week_starts, weekdays_known) - 1L, as.integer(weeks == "445"))
  ), class = "hinterfeld_calendar")
}

read_year_start <- function(year_starts, weeks, call = caller_env()) {
  # 2023 is not a leap year: a year cannot start on 29 February.
  day <- if (grepl("^[0-9]{2}-[0-9]{2}$", year_starts)) read_iso_days_kernel(paste0("2023-", year_starts)) else NA
  if (is.na(day)) {
    stop_because("calendar", sprintf("`year_starts` cannot be \"%s\".", year_starts),
                 i = "Give a month and a day that every year has, `\"MM-DD\"`: \"04-01\" is the first of April.",
                 call = call)
  }
  start <- as.integer(strsplit(year_starts, "-")[[1]])
  if (weeks != "445" && start[2] > 28) {
    stop_because("calendar",
                 sprintf("`year_starts` cannot be \"%s\": months would start on a day that not every month has.",
                         year_starts), i = "Give a day up to 28, or years of whole weeks with `weeks = \"445\"`.",
                 call = call)
  }
  start
}

check_calendar <- function(calendar, call = caller_env()) {
  check_made(inherits(calendar, "hinterfeld_calendar"), calendar, "calendar", "a sales calendar",
             "Make one with `sales_calendar()`.", call)
}

#' Periods of days: first day, last day, label
#'
#' @param day Dates.
#' @param every Text: `"day"`, `"week"`, `"month"`, `"quarter"` or `"year"`; for labels also a
#'   recurring one, `"weekday"`, `"month_of_year"` or `"quarter_of_year"`.
#' @param calendar A calendar made by [sales_calendar()].
#' @return `period_start()` and `period_end()`: dates, the first and the last day of the period that
#'   each day falls in. `period_label()`: text, `2026-09-17`, `2026-W38`, `2026-09`, `2026-Q3`, `2026`,
#'   `Thu`, `Sep`; in 4-4-5 years months are `2026-P09`; a period without a name of its own is
#'   labelled by its first day. Missing for a missing day.
#' @section Errors: `hinterfeld_error_argument` for days that are not dates or an unknown period.
#' @references ISO 8601-1:2019 for week labels.
#' @export
#' @examples
#' days <- as.Date(c("2026-09-17", "2027-01-02"))
#' period_start(days, "month")
#' period_end(days, "quarter", sales_calendar(year_starts = "04-01"))
#' period_label(days, "week")
period_start <- function(day, every, calendar = sales_calendar()) {
  period_bounds(day, every, calendar, last = FALSE)
}

#' @rdname period_start
#' @export
period_end <- function(day, every, calendar = sales_calendar()) {
  period_bounds(day, every, calendar, last = TRUE)
}

#' @rdname period_start
#' @export
period_label <- function(day, every, calendar = sales_calendar()) {
  check_days(day)
  check_calendar(calendar)
  check_choice(every, "every", names(grain_kinds))
  kind <- grain_kinds[[every]]
  days <- as.integer(floor(as.numeric(day)))
  at <- function(what) position_kernel(days, what, calendar$rules)
  start <- plain_days(period_bounds_kernel(days, kind$single %||% every, FALSE, calendar$rules))
  replace(kind$label(start, at, calendar), is.na(days), NA)
}

check_days <- function(day, call = caller_env()) {
  check_made(inherits(day, "Date"), day, "day", "dates", call = call)
  # Beyond that the end of a year is larger than integers are.
  far <- which(abs(as.numeric(day)) > 1e9)
  if (length(far)) {
    stop_because("argument", sprintf("`day` holds a day that is too far away: day %s from 1970 on.",
                                     group_digits(as.numeric(day)[far[1]])),
                 i = "Give days between the years -2 700 000 and 2 700 000.", call = call)
  }
}

period_bounds <- function(day, every, calendar, last, call = caller_env()) {
  check_days(day, call)
  check_calendar(calendar, call)
  check_choice(every, "every", grains, call = call)
  plain_days(period_bounds_kernel(as.integer(floor(as.numeric(day))), every, last, calendar$rules))
}

# The values of a key as a reader sees them; `column` is what the table knows of it.
shown_values <- function(x, column, calendar) {
  if (is.null(column$every)) plain_value(x) else period_names(x, column$every, calendar)
}

# Readable names of periods given as dates, as texts of dates among totals, or as a factor.
period_names <- function(x, every, calendar) {
  recurring <- is_recurring(every)
  if (inherits(x, "Date") && !recurring) {
    return(period_label(x, every, calendar))
  }
  text <- as.character(x)
  dates <- !recurring & grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
  replace(text, dates, period_label(as.Date(text[dates]), every, calendar))
}
