# Errors and messages: what is wrong, where, and what to do.

# `...` become fields of the condition, for programs that catch it.
stop_because <- function(kind, message, ..., call = caller_env()) {
  abort(message, class = c(paste0("hinterfeld_error_", kind), "hinterfeld_error"), ..., call = call)
}

say <- function(kind, message, ...) {
  rlang::inform(message, class = c(paste0("hinterfeld_message_", kind), "hinterfeld_message"), ...)
}

# For work done again: what there was to say has been said.
quietly <- function(code) {
  suppressMessages(code, classes = "hinterfeld_message")
}

# What went wrong, and what it came from.
problem_with_causes <- function(cnd) {
  lines <- rlang::cnd_message(cnd, inherit = FALSE)
  while (!is.null(cnd <- cnd$parent)) lines <- c(lines, rlang::cnd_message(cnd, inherit = FALSE))
  paste(lines, collapse = "\n")
}
