# The bytes of a text file: unpacked, in UTF-8, and told where they are not what they should be.

# list(path =, temporary =): a file that holds the text in UTF-8, and that file again when it is to be removed after
# use. A file is converted block by block: it may be larger than memory.
plain_text_file <- function(path, encoding, call = caller_env()) {
  check_encoding_known(encoding, call)
  made <- character()
  on.exit(remove_temporary(made))
  text <- path
  if (starts_with(first_bytes(text, 2), c(0x1f, 0x8b))) {
    text <- made[1] <- temporary_file()
    unpack(path, text, call)
  }
  encoding <- marked_encoding(first_bytes(text, 2), encoding)
  if (!toupper(encoding) %in% c("UTF-8", "UTF8")) {
    converted <- made[2] <- temporary_file()
    convert(text, converted, encoding, path, call)
    text <- converted
  }
  made <- setdiff(made[!is.na(made)], text)
  list(path = text, temporary = if (text != path) text)
}

first_bytes <- function(path, n) {
  readBin(path, "raw", n)
}

starts_with <- function(bytes, mark) {
  length(bytes) >= length(mark) && all(bytes[seq_along(mark)] == as.raw(mark))
}

# About how many bytes a gzip file unpacks to: its first megabyte tells how densely it is packed, and its end the length
# of its last part, less whole times 4 GB.
unpacked_bytes <- function(path, sample = 1e6) {
  size <- file.size(path)
  start <- first_bytes(path, sample)
  con <- gzcon(rawConnection(start))
  on.exit(close(con))
  unpacked <- 0
  repeat {
    piece <- suppressWarnings(tryCatch(readBin(con, "raw", 1e7), error = function(cnd) raw()))
    unpacked <- unpacked + length(piece)
    if (length(piece) == 0) break
  }
  recorded <- if (size >= 4) sum(as.double(as.integer(file_end(path, 4))) * 256^(0:3)) else 0
  max(unpacked / max(length(start), 1) * size, recorded)
}

file_end <- function(path, n) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, file.size(path) - n))
  readBin(con, "raw", n)
}

# A small file may hold any amount of text.
unpack <- function(path, to, call) {
  limit <- getOption("hinterfeld.unpacked_limit", 8e9)
  problem <- gunzip_kernel(path.expand(path), to, limit)
  if (problem == "full") stop_no_room(path, call)
  if (nzchar(problem)) {
    stop_because("file", sprintf("\"%s\" cannot be unpacked.", shown_file(path)),
                 x = switch(problem, cut = "It was cut short: its end is missing.",
                            damaged = "It is damaged: its checksum does not match its contents.",
                            limit = sprintf("It holds more than %s bytes.", group_digits(limit))),
                 i = switch(problem, limit = "Allow more with `options(hinterfeld.unpacked_limit = )`.",
                            "Get the file again."), call = call)
  }
}

stop_no_room <- function(of, call) {
  stop_because("file",
               sprintf("%s could not be unpacked or converted: the folder for temporary files is full.",
                       shown_file(of)),
               i = sprintf("Make room in \"%s\".", tempdir()), call = call)
}

check_encoding_known <- function(encoding, call) {
  check_text(encoding, "encoding", call = call)
  sound <- tryCatch(is.character(iconv("", encoding, "UTF-8")), error = function(cnd) FALSE)
  if (!sound) {
    stop_because("encoding", sprintf("There is no encoding \"%s\".", encoding),
                 i = did_you_mean(encoding, iconvlist(), "\"", "`iconvlist()` names all of them."), call = call)
  }
}

# A byte order mark tells of UTF-16 by itself; its blocks have none, so they are told which of the two it is.
marked_encoding <- function(start, encoding) {
  if (starts_with(start, c(0xff, 0xfe))) {
    "UTF-16LE"
  } else if (starts_with(start, c(0xfe, 0xff))) {
    "UTF-16BE"
  } else if (grepl("^UTF-?16$", encoding, ignore.case = TRUE)) {
    "UTF-16BE"
  } else {
    encoding
  }
}

# Blocks end at a line feed, which in UTF-16 has two bytes at an even place.
convert <- function(path, to, encoding, of, call, size = getOption("hinterfeld.block", block_size)) {
  wide <- grepl("^UTF-?16", encoding, ignore.case = TRUE)
  from <- file(path, "rb")
  out <- file(to, "wb")
  on.exit({
    close(from)
    close(out)
  })
  held <- raw()
  lines <- 0
  repeat {
    more <- readBin(from, "raw", size)
    held <- c(held, more)
    if (length(held) == 0) break
    ends <- grepRaw("\n", held, fixed = TRUE, all = TRUE)
    if (wide) ends <- wide_ends(held, ends, grepl("LE$", encoding, ignore.case = TRUE))
    whole <- if (length(more)) max(0L, ends) else length(held)
    if (whole == 0) next
    bytes <- utils::head(held, whole)
    if (wide && length(more) == 0) check_not_cut(bytes, grepl("LE$", encoding, ignore.case = TRUE), of, call)
    text <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1]]
    if (is.null(text)) stop_not_encoded(bytes, ends, lines, of, encoding, call)
    written <- tryCatch(writeBin(text, out), error = identity, warning = identity)
    if (inherits(written, "condition")) stop_no_room(of, call)
    lines <- lines + length(ends)
    held <- utils::tail(held, -whole)
  }
}

# In UTF-16 a character has two bytes, or four, of which the first two begin with 0xd8 to 0xdb.
check_not_cut <- function(bytes, little, path, call) {
  n <- length(bytes)
  if (n %% 2 == 1 || n > 1 && bytes[n - !little] %in% as.raw(0xd8:0xdb)) {
    stop_because("encoding", sprintf("%s was cut short: it ends in the middle of a character.", shown_file(path)),
                 i = "Get the file again.", call = call)
  }
}

# In large enough pieces for a reader, in small enough ones for memory.
block_size <- 3e7

wide_ends <- function(bytes, ends, little) {
  zero <- bytes == as.raw(0)
  if (little) {
    ends <- ends[ends %% 2 == 1 & ends < length(bytes)]
    ends[zero[ends + 1]] + 1L
  } else {
    ends <- ends[ends %% 2 == 0]
    ends[zero[ends - 1]]
  }
}

# Which line cannot be converted: found by converting halves.
stop_not_encoded <- function(bytes, ends, lines, path, encoding, call) {
  good <- 0
  bad <- length(ends) + 1
  while (bad - good > 1) {
    middle <- (good + bad) %/% 2
    bytes_to <- utils::head(bytes, ends[middle])
    if (is.null(iconv(list(bytes_to), encoding, "UTF-8", toRaw = TRUE)[[1]])) bad <- middle else good <- middle
  }
  stop_because("encoding",
               sprintf("Line %s of %s is not text in %s.", group_digits(lines + bad), shown_file(path), encoding),
               i = "Say how the file is encoded with `encoding`.", call = call)
}

stop_odd_byte <- function(odd, path, call) {
  place <- sprintf("Line %s of %s", group_digits(odd$line), shown_file(path))
  if (odd$byte == 0) {
    stop_because("encoding", paste(place, "holds a NUL byte, which no text does."),
                 i = sprintf("Is it text at all? For UTF-16 without a byte order mark: %s.",
                             as_typed("encoding = \"UTF-16LE\"")), call = call)
  }
  stop_because("encoding", sprintf("%s is not UTF-8 text: it holds the byte 0x%02x.", place, odd$byte),
               i = sprintf("Say how the file is encoded, for example %s.", as_typed("encoding = \"windows-1252\"")),
               call = call)
}

# A file that is not what its writer made.
stop_damaged <- function(path, why, remedy = "Get the file again.", call = caller_env()) {
  stop_because("file", sprintf("%s is damaged.", shown_file(path)), x = why, i = remedy, call = call)
}

# Records against the heading ----------------------------------------------------------------------------------

# Nothing may be swallowed by a quote, left over, or cut off: the records are counted before they are read.
check_records <- function(counted, path, delimiter, call) {
  quotes <- counted$quotes
  if (quotes$count > 0 || counted$open_line > 0) {
    stop_because("shape", sprintf("%s has quotes that do not enclose a whole field.", shown_file(path)),
                 x = if (quotes$count > 0) {
                   sprintf("%s, the first in line %s.", count_of(quotes$count, "record"), group_digits(quotes$line[1]))
                 },
                 x = if (counted$open_line > 0) {
                   sprintf("A quote in line %s is not closed.", group_digits(counted$open_line))
                 },
                 i = "Enclose a field that contains a quote in quotes, and double the quotes inside: \"5\"\" pot\".",
                 call = call)
  }
  misfits <- counted$misfits
  if (misfits$count > 0) {
    shown <- seq_len(min(3, length(misfits$line)))
    stop_because("shape",
                 sprintf("%s of %s %s not have as many fields as the heading.", count_of(misfits$count, "row"),
                         shown_file(path), if (misfits$count == 1) "does" else "do"),
                 stats::setNames(sprintf("Line %s has %s where there should be %s.", group_digits(misfits$line[shown]),
                                         vapply(misfits$fields[shown], count_of, "", noun = "field"),
                                         group_digits(counted$fields)), rep("x", length(shown))),
                 i = sprintf("Look at quotes and at fields that hold the delimiter \"%s\".", delimiter), call = call)
  }
}
