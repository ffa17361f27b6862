# What is told beside a table: the first and the last day of its groups, and what stands out in the facts.

# The table again, with first and last days for its measures.
check_dates <- function(move, o, place) {
  if (chance(0.8)) return()
  day <- "CAST(julianday(day) - 2440587.5 AS INTEGER)"
  taken <- function(kind) list(kind = kind, margin = "recompute", incomplete = FALSE, x = day, scale = 0)
  move$measures <- list(first = taken("smallest"), last = taken("largest"))
  move$call$measures <- quote(list(first = first_of(day), last = last_of(day)))
  dated <- suppressMessages(eval(move$call, place))
  if (!inherits(dated$first, "Date")) differ("a first day is not a date")
  compare_rows(dated, start_shape(move, o))
}

# Each finding is of a known kind, moves some money, and its code gives the table that shows it.
check_findings <- function(place) {
  if (chance(0.9)) return()
  found <- suppressMessages(suppressWarnings(findings(place$book, n = 30)))
  amount <- abs(found$amount)
  if (anyNA(amount) || is.unsorted(-amount)) differ("findings do not come by what they move")
  # A member may be called NA.
  odd <- grep("NaN|\\bInf\\b|NA (%|points)|[(+]NA", found$finding, value = TRUE)
  if (length(odd)) differ("a finding says: %s", odd[1])
  for (code in found$shown_by) {
    env <- new.env(parent = place)
    suppressMessages(suppressWarnings(eval(parse(text = code, keep.source = FALSE), env)))
    if (!inherits(env$t, "hinterfeld_totals")) differ("no table shows a finding: %s", code)
  }
}
