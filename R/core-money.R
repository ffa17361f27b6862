# Exact money: whole minor units (of the smallest coin), held in doubles that are whole numbers.

max_decimals <- 6L

# Decimals per exact column: one number is for revenue, names are for further columns.
asked_decimals <- function(decimals, call = caller_env()) {
  ok <- is.numeric(decimals) && length(decimals) >= 1 && all(decimals %in% 0:max_decimals) &&
    (length(decimals) == 1 || rlang::is_named(decimals))
  if (!ok) {
    stop_because("argument", "`decimals` must be whole numbers from 0 to 6.",
                 i = "2 keeps cents, 0 keeps whole currency units.",
                 i = "Name them for further columns: `decimals = c(revenue = 2, cost = 3)`.", call = call)
  }
  if (is.null(names(decimals))) names(decimals) <- "revenue"
  if (!"revenue" %in% names(decimals)) decimals <- c(revenue = 2, decimals)
  stats::setNames(as.integer(decimals), names(decimals))
}

# The decimals that numbers really have; one more than the most that are kept where none of these will do.
decimals_of <- function(x) {
  if (is.integer(x)) 0L else decimals_kernel(as.double(x), max_decimals, threads_wanted())
}

# The decimals to keep; where that rounds something off, a message says so.
capped_decimals <- function(decimals, name) {
  if (decimals > max_decimals) {
    say("rounded", sprintf("`%s` has too many decimals to keep exactly, so it is rounded to %d.", name, max_decimals))
  }
  min(decimals, max_decimals)
}

# Minor units of decimal values. NaN: not a number; Inf: too large for an exact line. With `whole`, integers where all
# fit.
to_minor <- function(x, decimals, rounding = "half_up", whole = FALSE) {
  minor_kernel(as.double(x), as.integer(decimals), rounding == "half_even", whole, threads_wanted())
}

# Is any value missing or infinite? Most columns have none, and need no second look.
any_not_finite <- function(x) {
  any_unusual_kernel(x, threads_wanted())
}

# Minor units of a further column, where a value that cannot be exact is an error.
exact_minor <- function(x, name, decimals, rounding, call = caller_env()) {
  minor <- to_minor(x, decimals, rounding, whole = TRUE)
  if (!any_not_finite(minor)) {
    return(minor)
  }
  bad <- which(is.nan(minor) | is.infinite(minor))
  if (length(bad)) stop_inexact(x[bad], name, decimals, call)
  minor
}

# `values` that have no minor units; missing where they were too large to be told.
stop_inexact <- function(values, name, decimals, call) {
  large <- is.finite(values) | is.na(values) & !is.nan(values)
  of <- which(large == large[1])
  these <- sprintf("%s of `%s` %s", count_of(length(of), "value"), name, if (length(of) == 1) "is" else "are")
  if (!large[1]) {
    stop_because("overflow", paste(these, if (length(of) == 1) "not a finite number." else "not finite numbers."),
                 x = if (!is.nan(values[1])) sprintf("The first is %s.", values[1]), x = "Is something divided by 0?",
                 i = "Correct the expression.",
                 call = call)
  }
  stop_because("overflow", sprintf("%s too large to be exact with %s.", these, count_of(decimals, "decimal")),
               x = if (!is.na(values[1])) sprintf("The first is %s.", number_text(values[1])),
               i = paste0(if (decimals > 0) "Give the column fewer `decimals`, or compute" else "Compute",
                          " it in a larger unit such as thousands."), call = call)
}

# Minor units in currency, of some rows or all.
from_minor <- function(minor, decimals, rows = NULL) {
  currency_kernel(if (is.integer(minor)) minor else as.double(minor), 10^decimals, rows, threads_wanted())
}

# Exact total of minor units, of some rows or all; missing ones do not count.
sum_minor <- function(minor, what = "revenue", rows = NULL, call = caller_env()) {
  total <- sum_minor_kernel(if (is.integer(minor)) minor else as.double(minor), rows, threads_wanted())
  if (is.nan(total)) {
    stop_overflow(what, call)
  }
  total
}

stop_overflow <- function(what, call = caller_env()) {
  stop_because("overflow", sprintf("A total of `%s` is too large to be exact.", what),
               x = "With two decimals, lines and totals are exact up to about 22 500 000 000 000 (22.5 trillion).",
               i = "Make the daybook with fewer `decimals`, or in a larger currency unit such as thousands.",
               call = call)
}

half_away <- function(minor) sign(minor) * floor(abs(minor) + 0.5)

# Whole numbers times part / whole, rounded once, also where the product is larger than a double can count.
scaled_part <- function(minor, part, whole) {
  size <- abs(minor)
  sign(minor) * (size %/% whole * part + floor(size %% whole * part / whole + 0.5))
}
