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

group_digits <- function(x) {
  formatC(x, format = "d", big.mark = " ", decimal.mark = ".")
}

# "1 line", "12 345 lines"
count_of <- function(n, noun, plural = paste0(noun, "s")) {
  paste(group_digits(n), if (n == 1) noun else plural)
}

# `"a", "b", "c" and 4 more`
examples_of <- function(x, most = 5, quote = '"') {
  x <- unique(x)
  shown <- paste0(quote, visible(as.character(utils::head(x, most))), quote)
  rest <- length(x) - length(shown)
  paste0(paste(shown, collapse = ", "), if (rest > 0) paste(" and", group_digits(rest), "more"))
}

columns_named <- function(names) {
  examples_of(names, most = 20, quote = "`")
}

# The known names most like `name`, nearest first; none when nothing is near.
nearest <- function(name, known, most = 3) {
  if (length(known) == 0) {
    return(character())
  }
  distance <- drop(utils::adist(tolower(name), tolower(known)))
  starts <- startsWith(tolower(known), tolower(name))
  distance[starts] <- pmin(distance[starts], 1)
  near <- order(distance)[seq_len(min(most, length(known)))]
  known[near[distance[near] <= max(2, nchar(name) %/% 3)]]
}

check_text <- function(x, name, none = FALSE, call = caller_env()) {
  if (none && is.null(x)) {
    return(invisible())
  }
  if (!is.character(x) || length(x) != 1 || is.na(x)) {
    stop_because("argument", c(
      sprintf("`%s` must be one text.", name),
      i = sprintf("It is %s.", describe(x))
    ), call = call)
  }
}

check_choice <- function(x, name, choices, none = FALSE, call = caller_env()) {
  check_text(x, name, none, call = call)
  if (!is.null(x) && !x %in% choices) {
    near <- nearest(x, choices, 1)
    stop_because("argument", c(
      sprintf("`%s` cannot be \"%s\".", name, x),
      i = sprintf("Choose %s.", examples_of(choices, 20)),
      if (length(near)) c(i = sprintf("Did you mean \"%s\"?", near))
    ), call = call)
  }
  invisible(x)
}

check_daybook <- function(book, call = caller_env()) {
  if (!inherits(book, "hinterfeld_daybook")) {
    stop_because("argument", c(
      "`book` must be a daybook.",
      i = sprintf("It is %s.", describe(book)),
      i = "Make one with `daybook()`."
    ), call = call)
  }
}

check_table <- function(x, name, call = caller_env()) {
  if (!is.data.frame(x)) {
    stop_because("argument", c(
      sprintf("`%s` must be a table (a data frame or tibble).", name),
      i = sprintf("It is %s.", describe(x))
    ), call = call)
  }
}

# "a number", "3 texts", "a function": what a value is, in words.
describe <- function(x) {
  if (is.null(x)) {
    return("empty (NULL)")
  }
  ours <- grep("^hinterfeld_", class(x), value = TRUE)
  if (length(ours)) {
    return(paste("a", sub("^totals$", "totals table", sub("hinterfeld_", "", ours[1]))))
  }
  kind <- if (is.function(x)) "function" else if (is.data.frame(x)) "table" else type_of(x)
  if (kind %in% c("function", "table") || length(x) == 1) paste("a", kind) else count_of(length(x), kind)
}

# The kind of a column, in the words of the documentation.
type_of <- function(x) {
  if (inherits(x, "POSIXct")) {
    "date-time"
  } else if (inherits(x, "Date")) {
    "date"
  } else if (is.character(x) || is.factor(x)) {
    "text"
  } else if (is.logical(x)) {
    "logical"
  } else if (is.numeric(x)) {
    "number"
  } else {
    class(x)[1]
  }
}
