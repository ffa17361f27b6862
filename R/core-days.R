# Days as whole numbers.

# Days are kept as whole numbers; outside, dates are doubles as R makes them.
plain_days <- function(x) {
  structure(as.double(x), class = "Date")
}

# Dates without a missing one or a part of a day: every day of their span has a code.
is_whole_days <- function(x) {
  inherits(x, "Date") && length(x) > 0 && !any_unusual(x) && identical(as.double(as.integer(x)), as.double(x))
}
