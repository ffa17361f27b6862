# Grains: the periods that a table can be split by. Each is one entry here.

# name       what a reader calls it
# adjective  of a table by it; NULL for a recurring one
# single     of a recurring one, the period that comes again; NULL for others
# from       the grains of a tally that it can be told from; weeks go into months only in years of whole weeks
# label      the text of periods: `start` their first days, `at` their places in the calendar
grain_kinds <- list(
  day = list(
    name = "day", adjective = "daily", single = NULL, from = "day",
    label = function(start, at, calendar) format(start, "%Y-%m-%d")
  ),
  week = list(
    name = "week", adjective = "weekly", single = NULL, from = c("day", "week"),
    label = function(start, at, calendar) {
      if (numbered_weeks(calendar)) week_label(as.integer(start), calendar) else format(start)
    }
  ),
  month = list(
    name = "month", adjective = "monthly", single = NULL, from = c("day", "month"),
    label = function(start, at, calendar) {
      if (calendar$weeks == "445") {
        sprintf("%s-P%02d", year_name(at("year"), calendar), at("month"))
      } else {
        format(start, if (calendar$rules[2] == 1) "%Y-%m" else "%Y-%m-%d")
      }
    }
  ),
  quarter = list(
    name = "quarter", adjective = "quarterly", single = NULL, from = c("day", "month", "quarter"),
    label = function(start, at, calendar) sprintf("%s-Q%d", year_name(at("year"), calendar), at("quarter"))
  ),
  year = list(
    name = "year", adjective = "yearly", single = NULL, from = c("day", "month", "quarter", "year"),
    label = function(start, at, calendar) year_name(at("year"), calendar)
  ),
  weekday = list(
    name = "weekday", adjective = NULL, single = "day", from = "day",
    label = function(start, at, calendar) substr(capital(weekdays_known[at("weekday")]), 1, 3)
  ),
  month_of_year = list(
    name = "month of the year", adjective = NULL, single = "month", from = c("day", "month"),
    label = function(start, at, calendar) {
      if (calendar$weeks == "445") sprintf("P%02d", at("month")) else month_names[as.POSIXlt(start)$mon + 1]
    }
  ),
  quarter_of_year = list(
    name = "quarter of the year", adjective = NULL, single = "quarter", from = c("day", "month", "quarter"),
    label = function(start, at, calendar) sprintf("Q%d", at("quarter"))
  )
)

is_recurring <- function(every) {
  !is.null(every) && !is.null(grain_kinds[[every]]$single)
}

# The single period that periods together are; NULL where they come again. A month of the year with its year is a month.
single_grain <- function(every) {
  last <- every[length(every)]
  single <- if (length(every)) grain_kinds[[last]]$single
  if (is.null(single)) {
    return(if (length(every)) last)
  }
  dated <- every[!vapply(every, is_recurring, NA)]
  if (if (single == "day") "week" %in% dated else length(dated) > 0) single
}

# One period, or several from long to short, none longer than the one before it.
check_every <- function(every, call = caller_env()) {
  if (length(every) > 1 && is.character(every)) {
    for (grain in every) check_choice(grain, "every", names(grain_kinds), call = call)
  } else {
    check_choice(every, "every", names(grain_kinds), none = TRUE, call = call)
  }
  if (!from_long_to_short(every)) {
    stop_because("argument", sprintf("%s cannot be %s.", as_typed("every"), and_list(quoted(every))),
                 i = long_to_short_hint,
                 i = sprintf("For example %s.", as_typed("every = c(\"year\", \"month_of_year\")")), call = call)
  }
}

from_long_to_short <- function(every) {
  all(diff(grain_size(every)) < 0)
}

long_to_short_hint <- "List several periods from the longest to the shortest."

# Where weeks and longer periods split a table, a week is of the month and year that hold its fourth day.
weeks_decide_year <- function(every, calendar) {
  "week" %in% every && calendar$weeks != "445"
}

grain_size <- function(every) {
  match(vapply(every, function(grain) grain_kinds[[grain]]$single %||% grain, ""), grains)
}

grains <- names(Filter(function(kind) is.null(kind$single), grain_kinds))

# Can a period be told from periods of another grain?
derivable_from <- function(every, from, calendar) {
  from %in% grain_kinds[[every]]$from ||
    from == "week" && calendar$weeks == "445" && "month" %in% grain_kinds[[every]]$from
}

month_names <- c("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")

# Weeks have numbers where years are made of whole weeks: ISO years and 4-4-5 years.
numbered_weeks <- function(calendar) {
  calendar$weeks == "445" || calendar$week_starts == "monday"
}

# An ISO year is a year of whole weeks that starts on the Monday nearest to 1 January.
week_label <- function(days, calendar) {
  rules <- if (calendar$weeks == "445") calendar$rules else c(1L, 1L, 0L, 1L)
  year <- position_kernel(days, "year", rules)
  name <- if (calendar$weeks == "445") year_name(year, calendar) else sprintf("%04d", year)
  sprintf("%s-W%02d", name, position_kernel(days, "week", rules))
}

year_name <- function(year, calendar) {
  if (calendar$year_starts == "01-01") sprintf("%04d", year) else sprintf("%04d/%02d", year, (year + 1L) %% 100L)
}

weekdays_known <- c("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")

# The place of days among recurring periods, in the calendar's order.
recurring_place <- function(days, every, calendar) {
  if (every == "weekday") {
    (position_kernel(days, "weekday", calendar$rules) - 1L - calendar$rules[3]) %% 7L + 1L
  } else {
    position_kernel(days, grain_kinds[[every]]$single, calendar$rules)
  }
}

# The first days of all periods of a span.
periods_of <- function(span, every, calendar) {
  plain_days(unique(period_bounds_kernel(seq(as.integer(span[1]), as.integer(span[2])), every, FALSE, calendar$rules)))
}
