# Which days the lines cover, written out day by day.

# Of all usable lines, or as it was said; `early` days before the first count as days without sales.
oracle_cover <- function(o) {
  seen <- sort(as.Date(DBI::dbGetQuery(o$db, "SELECT DISTINCT day FROM lines")$day))
  gaps <- sort(as.integer(diff(seen)) - 1L)
  usual <- if (length(gaps)) gaps[ceiling(length(gaps) * 0.95)] else 1L
  o$usual <- min(6L, max(1L, usual))
  said <- o$made$covers
  ends <- if (is.null(said)) range(seen) else said
  o$covered <- seq(ends[1], ends[2], by = 1)
  o$early <- if (is.null(said)) early_days(o, ends[1]) else ends[0]
  covered_span(o)
}

# Before the first day: some that are usually without sales, and closed days that run up to it, a month at most.
early_days <- function(o, first, ruled = first[0]) {
  days <- first - seq_len(31)
  shut <- closed_on(o$made$calendar, days)
  usual <- seq_along(days) <= o$usual
  run <- if (all(shut)) length(days) else which(!shut)[1] - 1
  days <- days[usual | seq_along(days) <= run]
  out <- which(days %in% ruled)
  if (length(out)) days[seq_len(out[1] - 1)] else days
}

closed_on <- function(calendar, days) {
  closed <- calendar$closed
  weekday <- c("sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday")[as.POSIXlt(days)$wday + 1]
  weekday %in% closed | format(days) %in% closed
}

# How many days of a stretch are open.
open_from <- function(calendar, from, to) {
  mapply(function(from, to) {
    if (is.na(from) || is.na(to) || to < from) return(0L)
    sum(!closed_on(calendar, seq(as.Date(from), as.Date(to), by = 1)))
  }, as.character(from), as.character(to), USE.NAMES = FALSE) |> as.integer()
}

# The last day of a stretch up to which no more than `count` are open.
open_until <- function(calendar, from, to, count) {
  day <- from - 1
  while (day < to && open_from(calendar, from, day + 1) <= count) day <- day + 1
  day
}

covered_span <- function(o) {
  o$span <- range(o$covered)
  o
}

# A condition on the day rules out days of which no line is left.
oracle_rule_out <- function(o, holds) {
  left <- as.Date(DBI::dbGetQuery(o$db, "SELECT DISTINCT day FROM kept")$day)
  first <- min(o$covered)
  before <- if (is.null(o$made$covers)) first - 31:1
  o$covered <- o$covered[holds(o$covered) | o$covered %in% left]
  if (is.null(before)) return(covered_span(o))
  # Those that run up to the first day without one that is ruled out.
  ruled <- c(before[!holds(before)], if (min(o$covered) > first) seq(first, min(o$covered) - 1, by = 1), o$ruled)
  o$ruled <- ruled
  o$early <- early_days(o, min(o$covered), ruled)
  covered_span(o)
}

# "whole", "part" or "none" for each stretch; without `ends` it is none.
cover_of <- function(o, from, to) {
  vapply(seq_along(from), function(i) {
    if (is.na(from[i]) || to[i] < from[i]) return("none")
    days <- seq(from[i], to[i], by = 1)
    held <- days %in% o$covered
    if (!any(held)) "none" else if (all(held | days %in% o$early)) "whole" else "part"
  }, "")
}

# The starts of those periods of the span of which every day to the end is covered; closed ones after it add nothing.
whole_periods <- function(o, every) {
  starts <- periods_between(o$span[1], o$span[2], every, o$made$calendar)
  ends <- next_starts(starts, every, o$made$calendar) - 1
  done <- open_from(o$made$calendar, rep(o$span[2] + 1, length(ends)), ends) == 0
  starts[cover_of(o, starts, pmin(ends, o$span[2])) == "whole" & done]
}
