# Checks of arguments, and what a value is in words.

# `holds` says whether `x` is what the argument `name` must be; `make` is how to have one.
check_made <- function(holds, x, name, must_be, make = NULL, call = caller_env()) {
  if (!holds) {
    stop_because("argument", sprintf("%s must be %s.", as_typed(name), must_be), i = sprintf("It is %s.", describe(x)),
                 i = make, call = call)
  }
}

# R takes the beginning of an argument's name for the name: `n` would be `name`, and its value a surprise.
check_whole_names <- function(frame) {
  at <- Position(function(other) identical(other, frame), sys.frames())
  if (is.na(at) || "..." %in% names(formals(sys.function(at)))) {
    return(invisible())
  }
  known <- names(formals(sys.function(at)))
  wrong <- setdiff(names(sys.call(at)), c(known, ""))
  if (length(wrong)) {
    stop_because("argument", sprintf("There is no argument `%s`.", wrong[1]),
                 i = sprintf("The arguments are %s.", columns_named(known)), i = did_you_mean(wrong[1], known),
                 call = frame)
  }
}

check_text <- function(x, name, none = FALSE, call = caller_env()) {
  check_made(none && is.null(x) || rlang::is_string(x), x, name, "a single text", call = call)
}

check_flag <- function(x, name, call = caller_env()) {
  check_made(rlang::is_bool(x), x, name, "TRUE or FALSE", call = call)
}

check_choice <- function(x, name, choices, none = FALSE, call = caller_env()) {
  check_text(x, name, none, call = call)
  if (!is.null(x) && !x %in% choices) {
    stop_because("argument", sprintf("%s cannot be \"%s\".", as_typed(name), x),
                 i = sprintf("Choose one of %s.", examples_of(choices, 20)), i = did_you_mean(x, choices, "\""),
                 call = call)
  }
  invisible(x)
}

check_whole_number <- function(x, name, least, most = Inf, none = FALSE, call = caller_env()) {
  sound <- none && is.null(x) || rlang::is_integerish(x, n = 1, finite = TRUE) && x >= least && x <= most
  range <- if (is.finite(most)) sprintf(" from %d to %d", least, most) else sprintf(", %d or more", least)
  check_made(sound, x, name, paste0("a whole number", range), call = call)
}

check_daybook <- function(book, call = caller_env()) {
  check_made(inherits(book, "hinterfeld_daybook"), book, "book", "a daybook", "Make one with `daybook()`.", call)
}

# `problem` tells, with %s, of the `names` that are not among the `columns`.
check_known <- function(names, columns, problem, ..., call = caller_env()) {
  unknown <- setdiff(names, columns)
  if (length(unknown)) {
    stop_because("column", sprintf(problem, columns_named(unknown)),
                 i = sprintf("The columns are %s.", columns_named(columns)), i = did_you_mean(unknown, columns), ...,
                 call = call)
  }
}

check_table <- function(x, name, call = caller_env()) {
  check_made(is.data.frame(x), x, name, "a table (a data frame or tibble)", call = call)
}

# "3.5", "a vector of 3 texts", "a function": what a value is, in words.
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
  if (length(x) == 1 && kind %in% c("number", "text", "logical", "date")) {
    return(if (is.na(x)) "missing (NA)" else switch(kind, number = number_text(x), text = quoted(x), format(x)))
  }
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
