# Delimited text: counted and looked at by the compiled scan, all of it; then read stretch by stretch, each held
# against the count. Text and days are coded from their bytes.

delimiters <- c(",", ";", "\t", "|")

# Values that are taken along are copied into place after each block, which is faster while the cache holds them. Blocks
# that are read later become chunks, and many small chunks are slow.
taken_block <- 4e6

# What a file holds, checked, before a value of it is used. Of columns that are not wanted no type is told. With `take`
# their values are taken along, for who needs all of them at once.
scan_delimited <- function(path, options, call = caller_env(), wanted = NULL, take = FALSE) {
  stamp <- file_stamps(path)
  text <- plain_text_file(path, options$encoding %||% "UTF-8", call)
  delimiter <- options$delimiter %||% find_delimiter(heading_text(first_bytes(text$path, longest_heading), path, call))
  scan <- text_stretches_kernel(path.expand(text$path), delimiter, options$decimal_mark %||% ".", wanted,
                                if (take) as.character(names(options$types)[!options$types %in% c("number", "date")]),
                                getOption("hinterfeld.block", if (take) taken_block else block_size), threads_wanted())
  if (scan$odd$line > 0) stop_odd_byte(scan$odd, path, call)
  check_names(scan$heading, path, delimiter, call)
  check_records(scan, path, delimiter, call)
  list(path = path, text = text, stamp = stamp, delimiter = delimiter, names = scan$heading,
       rows = scan$records - 1, line_end = scan$line_end, empty = scan$empty, profile = scan$columns,
       stretches = scan$stretches, taken = new_taken(scan$taken, scan$heading))
}

# Columns that were taken while a file was counted, held until somebody uses them.
new_taken <- function(columns, names) {
  if (length(columns)) rlang::env(columns = stats::setNames(columns, names))
}

# Those of them that are as the plan wants them; they are used once, and then given up.
use_taken <- function(taken, kinds) {
  columns <- taken$columns[names(kinds)]
  taken$columns <- NULL
  fits <- vapply(columns, kind_of_values, 0L) == kinds_of_values(kinds)
  if (length(columns)) columns[fits & lengths(columns) > 0]
}

# What a column is taken as: 1 text, 2 numbers, 3 days.
kinds_of_values <- function(kinds) {
  match(kinds, c("number", "day"), 0L) + 1L
}

kind_of_values <- function(x) {
  if (inherits(x, "Date")) 3L else if (is.numeric(x)) 2L else 1L
}

# How each column is read, told from all parts.
plan_delimited <- function(scans, names, options) {
  merged <- function(field, how) {
    Reduce(how, lapply(scans, function(scan) scan$profile[[field]][match(names, scan$names)]))
  }
  profile <- list(
    given = merged("given", `|`), words = merged("words", `|`), days = merged("days", `&`),
    numbers = merged("numbers", `&`),
    one_text = bitwAnd(merged("lengths", bitwOr), merged("shorter", bitwOr)) == 0
  )
  column_kinds(profile, names, options$types, options$blank)
}

# `take` is given the values of some stretches at a time, as a list of columns: numbers, days as dates, and text. Those
# that were taken while the file was counted are there already; otherwise it is read again.
chunks_delimited <- function(scan, kinds, options, take, call = caller_env()) {
  taken <- use_taken(scan$taken, kinds)
  read <- kinds[!names(kinds) %in% names(taken)]
  if (length(read) == 0) {
    if (scan$rows > 0) take(taken[names(kinds)])
    return(check_unchanged(scan$path, scan$stamp, call))
  }
  text <- scan$text %||% plain_text_file(scan$path, options$encoding %||% "UTF-8", call)
  on.exit(remove_temporary(text$temporary))
  stretches <- scan$stretches
  places <- match(names(read), scan$names)
  wanted <- replace(integer(length(scan$names)), places, kinds_of_values(read))
  at <- 0
  for (of in split(seq_along(stretches$offset), (seq_along(stretches$offset) - 1) %/% threads_wanted())) {
    values <- read_stretches_kernel(path.expand(text$path), stretches$offset[of], stretches$bytes[of],
                                    stretches$records[of], scan$delimiter, options$decimal_mark %||% ".", wanted)
    if (is.null(values)) {
      check_unchanged(scan$path, scan$stamp, call)
      stop_because("shape", sprintf("%s no longer matches the count made before reading.", shown_file(scan$path)),
                   i = "Read it again when nothing is writing to it.", call = call)
    }
    rows <- at + seq_len(sum(stretches$records[of]))
    at <- at + length(rows)
    take(c(stats::setNames(values[places], names(read)), lapply(taken, `[`, rows))[names(kinds)])
  }
  check_unchanged(scan$path, scan$stamp, call)
}

# The first line that is not empty; a file without line ends would make it as long as itself.
heading_text <- function(bytes, path, call = caller_env()) {
  bytes <- bytes[bytes != as.raw(0)]
  if (starts_with(bytes, c(0xef, 0xbb, 0xbf))) bytes <- bytes[-(1:3)]
  first <- grepRaw("[^\r\n]", bytes)
  if (length(first) && first > 1) bytes <- utils::tail(bytes, 1 - first)
  ends <- grepRaw("[\r\n]", bytes)
  if (length(ends) == 0 && length(bytes) >= longest_heading) {
    stop_because("shape",
                 sprintf("The heading of %s is longer than %s bytes.", shown_file(path), group_digits(longest_heading)),
                 i = "Is it a table of text with a line for each row?", call = call)
  }
  rawToChar(utils::head(bytes, if (length(ends)) ends[1] - 1 else length(bytes)))
}

longest_heading <- 65536L

# The delimiter that stands most often in the heading.
find_delimiter <- function(heading) {
  bare <- gsub('"[^"]*"', "", heading, useBytes = TRUE)
  counts <- vapply(delimiters, function(mark) {
    lengths(regmatches(bare, gregexpr(mark, bare, fixed = TRUE, useBytes = TRUE)))
  }, 0L)
  delimiters[which.max(counts)]
}

# The names of a file's columns, from its heading alone.
delimited_names <- function(path, options, call = caller_env()) {
  check_encoding_known(options$encoding %||% "UTF-8", call)
  con <- gzfile(path, "rb")
  on.exit(close(con))
  start <- readBin(con, "raw", longest_heading)
  encoding <- marked_encoding(start, options$encoding %||% "UTF-8")
  if (!toupper(encoding) %in% c("UTF-8", "UTF8")) {
    # What stands behind the last line end may be half a character.
    ends <- grepRaw("\n", start, fixed = TRUE, all = TRUE)
    if (grepl("^UTF-?16", encoding, ignore.case = TRUE)) ends <- wide_ends(start, ends, grepl("LE$", encoding))
    if (length(ends)) start <- utils::head(start, max(ends))
    text <- iconv(list(start), encoding, "UTF-8", toRaw = TRUE)[[1]]
    if (is.null(text)) stop_not_encoded(start, ends, 0, path, encoding, call)
    start <- text
  }
  if (any(start == 0)) stop_odd_byte(list(line = 1, byte = 0), path, call)
  delimiter <- options$delimiter %||% find_delimiter(heading_text(start, path, call))
  first_names_kernel(start, delimiter)
}

check_names <- function(names, path, delimiter, call) {
  # `...` and `..1` mean something else in R, so they cannot be columns.
  dots <- grep("^[.][.]([.]|[0-9]+)$", names, value = TRUE)
  wrong <- unique(c(if (any(names %in% c("", NA))) "a column without a name",
                    sprintf("\"%s\"", c(dots, names[duplicated(names)]))))
  if (length(wrong)) {
    stop_because("shape", sprintf("The heading of %s must give every column a name of its own.", shown_file(path)),
                 x = sprintf("It has %s.", examples_of(wrong, quote = "")),
                 i = "Mend the heading.",
                 i = if (!is.null(delimiter)) sprintf("Or give another `delimiter` than \"%s\".", delimiter),
                 call = call)
  }
}
