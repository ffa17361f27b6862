# How many threads compiled code may use.

# Threads of the compiled code: as many as there are processors, at most eight, or what the option says.
threads_wanted <- function() {
  asked <- getOption("hinterfeld.threads")
  if (rlang::is_integerish(asked, n = 1, finite = TRUE) &&
      asked >= 1) as.integer(asked) else min(8L, processors_kernel())
}
