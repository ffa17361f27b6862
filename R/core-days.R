# Days as whole numbers.

# Days are kept as whole numbers; outside, dates are doubles as R makes them.
plain_days <- function(x) {
  structure(as.double(x), class = "Date")
}
