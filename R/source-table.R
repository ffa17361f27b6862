#' Read a table from a delimited text file
#'
#' Reads comma, semicolon, tab or pipe separated text, plain or gzip, in UTF-8 with or without a
#' byte order mark. A column is a number, a date or a date-time only when every value in it reads
#' as one; otherwise it stays text, so that nothing turns blank unseen. Text keeps its case and
#' outer spaces.
#'
#' @param path Text: path of the file.
#' @param ... Not used; the options below must be named.
#' @param delimiter Text: `","`, `";"`, `"\t"` or `"|"`. By default found in the heading.
#' @param decimal_mark Text: `"."` or `","`.
#' @param types Named text: the type of a column where the default will not do, one of `"text"`,
#'   `"number"`, `"date"`, `"datetime"` or `"logical"`, for example `c(account = "text")`. A value
#'   that does not fit is an error.
#' @param blank Text: what stands for a missing value besides nothing at all, for example `"NA"`.
#' @param encoding Text: the file's encoding, as in [iconvlist()].
#' @return A tibble that remembers its file. A file with only a heading gives no rows, and a
#'   message says so.
#' @section Errors: `hinterfeld_error_file` for a missing or empty file,
#'   `hinterfeld_error_encoding` for text that is not in `encoding`, `hinterfeld_error_type` for a
#'   value that does not fit its type, `hinterfeld_error_shape` for rows with too many or too few
#'   fields, `hinterfeld_error_column` for a type given to an unknown column.
#' @export
#' @examples
#' load_table(demo_files()[["products"]], types = c(unit_cost = "number"))
load_table <- function(path, ..., delimiter = NULL, decimal_mark = ".", types = NULL, blank = character(),
                       encoding = "UTF-8") {
  rlang::check_dots_empty()
  check_file(path)
  check_choice(decimal_mark, "decimal_mark", c(".", ","))
  check_choice(delimiter, "delimiter", delimiters, none = TRUE)
  check_types(types)
  locale <- readr::locale(
    decimal_mark = decimal_mark, grouping_mark = if (decimal_mark == ".") "," else ".", encoding = encoding
  )
  delimiter <- delimiter %||% find_delimiter(path)
  text <- read_as_text(path, delimiter, blank, locale)
  check_type_names(types, names(text), path)
  table <- text
  for (name in names(text)) {
    table[[name]] <- type_column(text[[name]], name, types[name], locale, path)
  }
  if (nrow(table) == 0) {
    say("no_rows", sprintf("%s has a heading and no rows.", basename(path)))
  }
  set_origin(table, path, new_trail("read", basename(path), 0, nrow(table)))
}

delimiters <- c(",", ";", "\t", "|")

check_file <- function(path, call = caller_env()) {
  check_text(path, "path", call = call)
  if (dir.exists(path)) {
    stop_because("file", c(sprintf("\"%s\" is a folder, not a file.", path), i = "Give one file."), call = call)
  }
  if (!file.exists(path)) {
    folder <- dirname(path)
    near <- nearest(basename(path), list.files(folder))
    stop_because("file", c(
      sprintf("There is no file \"%s\".", path),
      i = if (!dir.exists(folder)) "Its folder does not exist either.",
      if (length(near)) c(i = sprintf("The folder holds %s.", examples_of(near)))
    ), call = call)
  }
  if (file.size(path) == 0) {
    stop_because("file", c(
      sprintf("\"%s\" is empty.", path),
      i = "A table needs at least a line with the names of its columns."
    ), call = call)
  }
}

check_types <- function(types, call = caller_env()) {
  known <- c("text", "number", "date", "datetime", "logical")
  if (is.null(types)) {
    return(invisible())
  }
  if (!is.character(types) || !rlang::is_named(types) || !all(types %in% known)) {
    stop_because("argument", c(
      "`types` must name columns and their types.",
      x = if (is.character(types)) sprintf("It holds %s.", examples_of(setdiff(types, known))),
      i = sprintf("The types are %s, for example `c(account = \"text\")`.", examples_of(known))
    ), call = call)
  }
}

check_type_names <- function(types, known, path, call = caller_env()) {
  unknown <- setdiff(names(types), known)
  if (length(unknown)) {
    stop_because("column", c(
      sprintf("`types` names %s, which %s does not have.", columns_named(unknown), basename(path)),
      i = sprintf("Its columns are %s.", columns_named(known))
    ), call = call)
  }
}

# The delimiter that stands most often in the heading.
find_delimiter <- function(path) {
  heading <- gsub('"[^"]*"', "", readr::read_lines(path, n_max = 1, lazy = FALSE))
  heading <- iconv(heading, "UTF-8", "UTF-8", sub = "?")
  counts <- vapply(delimiters, function(mark) lengths(regmatches(heading, gregexpr(mark, heading, fixed = TRUE))), 0L)
  delimiters[which.max(counts)]
}

read_as_text <- function(path, delimiter, blank, locale, call = caller_env()) {
  text <- suppressWarnings(readr::read_delim(
    path, delim = delimiter, col_types = readr::cols(.default = readr::col_character()), na = c("", blank),
    locale = locale, trim_ws = FALSE, name_repair = "minimal", progress = FALSE, lazy = FALSE
  ))
  check_names(names(text), path, delimiter, call)
  check_shape(readr::problems(text), path, delimiter, call)
  attr(text, "problems") <- attr(text, "spec") <- NULL
  for (name in names(text)) {
    check_encoding(text[[name]], name, path, locale$encoding, call)
  }
  tibble::as_tibble(text)
}

check_names <- function(names, path, delimiter, call) {
  if (!all(validUTF8(names))) {
    stop_encoding("The heading", path, call)
  }
  wrong <- c(if (any(names %in% c("", NA))) "a column without a name", unique(names[duplicated(names)]))
  if (length(wrong)) {
    stop_because("shape", c(
      sprintf("The heading of %s needs one name of its own per column.", basename(path)),
      x = sprintf("It has %s.", examples_of(wrong, quote = if (wrong[1] %in% names) '"' else "")),
      i = sprintf("Mend the heading, or give another `delimiter` than \"%s\".", delimiter)
    ), call = call)
  }
}

check_shape <- function(problems, path, delimiter, call) {
  if (nrow(problems) == 0) {
    return(invisible())
  }
  first <- utils::head(problems, 3)
  stop_because("shape", c(
    sprintf("%s of %s cannot be split into the heading's columns.",
            count_of(length(unique(problems$row)), "row"), basename(path)),
    stats::setNames(sprintf("Line %d has %s where there should be %s.", first$row, first$actual, first$expected),
                    rep("x", nrow(first))),
    i = sprintf("Look at quotes and at fields that hold the delimiter \"%s\".", delimiter)
  ), call = call)
}

check_encoding <- function(x, name, path, encoding, call) {
  bad <- which(!validUTF8(x))
  if (length(bad)) {
    stop_encoding(sprintf("Column `%s`, row %d", name, bad[1]), path, call)
  }
}

stop_encoding <- function(where, path, call) {
  stop_because("encoding", c(
    sprintf("%s of %s is not UTF-8 text.", where, basename(path)),
    i = "Say how the file is encoded, for example `encoding = \"latin1\"` or `\"windows-1252\"`."
  ), call = call)
}

# A column as the type asked for, or as the type that every one of its values has.
type_column <- function(x, name, asked, locale, path, call = caller_env()) {
  trimmed <- trimws(x)
  if (is.null(asked) || is.na(asked)) {
    found <- if (all(is.na(x))) "character" else readr::guess_parser(trimmed, locale = locale, guess_integer = FALSE)
    return(switch(found,
      double = readr::parse_double(trimmed, locale = locale),
      date = if (all(grepl("^[0-9]{4}-", trimmed[!is.na(x)]))) readr::parse_date(trimmed, locale = locale) else x,
      datetime = readr::parse_datetime(trimmed, locale = locale),
      logical = if (all(toupper(trimmed) %in% c("TRUE", "FALSE", NA))) toupper(trimmed) == "TRUE" else x,
      x
    ))
  }
  typed <- suppressWarnings(switch(asked,
    text = return(x),
    number = readr::parse_double(gsub(locale$grouping_mark, "", trimmed, fixed = TRUE), locale = locale),
    date = readr::parse_date(trimmed, locale = locale),
    datetime = readr::parse_datetime(trimmed, locale = locale),
    logical = readr::parse_logical(trimmed)
  ))
  bad <- which(is.na(typed) & !is.na(x))
  if (length(bad)) {
    stop_because("type", c(
      sprintf("Column `%s` of %s should be %s, but %s not.", name, basename(path), asked,
              if (length(bad) == 1) "1 value is" else paste(group_digits(length(bad)), "values are")),
      x = sprintf("Row %d holds \"%s\".", utils::head(bad, 3), x[utils::head(bad, 3)]),
      i = "Mend the values, or read the column as \"text\"."
    ), rows = bad, call = call)
  }
  attr(typed, "problems") <- NULL
  typed
}

# The first row of a file, for its names.
read_heading <- function(path, delimiter = NULL, decimal_mark = ".", blank = character(), encoding = "UTF-8") {
  check_file(path)
  delimiter <- delimiter %||% find_delimiter(path)
  suppressWarnings(readr::read_delim(
    path, delim = delimiter, col_types = readr::cols(.default = readr::col_character()), n_max = 0,
    locale = readr::locale(encoding = encoding), name_repair = "minimal", progress = FALSE, lazy = FALSE
  ))
}
