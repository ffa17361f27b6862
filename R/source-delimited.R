# Delimited text: counted and looked at by the compiled scan, all of it; then read stretch by stretch, each held
# against the count: text and days are coded from their bytes, numbers are read by a fast reader of plain lines.

delimiters <- c(",", ";", "\t", "|")

# What a file holds, checked, before a value of it is read. Of columns that are not wanted no type is told.
scan_delimited <- function(path, options, call = caller_env(), wanted = NULL) {
  stamp <- file_stamps(path)
  text <- plain_text_file(path, options$encoding %||% "UTF-8", call)
  delimiter <- options$delimiter %||% find_delimiter(heading_text(first_bytes(text$path, longest_heading), path, call))
  scan <- text_stretches_kernel(path.expand(text$path), delimiter, options$decimal_mark %||% ".", wanted,
                                 getOption("hinterfeld.block", block_size), threads_wanted())
  if (scan$odd$line > 0) stop_odd_byte(scan$odd, path, call)
  check_names(scan$heading, path, delimiter, call)
  check_records(scan, path, delimiter, call)
  list(path = path, text = text, stamp = stamp, delimiter = delimiter, names = scan$heading,
       rows = scan$records - 1, line_end = scan$line_end, empty = scan$empty, profile = scan$columns,
       stretches = scan$stretches)
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

# `take` is given some stretches of the file at a time, as a list of columns: numbers, days as dates, and text.
chunks_delimited <- function(scan, kinds, options, take, call = caller_env()) {
  text <- scan$text %||% plain_text_file(scan$path, options$encoding %||% "UTF-8", call)
  on.exit(unlink(text$temporary))
  places <- match(names(kinds), scan$names)
  plain <- kinds == "number"
  numbers <- names(kinds)[plain][order(places[plain])]
  stretches <- scan$stretches
  for (of in split(seq_along(stretches$offset), (seq_along(stretches$offset) - 1) %/% threads_wanted())) {
    passed <- read_stretches_kernel(path.expand(text$path), stretches$offset[of], stretches$bytes[of],
                                    stretches$records[of], scan$delimiter, length(scan$names), places[!plain],
                                    sort(places[plain]))
    read <- if (!is.null(passed) && any(plain)) read_lines(passed$lines, numbers, options$decimal_mark %||% ".")
    rows <- sum(stretches$records[of])
    if (is.null(passed) || is.character(read) || any(lengths(read) != rows)) {
      check_unchanged(scan$path, scan$stamp, call)
      taken <- if (length(read)) min(lengths(read)) else 0
      counts <- sprintf("%s were counted, %s read.", count_of(rows, "row"), group_digits(taken))
      stop_because("shape", sprintf("%s no longer matches the count made before reading.", basename(scan$path)),
                   x = if (is.character(read)) read else counts,
                   i = "Read it again when nothing is writing to it.", call = call)
    }
    texts <- stats::setNames(passed$texts, names(kinds)[!plain])
    days <- names(kinds)[kinds == "day"]
    texts[days] <- lapply(texts[days], days_of_texts)
    take(c(texts, read)[names(kinds)])
  }
  check_unchanged(scan$path, scan$stamp, call)
}

# Days become dates once for each that there is.
days_of_texts <- function(x) {
  coded <- text_codes(x)
  plain_days(iso_days(coded$labels)[coded$codes])
}

# Numbers of some lines by the fast reader, which has nothing to guess: no quotes, no heading, every type told. Its
# complaint as a text where it has one.
read_lines <- function(lines, names, mark) {
  warned <- NULL
  # It is let come to its end: a reader that is left in the middle says so in the next file.
  columns <- tryCatch(withCallingHandlers(
    data.table::fread(
      text = lines, sep = "|", quote = "", dec = mark, header = FALSE, fill = FALSE, select = seq_along(names),
      colClasses = list(double = seq_along(names)), na.strings = NULL, strip.white = FALSE,
      blank.lines.skip = FALSE, integer64 = "character", logical01 = FALSE, showProgress = FALSE, data.table = FALSE,
      nThread = threads_wanted()
    ),
    warning = function(cnd) {
      if (!grepl("Previous fread", conditionMessage(cnd), fixed = TRUE)) warned <<- conditionMessage(cnd)
      invokeRestart("muffleWarning")
    }
  ), error = conditionMessage)
  if (is.character(columns) || !is.null(warned)) {
    return(warned %||% columns)
  }
  stats::setNames(as.list(columns), names)
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
                 sprintf("The heading of %s is longer than %s bytes.", basename(path), group_digits(longest_heading)),
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
    if (length(start) == longest_heading && length(ends)) start <- utils::head(start, max(ends))
    text <- iconv(list(start), encoding, "UTF-8", toRaw = TRUE)[[1]]
    if (is.null(text)) stop_not_encoded(start, ends, 0, path, encoding, call)
    start <- text
  }
  delimiter <- options$delimiter %||% find_delimiter(heading_text(start, path, call))
  first_names_kernel(start, delimiter)
}

check_names <- function(names, path, delimiter, call) {
  # `...` and `..1` mean something else in R, so they cannot be columns.
  dots <- grep("^[.][.]([.]|[0-9]+)$", names, value = TRUE)
  wrong <- unique(c(if (any(names %in% c("", NA))) "a column without a name",
                    sprintf("\"%s\"", c(dots, names[duplicated(names)]))))
  if (length(wrong)) {
    stop_because("shape", sprintf("The heading of %s must give every column a name of its own.", basename(path)),
                 x = sprintf("It has %s.", examples_of(wrong, quote = "")),
                 i = "Mend the heading.",
                 i = if (!is.null(delimiter)) sprintf("Or give another `delimiter` than \"%s\".", delimiter),
                 call = call)
  }
}
