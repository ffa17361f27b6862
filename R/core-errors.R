# Errors and messages: what is wrong, where, and what to do.

# `...` are the sentences: the problem, `x` for more of it, `i` for what to do (`NULL` where there is nothing to say).
# Whatever has another name becomes a field of the condition, for programs that catch it.
stop_because <- function(kind, ..., call = caller_env()) {
  parts <- sentences_and_fields(...)
  rlang::inject(abort(parts$message, class = c(paste0("hinterfeld_error_", kind), "hinterfeld_error"), !!!parts$fields,
                      call = call))
}

# Names of files and columns are others' text, and may hold what no terminal should be sent.
sentences_and_fields <- function(...) {
  parts <- list(...)
  spoken <- rlang::names2(parts) %in% c("", "x", "i")
  message <- do.call(c, parts[spoken])
  message[] <- printable(gsub("\r", "\ufffd", message, fixed = TRUE))
  list(message = message, fields = parts[!spoken])
}

# What the reader types for a function or an argument of R, where that is something else: by what R types, for example
# `keep_lines()`, `every` or `on_bad = "set_aside"`. In a brief it is a key with its value, on a command line an option.
own_words <- new.env(parent = emptyenv())

with_own_words <- function(words, code) {
  former <- own_words$typed
  on.exit(own_words$typed <- former)
  own_words$typed <- words
  code
}

as_typed <- function(code) {
  words <- own_words$typed
  name <- sub(" = .*$", "", code)
  if (code %in% names(words)) {
    words[[code]]
  } else if (name %in% names(words)) {
    paste(words[[name]], gsub("c\\(|[\" )]", "", sub("^.* = ", "", code)))
  } else if (is.null(words)) {
    sprintf("`%s`", code)
  } else {
    sprintf("`%s`%s", typed_in_brief(code), if (identical(words, brief_words)) "" else " in a brief")
  }
}

# What has another name in a brief than in R.
brief_words <- c(
  `set_aside()` = "`hinterfeld set-aside`", `audit()` = "`run.json`", `keep_lines()` = "`keep`",
  `leave_out()` = "`leave_out`", `add_running_total()` = "`running_total`", lines = "`lines`", attach = "`attach`"
)

# How a column is read as another type.
typed_type <- function(column, type) {
  as_typed(sprintf("load_table(path, types = c(%s = \"%s\"))", column, type))
}

# `load_table(path, types = c(x = "number"))` as `types: {x: number}`, `add_rank()` as `rank`.
typed_in_brief <- function(code) {
  expr <- tryCatch(str2lang(code), error = function(cnd) NULL)
  value <- function(x) {
    if (is.character(x) && !grepl("^[[:alpha:]_][[:alnum:]_ -]*$", x)) {
      sprintf("\"%s\"", gsub("([\"\\\\])", "\\\\\\1", x))
    } else if (rlang::is_call(x, c("c", "list")) && length(x) > 1) {
      held <- entries(as.list(x)[-1])
      sprintf(if (rlang::is_named(as.list(x)[-1])) "{%s}" else "[%s]", held)
    } else if (is.call(x)) {
      sprintf("{%s}", entries(stats::setNames(as.list(x)[-1], c(as.character(x[[1]]), names(x)[-(1:2)]))))
    } else {
      as.character(x)
    }
  }
  entries <- function(args) {
    texts <- vapply(args, value, "")
    paste(ifelse(nzchar(rlang::names2(args)), paste0(rlang::names2(args), ": ", texts), texts), collapse = ", ")
  }
  if (rlang::is_call(expr, "=")) {
    entries(stats::setNames(list(expr[[3]]), as.character(expr[[2]])))
  } else if (rlang::is_call(expr, c("load_table", "daybook", "totals")) && length(expr) > 1) {
    named <- as.list(expr)[nzchar(rlang::names2(as.list(expr)))]
    entries(named)
  } else if (is.call(expr) && length(expr) > 1) {
    value(expr)
  } else if (is.call(expr)) {
    sub("^add_", "", as.character(expr[[1]]))
  } else {
    code
  }
}

# Control characters move a terminal's cursor, change its colours or answer for its user, and no XML may hold them;
# marks of direction let a text read as another one; a byte order mark or a space without width is not seen at all. They
# show as what they are, a character that cannot be shown.
unprintable <- paste0("[\\x01-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f\\x{80}-\\x{9f}\\x{200b}\\x{202a}-\\x{202e}",
                      "\\x{2066}-\\x{2069}\\x{feff}]")

printable <- function(text) {
  gsub(unprintable, "\ufffd", enc2utf8(text), perl = TRUE)
}

say <- function(kind, ...) {
  parts <- sentences_and_fields(...)
  rlang::inject(rlang::inform(parts$message, class = c(paste0("hinterfeld_message_", kind), "hinterfeld_message"),
                              !!!parts$fields))
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
