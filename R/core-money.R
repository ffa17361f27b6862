# Exact money: whole units of the smallest coin, held in doubles that are whole numbers.

# The largest amount of one line, in units; as in src/money.h.
largest_line <- 9e14

check_decimals <- function(decimals, call = caller_env()) {
  ok <- is.numeric(decimals) && length(decimals) >= 1 && !anyNA(decimals) &&
    all(decimals %in% 0:6)
  if (!ok) {
    stop_because("argument", c(
      "`decimals` must be whole numbers from 0 to 6.",
      i = "2 keeps cents, 0 keeps whole currency units, 3 keeps mills."
    ), call = call)
  }
}

# Units of decimal values. NaN: not a number; Inf: too large for an exact line.
to_units <- function(x, decimals, rounding = "half_up") {
  units_kernel(as.double(x), as.integer(decimals), rounding == "half_even")
}

from_units <- function(units, decimals) {
  units / 10^decimals
}

# Exact total of units; missing ones do not count.
sum_units <- function(units, what = "revenue", call = caller_env()) {
  total <- sum_units_kernel(as.double(units))
  if (is.nan(total)) {
    stop_overflow(what, call)
  }
  total
}

stop_overflow <- function(what, call = caller_env()) {
  stop_because("overflow", c(
    sprintf("A total of `%s` is too large to be exact.", what),
    x = "Totals are exact up to 22 million million with two decimals.",
    i = "Make the daybook with fewer `decimals`, or in a larger currency unit such as thousands."
  ), call = call)
}
