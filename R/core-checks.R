# Checks of arguments, and what a value is in words.

check_text <- function(x, name, none = FALSE, call = caller_env()) {
  if (none && is.null(x)) {
    return(invisible())
  }
  if (!is.character(x) || length(x) != 1 || is.na(x)) {
    stop_because("argument", c(
      sprintf("`%s` must be a single text.", name),
      i = sprintf("It is %s.", describe(x))
    ), call = call)
  }
}

check_flag <- function(x, name, call = caller_env()) {
  if (!rlang::is_bool(x)) {
    stop_because("argument", c(sprintf("`%s` must be TRUE or FALSE.", name), i = sprintf("It is %s.", describe(x))),
                 call = call)
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
    class <- sub("hinterfeld_", "", ours[1])
    named <- c(totals = "totals table", words = "set of sentences", listing = "table", code = "piece of code")
    if (class %in% names(named)) class <- named[[class]]
    return(paste(if (grepl("^[aeiou]", class)) "an" else "a", gsub("_", " ", class, fixed = TRUE)))
  }
  kind <- if (is.function(x)) "function" else if (is.data.frame(x)) "table" else type_of(x)
  if (kind %in% c("function", "table") || length(x) == 1) {
    return(paste("a", kind))
  }
  if (is.list(x)) {
    return(paste("a list of", count_of(length(x), "element")))
  }
  noun <- c(number = "number", text = "text value", date = "date", `date-time` = "date-time", logical = "logical value")
  paste("a vector of", count_of(length(x), if (kind %in% names(noun)) noun[[kind]] else paste(kind, "value")))
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
