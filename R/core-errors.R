# Errors and messages: what is wrong, where, and what to do.

# `...` become fields of the condition, for programs that catch it.
stop_because <- function(kind, message, ..., call = caller_env()) {
  abort(shown_message(message), class = c(paste0("hinterfeld_error_", kind), "hinterfeld_error"), ..., call = call)
}

# Names of files and columns are others' text, and may hold what no terminal should be sent.
shown_message <- function(message) {
  message[] <- visible(gsub("\r", "\ufffd", message, fixed = TRUE))
  message
}

# Control characters move a terminal's cursor, change its colours or answer for its user, and no XML may hold them; a
# byte order mark inside a text is not seen at all. They show as what they are, a character that cannot be shown.
visible <- function(text) {
  gsub("[\\x01-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\\x{80}-\\x{9f}\\x{feff}]", "\ufffd", enc2utf8(text), perl = TRUE)
}

say <- function(kind, message, ...) {
  rlang::inform(shown_message(message), class = c(paste0("hinterfeld_message_", kind), "hinterfeld_message"), ...)
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
