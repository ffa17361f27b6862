# Periods: the first day of the period that a day falls in.

grains <- c("day", "month")

# Days may be many; periods are looked up once per distinct day of the span.
period_starts <- function(days, every) {
  if (every == "day") {
    return(days)
  }
  parts <- as.POSIXlt(days)
  as.Date(sprintf("%04d-%02d-01", parts$year + 1900L, parts$mon + 1L))
}

# The adjective in "daily revenue".
grain_adjective <- function(every) {
  c(day = "daily", month = "monthly")[[every]]
}

# The last day of the period that starts on `start`.
period_ends <- function(start, every) {
  if (every == "day") {
    return(start)
  }
  parts <- as.POSIXlt(start)
  years <- parts$year + 1900L + (parts$mon == 11L)
  as.Date(sprintf("%04d-%02d-01", years, (parts$mon + 1L) %% 12L + 1L)) - 1
}
