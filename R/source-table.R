#' Read a table: text, Parquet, a workbook's sheet, or a database
#'
#' Reads one file, several files, or all files in a folder or matching a pattern, as one table. Delimited text is comma,
#' semicolon, tab or pipe separated, plain or gzip, in UTF-8 with or without a byte order mark. A column is read as
#' numbers, dates or date-times only if every value in it, in every file, can be read as one; otherwise it stays text,
#' so that no value silently turns blank. Text keeps its case and outer spaces. Digits that identify something stay
#' text: those with leading zeros, those of more than 15 digits, which cannot be stored exactly as numbers, and columns
#' in which two different texts are the same number, such as `1.10` and `1.1`. Times with an offset from UTC also stay
#' text, because the day as written is the one that counts. Parquet files, workbooks and databases have their own column
#' types, which are kept. For databases see [load_table.DBIConnection()].
#'
#' @param path Text: paths of one or more files, addresses (`"https://..."`, fetched whole), a folder, or a pattern such
#'   as `"sales/*.csv"`; `"sales/**"` is all tables of a folder and of the folders in it. Or a connection to a database.
#'   The file extension shows the kind: `.parquet`, `.xlsx` or `.xls`; anything else is text. Files in a folder or
#'   matching a pattern are read in order of name.
#' @param columns Columns to read, bare or as strings, for example `c(day, product, revenue)`. By default, all columns.
#'   Other columns are neither typed nor kept.
#' @param ... Not used; the options below must be named.
#' @param delimiter Text: `","`, `";"`, `"\t"` or `"|"`. By default found in the heading.
#' @param decimal_mark Text: `"."` or `","`. The other mark is then read as a thousands separator where it groups digits
#'   in threes. If `decimal_mark` is omitted, numbers have a decimal point and no thousands separator, and where `types`
#'   asks for a number, a value that could be read in two ways is an error.
#' @param types Named text: the type of a column where the default will not do, one of `"text"`,
#'   `"number"`, `"date"`, `"datetime"` or `"logical"` (a column is one if all of its values are TRUE or FALSE, in any
#'   case; asked for, also T, F, 1 and 0), for example `c(account = "text")`. A value
#'   that does not fit is an error.
#' @param blank Text: values to read as missing, in addition to empty ones; for example `"NA"`.
#' @param encoding Text: the file's encoding, as in [iconvlist()]. UTF-16 with a byte order mark is detected
#'   automatically.
#' @param sheet Text or whole number: the sheet of a workbook, by default the first.
#' @param range Text: the cells of a sheet, for example `"B3:F90"`, the first row being the heading.
#' @return A tibble that records its files, so that [set_aside()] and [lines_behind()] can give the file and row of each
#'   line. A file with only a heading gives no rows, and a message says so.
#' @section Several files: All files must have the same columns, in any order. A file that lacks a column or has an
#'   extra one is refused, and the error names it, unless `columns` says which columns are wanted.
#' @section Nothing lost: The records of a text file are counted before they are read, and the number read must agree. A
#'   quote that swallows lines, a row with too many or too few fields, a last line that was cut off, or a gzip file with
#'   the wrong length or checksum is an error that names the line. Row numbers count all lines in the file, including
#'   empty ones. It is an error if a file changes while it is being read. A Parquet file is read by a copy of this
#'   process (on Linux), which damaged bytes may end, and is held against what it says of itself: rows, missing values,
#'   smallest and largest numbers, and the checksums of its pages. Files written by [deliver()] have a checksum of all
#'   their values. A value that is damaged in a file whose writer noted none of these may not be noticed.
#' @section Addresses: The file of an address is fetched whole (package `curl`) into a temporary file, within
#'   `options(timeout = )` seconds, at least an hour, and up to `options(hinterfeld.unpacked_limit = 8e9)` bytes.
#'   Messages, errors and records show an address without its user, password and query, and call the file by the end of
#'   its path.
#' @section Errors: `hinterfeld_error_file` for an address that cannot be fetched, and for a file that is missing,
#'   empty, not a regular file, changed while being read, or damaged: a gzip file that was cut off or unpacks to more
#'   than `options(hinterfeld.unpacked_limit = 8e9)` bytes, a Parquet file or workbook that cannot be opened,
#'   `hinterfeld_error_encoding` for an unknown encoding or text that is not in it, `hinterfeld_error_type` for a value
#'   that does not fit its type, `hinterfeld_error_shape` for malformed quotes, headings and rows,
#'   `hinterfeld_error_column` for unknown columns.
#' @export
#' @examples
#' load_table(demo_files()[["products"]], types = c(unit_cost = "number"))
#' load_table(demo_files()[["orders"]], columns = c(order_id, order_day))
load_table <- function(path, ...) {
  UseMethod("load_table")
}

#' @rdname load_table
#' @export
load_table.default <- function(path, columns = NULL, ..., delimiter = NULL, decimal_mark = c(".", ","), types = NULL,
                               blank = character(), encoding = "UTF-8", sheet = NULL, range = NULL) {
  rlang::check_dots_empty()
  options <- checked_options(delimiter, decimal_mark, types, blank, encoding, sheet, range)
  columns <- enquo(columns)
  call <- rlang::current_env()
  with_open_sources({
    source <- open_files(path, columns, options, call, scan_whole)
    on.exit(close_source(source))
    outer_table(read_source(source, call))
  })
}

# The options that were given, checked.
checked_options <- function(delimiter = NULL, decimal_mark = c(".", ","), types = NULL, blank = character(),
                            encoding = "UTF-8", sheet = NULL, range = NULL, call = caller_env()) {
  mark <- if (length(decimal_mark) == 1) check_choice(decimal_mark, "decimal_mark", c(".", ","), call = call)
  check_choice(delimiter, "delimiter", delimiters, none = TRUE, call = call)
  check_types(types, call)
  Filter(Negate(is.null), list(
    delimiter = delimiter, decimal_mark = mark, types = types, blank = if (length(blank)) blank,
    encoding = if (!identical(encoding, "UTF-8")) encoding, sheet = sheet, range = range
  ))
}

# Sources ------------------------------------------------------------------------------------------------------

# Files looked at: their kind, options, parts, the columns wanted and how each is read.
open_files <- function(path, columns, options, call = caller_env(), scan = scan_parts) {
  files <- source_files(path, call)
  kind <- kind_of_files(files, options, call)
  wanted <- asked_columns(columns, function() kind$names(files[1], options, call), call)
  scans <- list()
  done <- FALSE
  on.exit(if (!done) close_source(list(scans = scans)))
  for (file in files) {
    scanned <- scan(kind, file, options, call, wanted)
    # What was unpacked for the scan is unpacked again to be read, where it would not be the only one.
    if (length(files) > 1 && !is.null(scanned$text$temporary)) {
      remove_temporary(scanned$text$temporary)
      scanned["text"] <- list(NULL)
    }
    scans <- c(scans, list(scanned))
  }
  say_open_ends(files[vapply(scans, function(scan) isFALSE(scan$line_end), NA)])
  shown <- shown_files(files, path)
  names <- agreed_columns(scans, wanted, call)
  check_type_names(options$types, scans[[1]]$names, shown, call)
  options$types <- options$types[names(options$types) %in% names]
  done <- TRUE
  list(kind = kind, files = files, labels = file_labels(files), shown = shown, options = options, scans = scans,
       names = names,
       rows = vapply(scans, function(scan) scan$rows, 0), plan = kind$plan(scans, names, options))
}

# Files that are read once as a whole, or in chunks, perhaps again.
scan_whole <- function(kind, ...) {
  (kind$whole %||% kind$scan)(...)
}

scan_parts <- function(kind, ...) {
  kind$scan(...)
}

# A last line without its end may be half of one.
say_open_ends <- function(files) {
  if (length(files)) {
    say("no_line_end", sprintf("The last line of %s has no line end.", examples_of(file_labels(files))),
        i = "Check that the file is complete and no longer being written.")
  }
}

close_source <- function(source) {
  if (!is.null(source$close)) source$close()
  remove_temporary(unlist(lapply(source$scans, function(scan) scan$text$temporary)))
}

# The columns that are asked for; NULL for all.
asked_columns <- function(columns, known, call) {
  if (!rlang::quo_is_null(columns)) pick_columns(columns, known(), "columns", call)
}

# These, or all, which every part must have.
agreed_columns <- function(scans, wanted, call) {
  first <- scans[[1]]$names
  for (scan in scans[-1]) {
    missing <- setdiff(wanted %||% first, scan$names)
    extra <- if (is.null(wanted)) setdiff(scan$names, first)
    if (length(missing) || length(extra)) {
      stop_because("shape",
                   sprintf("%s and %s have different columns.", shown_file(scans[[1]]$path), shown_file(scan$path)),
                   x = if (length(missing)) sprintf("%s lacks %s.", shown_file(scan$path), columns_named(missing)),
                   x = if (length(extra)) sprintf("%s also has %s.", shown_file(scan$path), columns_named(extra)),
                   i = "Correct the files, or name the columns you want: `columns = c(day, product, revenue)`.",
                   call = call)
    }
  }
  wanted %||% first
}

# A source as one table.
read_source <- function(source, call = caller_env()) {
  columns <- NULL
  whole <- NULL
  at <- 0
  for (scan in source$scans) {
    source$kind$chunks(scan, source$plan, source$options, call = call, take = function(chunk) {
      if (length(chunk[[1]]) == sum(source$rows)) {
        whole <<- chunk
        return()
      }
      if (is.null(columns)) columns <<- new_columns(lapply(chunk, `[`, 0L), sum(source$rows))
      add_chunk(columns, chunk, at)
      at <<- at + length(chunk[[1]])
    })
  }
  if (!is.null(whole)) {
    return(as_lines(lapply(whole, function(x) if (is.character(x)) text_codes(x) else x), source, call))
  }
  if (is.null(columns)) {
    say("no_rows", sprintf("%s has a heading and no rows.", source$shown))
    columns <- new_columns(lapply(stats::setNames(nm = source$names), function(name) character()), 0)
  }
  as_lines(finished_columns(columns), source, call)
}

# Columns as a table that knows where it came from; what its texts represent is told by all of them.
as_lines <- function(columns, source, call) {
  places <- new_places(source$labels, source$rows, empty = lapply(source$scans, function(scan) scan$empty))
  typed <- lapply(stats::setNames(nm = names(columns)), function(name) {
    x <- columns[[name]]
    if (is.list(x)) open_column(coded_as_text(x, source$options$blank), name, source, places, call) else x
  })
  table <- inner_table(typed, as.integer(sum(source$rows)))
  set_origin(table, places, new_trail("read", source$shown, 0, nrow(table)), text_marks(typed, source))
}

# The decimal mark of each column that stayed text, where one was given.
text_marks <- function(columns, source) {
  texts <- names(columns)[vapply(columns, is.character, NA)]
  mark <- source$options$decimal_mark
  if (!is.null(mark)) stats::setNames(rep(mark, length(texts)), texts)
}

open_column <- function(x, name, source, places, call) {
  if (source$plan[[name]] != "open") {
    return(x)
  }
  asked <- if (name %in% names(source$options$types)) source$options$types[[name]]
  coded <- lazy_parts_kernel(x)
  typed <- typed_texts(coded$labels, name, asked, source$options$decimal_mark, source$shown, call)
  if (length(typed$bad)) {
    rows <- which(coded$codes %in% typed$bad)
    stop_misfits(x, rows, name, asked, source, places, call)
  }
  if (is.null(typed$values)) x else typed$values[coded$codes]
}

stop_misfits <- function(x, rows, name, asked, source, places, call) {
  first <- utils::head(rows, 3)
  place <- line_places(first, list(places = places))
  stop_because("type",
               sprintf("Column `%s` of %s should be %s, but %s not.", name, source$shown, asked,
                       if (length(rows) == 1) "1 value is" else paste(group_digits(length(rows)), "values are")),
               x = sprintf("Row %d%s holds \"%s\".", place$row,
                           if (length(source$files) > 1) paste(" of", place$file) else "", x[first]),
               i = "Mend the values, or read the column as \"text\".", rows = rows, call = call)
}

# The names of a source's columns, from its first part's heading alone.
source_columns <- function(path, ..., call = caller_env()) {
  file <- source_files(path, call)[1]
  options <- list(...)
  kind_of_files(file, options, call)$names(file, options, call)
}
