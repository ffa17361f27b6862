# The bytes of a text file: unpacked, in UTF-8, and told where they are not what they should be.

# list(bytes =, path =, temporary =): the text in UTF-8 without a byte order mark, a file that holds it, and that file
# again when it is to be removed after use.
text_source <- function(path, encoding, call = caller_env()) {
  check_encoding_known(encoding, call)
  temporary <- NULL
  given <- readBin(path, "raw", file.size(path))
  bytes <- if (starts_with(given, c(0x1f, 0x8b))) unpacked(given, path, call) else given
  bytes <- utf8_bytes(bytes, path, encoding, call)
  check_text_bytes(bytes, path, call)
  if (!identical(bytes, given)) {
    path <- temporary <- temporary_text(bytes, path, call)
  }
  list(bytes = bytes, path = path, temporary = temporary)
}

temporary_text <- function(bytes, of, call) {
  path <- tempfile("text-", fileext = ".txt")
  written <- tryCatch(writeBin(bytes, path), error = identity)
  if (inherits(written, "error") || !identical(file.size(path), as.double(length(bytes)))) {
    unlink(path)
    stop_because("file", c(
      sprintf("%s could not be unpacked or converted: the folder for temporary files takes no more.", basename(of)),
      i = sprintf("Make room in \"%s\".", tempdir())
    ), call = call)
  }
  path
}

starts_with <- function(bytes, mark) {
  length(bytes) >= length(mark) && all(bytes[seq_along(mark)] == as.raw(mark))
}

# A small file may hold any amount of text.
unpacked <- function(bytes, path, call) {
  limit <- getOption("hinterfeld.unpacked_limit", 8e9)
  found <- gunzip_kernel(bytes, limit)
  if (nzchar(found$problem)) {
    stop_because("file", c(
      sprintf("\"%s\" cannot be unpacked.", basename(path)),
      x = switch(found$problem,
        cut = "It was cut short: its end is missing.",
        damaged = "It is damaged: its checksum does not fit its contents.",
        limit = sprintf("It holds more than %s bytes.", group_digits(limit))
      ),
      i = if (found$problem == "limit") {
        "Allow more with `options(hinterfeld.unpacked_limit = )`."
      } else {
        "Get the file again."
      }
    ), call = call)
  }
  found$bytes
}

check_encoding_known <- function(encoding, call) {
  check_text(encoding, "encoding", call = call)
  known <- tryCatch(is.character(iconv("", encoding, "UTF-8")), error = function(cnd) FALSE)
  if (!known) {
    near <- nearest(encoding, iconvlist())
    stop_because("encoding", c(
      sprintf("There is no encoding \"%s\".", encoding),
      i = if (length(near)) sprintf("Did you mean %s?", examples_of(near)) else "`iconvlist()` names all of them."
    ), call = call)
  }
}

utf8_bytes <- function(bytes, path, encoding, call) {
  if (starts_with(bytes, c(0xef, 0xbb, 0xbf))) {
    return(bytes[-(1:3)])
  }
  if (marked_utf16(bytes)) encoding <- "UTF-16"
  if (toupper(encoding) %in% c("UTF-8", "UTF8")) {
    return(bytes)
  }
  converted <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1]]
  if (is.null(converted)) stop_not_encoded(bytes, path, encoding, call)
  if (starts_with(converted, c(0xef, 0xbb, 0xbf))) converted[-(1:3)] else converted
}

# A byte order mark tells of UTF-16 by itself.
marked_utf16 <- function(bytes) {
  starts_with(bytes, c(0xff, 0xfe)) || starts_with(bytes, c(0xfe, 0xff))
}

holds_utf16 <- function(bytes, encoding) {
  marked_utf16(bytes) || grepl("^UTF-?16", encoding, ignore.case = TRUE)
}

# Which line cannot be converted: found by converting halves.
stop_not_encoded <- function(bytes, path, encoding, call) {
  ends <- which(bytes == as.raw(10L))
  good <- 0
  bad <- length(ends) + 1
  while (bad - good > 1) {
    middle <- (good + bad) %/% 2
    part <- utils::head(bytes, ends[middle])
    if (is.null(iconv(list(part), encoding, "UTF-8", toRaw = TRUE)[[1]])) bad <- middle else good <- middle
  }
  stop_because("encoding", c(
    sprintf("Line %s of %s is not text in %s.", group_digits(bad), basename(path), encoding),
    i = "Say how the file is encoded with `encoding`."
  ), call = call)
}

check_text_bytes <- function(bytes, path, call) {
  odd <- odd_byte_kernel(bytes)
  if (odd$line == 0) {
    return(invisible())
  }
  place <- sprintf("Line %s of %s", group_digits(odd$line), basename(path))
  if (odd$what == "nul") {
    stop_because("encoding", c(
      paste(place, "holds a NUL byte, which no text does."),
      i = "Is it text at all? For UTF-16 without a byte order mark: `encoding = \"UTF-16LE\"`."
    ), call = call)
  }
  stop_because("encoding", c(
    sprintf("%s is not UTF-8 text: it holds the byte 0x%02x.", place, odd$byte),
    i = "Say how the file is encoded, for example `encoding = \"latin1\"` or `\"windows-1252\"`."
  ), call = call)
}

# Records against the heading ----------------------------------------------------------------------------------

# Nothing may be swallowed by a quote, left over, or cut off: the records are counted before they are read.
check_records <- function(counted, path, delimiter, call) {
  quotes <- counted$quotes
  if (quotes$count > 0 || counted$open_line > 0) {
    stop_because("shape", c(
      sprintf("%s has quotes that do not hold a whole field.", basename(path)),
      x = if (quotes$count > 0) sprintf("%s, the first in line %s.", count_of(quotes$count, "record"),
                                        group_digits(quotes$line[1])),
      x = if (counted$open_line > 0) sprintf("A quote in line %s is not closed.", group_digits(counted$open_line)),
      i = "A field with a quote stands in quotes, and its own quotes are doubled: \"5\"\" pot\"."
    ), call = call)
  }
  misfits <- counted$misfits
  if (misfits$count > 0) {
    shown <- seq_len(min(3, length(misfits$line)))
    stop_because("shape", c(
      sprintf("%s of %s cannot be split into the heading's columns.", count_of(misfits$count, "row"), basename(path)),
      stats::setNames(sprintf("Line %s has %s where there should be %s.", group_digits(misfits$line[shown]),
                              vapply(misfits$fields[shown], count_of, "", noun = "field"),
                              group_digits(counted$fields)), rep("x", length(shown))),
      i = sprintf("Look at quotes and at fields that hold the delimiter \"%s\".", delimiter)
    ), call = call)
  }
}
