#' Read a table from a delimited text file
#'
#' Reads comma, semicolon, tab or pipe separated text, plain or gzip, in UTF-8 with or without a
#' byte order mark. A column is a number, a date or a date-time only when every value in it reads
#' as one; otherwise it stays text, so that nothing turns blank unseen. Text keeps its case and
#' outer spaces. Digits that name something stay text: those with leading zeros, those of more than
#' 15 digits, which no number holds exactly, and columns in which two texts are one number, such as
#' `1.10` and `1.1`. So do times with an offset from UTC, for the day that was written counts.
#'
#' @param path Text: path of the file.
#' @param ... Not used; the options below must be named.
#' @param delimiter Text: `","`, `";"`, `"\t"` or `"|"`. By default found in the heading.
#' @param decimal_mark Text: `"."` or `","`. The other one then stands between thousands, where it
#'   groups digits by three. When not given, numbers have a decimal point and no mark between
#'   thousands, and a number that could be read in two ways is an error where `types` asks for one.
#' @param types Named text: the type of a column where the default will not do, one of `"text"`,
#'   `"number"`, `"date"`, `"datetime"` or `"logical"`, for example `c(account = "text")`. A value
#'   that does not fit is an error.
#' @param blank Text: what stands for a missing value besides nothing at all, for example `"NA"`.
#' @param encoding Text: the file's encoding, as in [iconvlist()]. UTF-16 with a byte order mark is known by itself.
#' @return A tibble that remembers its file. A file with only a heading gives no rows, and a
#'   message says so.
#' @section Nothing lost: The records of the file are counted before they are read, and what was read must agree: a
#'   quote that swallows lines, a row with too many or too few fields, a last line that was cut off, or a gzip file
#'   whose length or checksum does not fit is an error that names the line. Rows are counted as they stand in the file,
#'   empty lines included.
#' @section Errors: `hinterfeld_error_file` for a file that is missing, empty, no regular file, or a gzip file that was
#'   cut, is damaged, or unpacks to more than `options(hinterfeld.unpacked_limit = 8e9)` bytes,
#'   `hinterfeld_error_encoding` for an unknown encoding or text that is not in it, `hinterfeld_error_type` for a
#'   value that does not fit its type, `hinterfeld_error_shape` for quotes, headings and rows that are not as they
#'   should be, `hinterfeld_error_column` for a type given to an unknown column.
#' @export
#' @examples
#' load_table(demo_files()[["products"]], types = c(unit_cost = "number"))
load_table <- function(path, ..., delimiter = NULL, decimal_mark = c(".", ","), types = NULL, blank = character(),
                       encoding = "UTF-8") {
  rlang::check_dots_empty()
  check_file(path)
  mark <- if (length(decimal_mark) == 1) check_choice(decimal_mark, "decimal_mark", c(".", ","))
  check_choice(delimiter, "delimiter", delimiters, none = TRUE)
  check_types(types)
  source <- text_source(path, encoding)
  on.exit(unlink(source$temporary))
  heading <- heading_text(source$bytes, path)
  delimiter <- delimiter %||% find_delimiter(heading)
  if (delimiter == "\t") source <- with_rows_of_tabs(source)
  counted <- records_kernel(source$bytes, delimiter, threads_wanted())
  check_records(counted, path, delimiter, rlang::current_env())
  text <- read_as_text(source$path, counted$records - 1, path, delimiter, blank)
  check_type_names(types, names(text), path)
  table <- text
  for (name in names(text)) {
    table[[name]] <- type_column(text[[name]], name, if (name %in% names(types)) types[[name]], mark, path,
                                 counted$empty)
  }
  if (nrow(table) == 0) {
    say("no_rows", sprintf("%s has a heading and no rows.", basename(path)))
  }
  texts <- names(table)[vapply(table, is.character, NA)]
  marks <- if (!is.null(mark)) stats::setNames(rep(mark, length(texts)), texts)
  set_origin(table, path, new_trail("read", basename(path), 0, nrow(table)), marks, empty = counted$empty)
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
  if (file_kind_kernel(path.expand(path)) == "other") {
    stop_because("file", c(
      sprintf("\"%s\" is no file that stands on a disk.", path),
      i = "Pipes and devices may never end: write what they give into a file first."
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

# The first line that is not empty; a file without line ends would make it as long as itself.
heading_text <- function(bytes, path, call = caller_env()) {
  first <- grepRaw("[^\r\n]", utils::head(bytes, longest_heading))
  if (length(first) && first > 1) bytes <- utils::tail(bytes, 1 - first)
  ends <- grepRaw("[\r\n]", utils::head(bytes, longest_heading))
  if (length(ends) == 0 && length(bytes) >= longest_heading) {
    stop_because("shape", c(
      sprintf("The heading of %s is longer than %s bytes.", basename(path), group_digits(longest_heading)),
      i = "Is it a table of text with a line for each row?"
    ), call = call)
  }
  text <- rawToChar(utils::head(bytes, if (length(ends)) ends[1] - 1 else length(bytes)))
  Encoding(text) <- "UTF-8"
  text
}

longest_heading <- 65536L

# The delimiter that stands most often in the heading.
find_delimiter <- function(heading) {
  bare <- gsub('"[^"]*"', "", heading)
  counts <- vapply(delimiters, function(mark) lengths(regmatches(bare, gregexpr(mark, bare, fixed = TRUE))), 0L)
  delimiters[which.max(counts)]
}

# Every column as text; `rows` is how many there are.
read_as_text <- function(file, rows, path, delimiter, blank, call = caller_env()) {
  text <- suppressWarnings(readr::read_delim(
    file, delim = delimiter, col_types = readr::cols(.default = readr::col_character()), na = c("", blank),
    trim_ws = FALSE, name_repair = "minimal", progress = FALSE, lazy = FALSE
  ))
  check_names(names(text), path, delimiter, call)
  if (nrow(text) != rows) {
    stop_because("shape", c(
      sprintf("%s holds %s, but %s could be read.", basename(path), count_of(rows, "row"), group_digits(nrow(text))),
      i = "Look for line ends of another kind, and for rows of nothing but spaces."
    ), call = call)
  }
  attr(text, "problems") <- attr(text, "spec") <- NULL
  tibble::as_tibble(text)
}

# A row of nothing but tabs is a row of blanks, which the reader would take for an empty line: two quotes hold its
# place.
with_rows_of_tabs <- function(source, call = caller_env()) {
  bytes <- source$bytes
  text <- rawToChar(bytes)
  at <- gregexpr("(?m)^[ \t]*\t[ \t]*\r?$", text, perl = TRUE, useBytes = TRUE)[[1]]
  quotes <- which(bytes == as.raw(0x22))
  # Inside quotes it is part of a text.
  at <- at[at > 0 & findInterval(at, quotes) %% 2 == 0]
  if (length(at) == 0) {
    return(source)
  }
  parts <- substring(text, c(1, at), c(at - 1, nchar(text, "bytes")))
  marked <- charToRaw(paste(parts, collapse = "\"\""))
  path <- temporary_text(marked, source$path, call)
  unlink(source$temporary)
  list(bytes = marked, path = path, temporary = path)
}

check_names <- function(names, path, delimiter, call) {
  # What dots and numbers stand for in R is no column.
  dots <- grep("^[.][.]([.]|[0-9]+)$", names, value = TRUE)
  wrong <- unique(c(if (any(names %in% c("", NA))) "a column without a name",
                    sprintf("\"%s\"", c(dots, names[duplicated(names)]))))
  if (length(wrong)) {
    stop_because("shape", c(
      sprintf("The heading of %s needs one name of its own per column.", basename(path)),
      x = sprintf("It has %s.", examples_of(wrong, quote = "")),
      i = sprintf("Mend the heading, or give another `delimiter` than \"%s\".", delimiter)
    ), call = call)
  }
}

# A column as the type asked for, or as the type that every one of its values has.
type_column <- function(x, name, asked, mark, path, empty, call = caller_env()) {
  trimmed <- trimws(x)
  if (is.null(asked)) {
    return(found_type(x, replace(trimmed, trimmed %in% c("", "NA"), NA), name, mark, path))
  }
  if (asked == "number") check_one_reading(trimmed, name, mark, path, call)
  typed <- suppressWarnings(switch(asked,
    text = return(x),
    number = read_numbers(trimmed, mark %||% if (any(grepl(",", trimmed, fixed = TRUE))) "."),
    date = plain_days(iso_days(trimmed)),
    datetime = readr::parse_datetime(trimmed),
    logical = readr::parse_logical(trimmed)
  ))
  bad <- which(is.na(typed) & !is.na(x))
  if (length(bad)) {
    stop_because("type", c(
      sprintf("Column `%s` of %s should be %s, but %s not.", name, basename(path), asked,
              if (length(bad) == 1) "1 value is" else paste(group_digits(length(bad)), "values are")),
      x = sprintf("Row %d holds \"%s\".", file_rows(utils::head(bad, 3), empty), x[utils::head(bad, 3)]),
      i = "Mend the values, or read the column as \"text\"."
    ), rows = bad, call = call)
  }
  attr(typed, "problems") <- NULL
  typed
}

# Without a word on the decimal mark, 1,234 may be one number or another.
check_one_reading <- function(text, name, mark, path, call) {
  either <- if (is.null(mark)) ambiguous_numbers(text)
  if (length(either)) {
    stop_because("type", c(
      sprintf("Column `%s` of %s holds numbers that can be read in two ways.", name, basename(path)),
      x = paste0(two_readings(either[1]), "."),
      i = "Say which: `decimal_mark = \",\"` or `decimal_mark = \".\"`."
    ), call = call)
  }
}

iso_days <- function(text) {
  whole <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
  read_iso_days_kernel(replace(text, !whole, NA))
}

# `given` is the text without outer spaces, NA for blanks. Every value must fit, or the column stays as it was.
found_type <- function(x, given, name, mark, path) {
  known <- unique(given[!is.na(given)])
  at <- function(values) values[match(given, known)]
  if (length(known) == 0) {
    return(x)
  }
  if (all(toupper(known) %in% c("TRUE", "FALSE"))) {
    return(at(toupper(known) == "TRUE"))
  }
  if (!anyNA(days <- iso_days(known))) {
    return(plain_days(at(days)))
  }
  if (all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?Z?$", known))) {
    times <- suppressWarnings(readr::parse_datetime(known))
    return(if (anyNA(times)) x else at(times))
  }
  numbers <- if (!any(names_something(known, mark))) read_numbers(known, mark)
  if (is.null(numbers) || anyNA(numbers)) {
    return(x)
  }
  same <- duplicated(numbers) | duplicated(numbers, fromLast = TRUE)
  if (any(same)) {
    pair <- known[numbers == numbers[same][1]]
    say("kept_text", c(sprintf("`%s` of %s holds %s, which are one number, and stays text.", name, basename(path),
                               examples_of(pair, 2)),
                       i = sprintf("Are they amounts? `types = c(%s = \"number\")` reads them as numbers.",
                                   name)), column = name)
    return(x)
  }
  at(numbers)
}

# Digits that a number would not give back: leading zeros, exponents of whole numbers, more than 15 digits.
names_something <- function(text, mark) {
  digits <- gsub("^0+", "", gsub("[^0-9]", "", sub("[eE].*$", "", text)))
  decimal <- if (identical(mark, ",")) "," else "."
  fraction <- grepl(decimal, text, fixed = TRUE)
  digits <- ifelse(fraction, sub("0+$", "", digits), digits)
  grepl("^[-+]?0[0-9]", text) | grepl("^[-+]?[0-9]+[eE][0-9]+$", text) | nchar(digits) > 15
}

# The first row of a file, for its names.
read_heading <- function(path, delimiter = NULL, decimal_mark = NULL, blank = character(), encoding = "UTF-8") {
  check_file(path)
  check_encoding_known(encoding, caller_env())
  con <- gzfile(path, "rb")
  on.exit(close(con))
  start <- readBin(con, "raw", longest_heading)
  # What stands behind the last line end may be half a character; in UTF-16 a line end has two bytes.
  ends <- which(start == as.raw(10L))
  if (length(start) == longest_heading &&
      length(ends)) start <- utils::head(start, max(ends) + max(ends) %% 2 * holds_utf16(start, encoding))
  heading <- heading_text(utf8_bytes(start, path, encoding, caller_env()), path)
  suppressWarnings(readr::read_delim(
    I(paste0(heading, "\n")), delim = delimiter %||% find_delimiter(heading),
    col_types = readr::cols(.default = readr::col_character()),
    name_repair = "minimal", progress = FALSE, lazy = FALSE
  ))
}
