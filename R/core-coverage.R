# Coverage: which days facts speak of. Whatever compares periods, averages over them, runs along them, draws them or
# puts them into words asks here.
#
# The coverage of facts is in whole numbers of days, in order:
# seen     days with a line, of all lines that were read
# said     the first and the last day that the analyst says the data cover; empty where nothing is said
# covered  from the first to the last day with a line, or as was said, without those that are ruled out
# ruled    days that conditions on the day rule out, and days before the first of which they do so
# Facts and tables also have what follows from it: `span`, the first and the last day covered; `out`, days between them
# that are not covered; and `early`, how many days before the first count as days without sales.

new_coverage <- function(seen, covers = NULL) {
  said <- as.integer(covers)
  range <- if (length(said)) range(said) else ends_of_days(seen)
  list(seen = seen, said = said, covered = seq(range[1], range[2]), ruled = integer())
}

# The first and the last day that days with lines speak of. If each of them is the first of a month, or the last, every
# line is of a month, and whole months are covered.
ends_of_days <- function(seen) {
  ends <- range(seen)
  first <- function(day) as.integer(format(plain_days(day), "%d")) == 1L
  if (length(seen) < 3) {
    ends
  } else if (all(first(seen))) {
    c(ends[1], as.integer(period_end(plain_days(ends[2]), "month")))
  } else if (all(first(seen + 1L))) {
    c(as.integer(period_start(plain_days(ends[1]), "month")), ends[2])
  } else {
    ends
  }
}

with_coverage <- function(facts, coverage) {
  facts$coverage <- coverage
  span <- range(coverage$covered)
  usual <- usual_gap(coverage$seen)
  facts$span <- plain_days(span)
  all <- length(coverage$covered) == span[2] - span[1] + 1
  facts$out <- if (all) integer() else setdiff(seq(span[1], span[2]), coverage$covered)
  before <- span[1] - seq_len(early_most(facts$calendar))
  without_sales <- seq_along(before) <= usual | cumprod(is_closed(facts$calendar, before)) > 0
  facts$early <- if (length(coverage$said)) 0L else {
    as.integer(sum(cumprod(without_sales & !before %in% coverage$ruled)))
  }
  facts
}

# The most days before the first that count as days without sales: some that are usual, or a month of closed ones.
early_most <- function(calendar) {
  if (length(calendar$closed)) 31L else 6L
}

# A shop is closed on Sundays and holidays: 19 of 20 gaps between two days with a line are no longer than this.
usual_gap <- function(seen) {
  gaps <- diff(seen) - 1L
  usual <- if (length(gaps)) stats::quantile(gaps, 0.95, type = 1, names = FALSE) else 1L
  as.integer(min(6L, max(1L, usual)))
}

# Days between two parts are covered, as they would be if their lines had been read at once; those that one rules out
# only if the other has them.
merge_coverage <- function(a, b) {
  ends <- range(a$covered, b$covered)
  if (length(c(a$said, b$said)) == 0) ends <- range(ends, ends_of_days(sort(union(a$seen, b$seen))))
  ruled <- setdiff(sort(union(a$ruled, b$ruled)), union(a$covered, b$covered))
  c(merge_seen(a, b), list(covered = setdiff(seq(ends[1], ends[2]), ruled), ruled = ruled))
}

# What parts tell before any condition.
merge_seen <- function(a, b) {
  said <- c(a$said, b$said)
  list(seen = sort(union(a$seen, b$seen)), said = if (length(said)) range(said) else said)
}

# Are all days of stretches covered (`whole`), or `none`, how many `days` are, and how many of these are `open`? Days
# before the first that count as days without sales belong to a stretch of which others are covered. A stretch without
# ends is none.
cover <- function(about, start, end) {
  first <- as.integer(about$span[1]) - about$early
  days <- seq(first, as.integer(about$span[2]))
  covered <- replace(rep(TRUE, length(days)), about$out - first + 1L, FALSE)
  place <- function(day) pmin(pmax(as.integer(day) - first, 0L), length(days)) + 1L
  from <- place(start)
  to <- pmax(from, place(end + 1L))
  of <- function(counted) {
    upto <- c(0L, cumsum(counted))
    upto[to] - upto[from]
  }
  none <- is.na(start) | is.na(end) | of(covered & seq_along(days) > about$early) == 0
  held <- of(covered)
  list(whole = !none & held == as.integer(end) - as.integer(start) + 1L, none = none, days = held,
       open = if (length(about$calendar$closed)) of(covered & !is_closed(about$calendar, days)) else held)
}

# The same of the periods that begin on some days, as far as the data go; and which are `complete` to their end.
cover_of_periods <- function(about, starts, every) {
  ends <- period_end(starts, every, about$calendar)
  covered <- cover(about, starts, pmin(ends, about$span[2]))
  # Days on which the shop is closed add nothing.
  unfinished <- open_days(about$calendar, about$span[2] + 1, ends) > 0
  c(covered, list(unfinished = unfinished, complete = covered$whole & !unfinished))
}

# Why the data do not cover all of some stretches; "" where they do.
cover_words <- function(about, start, end, names) {
  span <- about$span
  covered <- cover(about, start, end)
  lacking <- vapply(seq_along(start), function(i) sum(about$out >= start[i] & about$out <= end[i], na.rm = TRUE), 0)
  why <- ifelse(lacking > 0, sprintf("the data do not cover %s of %s", vapply(lacking, count_of, "", noun = "day"),
                                     names),
                ifelse(start < span[1], sprintf("the data cover %s only from %s", names, format(span[1])),
                       sprintf("the data cover %s only to %s", names, format(span[2]))))
  ifelse(covered$whole | is.na(start), "", ifelse(covered$none, sprintf("the data do not cover %s", names), why))
}

# The first days of periods no day of which is covered.
periods_out <- function(about, every) {
  if (length(about$out) == 0) {
    return(plain_days(integer()))
  }
  starts <- periods_of(about$span, every, about$calendar)
  starts[cover_of_periods(about, starts, every)$none]
}

check_covers <- function(covers, days, call = caller_env()) {
  if (is.null(covers)) {
    return(NULL)
  }
  ends <- if (inherits(covers, "Date")) covers else if (is.character(covers)) {
    plain_days(read_iso_days_kernel(covers))
  }
  if (length(ends) != 2 || anyNA(ends) || ends[1] > ends[2]) {
    stop_because("argument", "`covers` must be two days, the first and the last that the data cover.",
                 i = "For example `covers = c(\"2024-01-01\", \"2025-12-31\")`.", call = call)
  }
  outside <- days[days < ends[1] | days > ends[2]]
  if (length(outside)) {
    stop_because("argument",
                 sprintf("The data are said to cover %s to %s, but there are lines of other days.", format(ends[1]),
                         format(ends[2])), x = sprintf("For example of %s.", format(plain_days(outside[1]))),
                 i = sprintf("Give %s that hold all lines, or leave those lines out first.", as_typed("covers")),
                 call = call)
  }
  ends
}
