# Periods that the data cover and that have no line.

# Their first days.
periods_without_lines <- function(facts, every) {
  starts <- periods_of(facts$span, every, facts$calendar)
  days <- known_days(known_of(rowsets_of(facts)[[1]], facts$every %||% "day"))
  held <- period_bounds_kernel(days, every, FALSE, facts$calendar$rules)
  starts[!as.integer(starts) %in% held & !cover_of_periods(facts, starts, every)$none]
}

# The same of a table's own periods, as long as none of its rows is gone.
periods_without_rows <- function(t) {
  answer <- answer_of(t)
  if (answer$cut || is.null(answer$every) || is_recurring(answer$every)) {
    return(plain_days(integer()))
  }
  starts <- periods_of(answer$about$span, answer$every, answer$about$calendar)
  starts[!starts %in% row_days(t) & !cover_of_periods(answer$about, starts, answer$every)$none]
}

# Shorter periods without a line, inside those that are compared: a month of a year, a week of a month.
empty_inside <- function(facts, every) {
  inside <- c(month = "week", quarter = "month", year = "month")
  if (!every %in% names(inside) || !holds_grain(facts, inside[[every]])) {
    return(NULL)
  }
  start <- periods_without_lines(facts, inside[[every]])
  # Lines that are of months are of no week in particular.
  most <- length(periods_of(facts$span, inside[[every]], facts$calendar)) / 2
  if (length(start) <= most) list(every = inside[[every]], start = start)
}

# Those that lie in one of the compared periods.
empty_of <- function(start, compared) {
  start[vapply(start, function(day) any(day >= compared$start & day <= compared$end |
                                          day >= compared$from & day <= compared$to, na.rm = TRUE), NA)]
}
