# Open days: those on which the shop is not closed, going by the calendar.

# Closed days as a calendar has them, in texts: names of weekdays, then dates.
read_closed <- function(closed, call = caller_env()) {
  texts <- as.character(unlist(lapply(as.list(closed), as.character)))
  weekday <- match(tolower(texts), weekdays_known)
  day <- read_iso_days_kernel(texts)
  odd <- is.na(weekday) & is.na(day)
  if (any(odd)) {
    stop_because("calendar", sprintf("`closed` cannot be %s.", quoted(texts[odd][1])),
                 i = "Give dates, and names of weekdays such as \"sunday\".", call = call)
  }
  if (length(unique(weekday[!is.na(weekday)])) == 7) {
    stop_because("calendar", "`closed` names every weekday, so the shop would never be open.",
                 i = "Leave out the weekdays on which it is open.", call = call)
  }
  c(weekdays_known[sort(unique(weekday))], format(plain_days(sort(unique(day)))))
}

# `days` as whole numbers; 1970-01-01 was a Thursday.
is_closed <- function(calendar, days) {
  weekdays_known[(days + 3L) %% 7L + 1L] %in% calendar$closed | days %in% read_iso_days_kernel(calendar$closed)
}

# How many days of stretches are open; missing where an end is.
open_days <- function(calendar, start, end) {
  start <- as.integer(start)
  end <- pmax(as.integer(end), start - 1L)
  if (length(calendar$closed) == 0 || all(is.na(end))) {
    return(end - start + 1L)
  }
  first <- min(start, na.rm = TRUE)
  upto <- c(0L, cumsum(!is_closed(calendar, seq(first, max(end + 1L, na.rm = TRUE)))))
  upto[end - first + 2L] - upto[start - first + 1L]
}

# The last day of each stretch up to which no more than `count` days are open.
day_of_open <- function(calendar, start, end, count) {
  last <- Map(function(start, end, count) {
    if (is.na(start) || end < start) {
      return(end)
    }
    start - 1L + sum(cumsum(!is_closed(calendar, seq(start, end))) <= count)
  }, as.integer(start), as.integer(end), count)
  plain_days(as.integer(unlist(last)))
}
