# Files of delimited text, and what RFC 4180 says of them by a reader of its own.

# A file of these bytes or this text.
text_at <- function(bytes, ending = ".csv", env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ending, .local_envir = env)
  writeBin(if (is.raw(bytes)) bytes else charToRaw(enc2utf8(bytes)), path)
  path
}

# Records of a text, character by character; empty lines are none.
strict_records <- function(text, mark) {
  chars <- strsplit(text, "")[[1]]
  at <- function(i) if (i <= length(chars)) chars[i] else "end"
  ends <- c("\n", "\r", "end")
  records <- list()
  i <- 1
  while (i <= length(chars)) {
    record <- character()
    start <- i
    repeat {
      field <- character()
      if (at(i) == "\"") {
        i <- i + 1
        while (at(i) != "\"" || at(i + 1) == "\"") {
          field <- c(field, at(i))
          i <- i + if (at(i) == "\"") 2 else 1
        }
        i <- i + 1
      }
      while (!at(i) %in% c(mark, ends)) {
        field <- c(field, at(i))
        i <- i + 1
      }
      record <- c(record, paste(field, collapse = ""))
      if (at(i) != mark) break
      i <- i + 1
    }
    if (i > start) records <- c(records, list(record))
    i <- i + if (at(i) == "\r" && at(i + 1) == "\n") 2 else 1
  }
  records
}

# The records of files by a reader of another language; empty lines are none.
other_records <- function(paths, marks) {
  script <- "
import csv, json, sys
csv.field_size_limit(10**9)
for line in sys.stdin:
    path, mark = json.loads(line)
    with open(path, encoding='utf-8', newline='') as file:
        print(json.dumps([r for r in csv.reader(file, delimiter=mark, strict=True) if r]))
"
  asked <- withr::local_tempfile()
  writeLines(vapply(Map(list, unname(paths), marks), jsonlite::toJSON, "", auto_unbox = TRUE), asked)
  told <- processx::run("/usr/bin/python3", c("-c", script), stdin = asked)
  lapply(strsplit(told$stdout, "\n", fixed = TRUE)[[1]], function(line) {
    lapply(jsonlite::fromJSON(line, simplifyVector = FALSE), function(record) as.character(unlist(record)))
  })
}

# A random file of what readers stumble over: its text, delimiter, names and fields.
hostile_file <- function() {
  fields <- c(
    "", "", "a", "B c", " x", "y ", "1", "2.5", "007", "1.10", "1.1", "-0", "+3", "2026-01-02", "2026-02-30", "TRUE",
    "false", "NA", "\u00e9", "\u2028", "12345678901234567", "1e5", ".5", "5.", "1,5", "a;b", "p|q", "t\tu",
    "say \"so\"", "two\nlines", "cr\rin", "crlf\r\nin", "\"", "\"\"", "'", "#", "\\", "\\\"", "NULL", "NaN", "inf",
    "\u0001", "  ", "\t", ",", "\n", "2026-01-02T10:00Z", strrep("w", 300), "-", "\u001f\u001e", "\U0001F600"
  )
  mark <- sample(c(",", ";", "\t", "|"), 1)
  columns <- sample(5, 1)
  rows <- sample(0:12, 1)
  cells <- matrix(sample(sample(fields, sample(8, 1)), columns * rows, TRUE), rows, columns)
  names <- paste0("c", seq_len(columns), if (stats::runif(1) < 0.2) paste0(" q", mark) else "")
  written <- apply(rbind(names, cells), 1, function(record) {
    quoted <- grepl("[\"\r\n]", record) | grepl(mark, record, fixed = TRUE) | stats::runif(columns) < 0.15 |
      columns == 1 & record == ""
    paste(ifelse(quoted, paste0("\"", gsub("\"", "\"\"", record, fixed = TRUE), "\""), record), collapse = mark)
  })
  if (stats::runif(1) < 0.3) written <- unlist(lapply(written, function(line) c(if (stats::runif(1) < 0.3) "", line)))
  end <- sample(c("\n", "\r\n", "\r"), 1, prob = c(6, 3, 1))
  list(text = paste0(paste(written, collapse = end), if (stats::runif(1) < 0.8) end), mark = mark, names = names,
       cells = cells)
}
