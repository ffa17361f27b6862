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
  o$early <- if (is.null(said)) ends[1] - seq_len(o$usual) else ends[0]
  covered_span(o)
}

covered_span <- function(o) {
  o$span <- range(o$covered)
  o
}

# A condition on the day rules out days of which no line is left.
oracle_rule_out <- function(o, holds) {
  left <- as.Date(DBI::dbGetQuery(o$db, "SELECT DISTINCT day FROM kept")$day)
  first <- min(o$covered)
  before <- if (is.null(o$made$covers)) first - 6:1
  o$covered <- o$covered[holds(o$covered) | o$covered %in% left]
  if (is.null(before)) return(covered_span(o))
  # Those that run up to the first day without one that is ruled out.
  ruled <- c(before[!holds(before)], if (min(o$covered) > first) seq(first, min(o$covered) - 1, by = 1), o$ruled)
  o$ruled <- ruled
  days <- min(o$covered) - seq_len(o$usual)
  o$early <- days[cumsum(days %in% ruled) == 0]
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

# The starts of those periods of the span of which every day to the end is covered.
whole_periods <- function(o, every) {
  starts <- periods_between(o$span[1], o$span[2], every, o$made$calendar)
  ends <- next_starts(starts, every, o$made$calendar) - 1
  starts[cover_of(o, starts, ends) == "whole"]
}
