# Files of tests are whole when they are written.
options(hinterfeld.rest = 0)

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

# Random files read by the package and by the two other readers, with blocks of any size: what differs, a text each.
hostile_differences <- function(count) {
  files <- lapply(seq_len(count), function(i) hostile_file())
  paths <- tempfile(rep("hostile-", count), fileext = ".csv")
  on.exit(unlink(paths))
  for (i in seq_len(count)) writeBin(charToRaw(enc2utf8(files[[i]]$text)), paths[i])
  others <- other_records(paths, vapply(files, `[[`, "", "mark"))
  unlist(Map(function(file, path, other) {
    withr::local_options(hinterfeld.block = sample(c(16, 60, 2^25), 1))
    same <- file_readings(file, path, other)
    if (!all(same)) paste(toString(names(which(!same))), paste(deparse(file$text), collapse = ""))
  }, files, paths, others)) %||% character()
}

# Whether each reading of a file is that of its cells.
file_readings <- function(file, path, other) {
  records <- strict_records(file$text, file$mark)
  expected <- unname(matrix(as.character(unlist(records[-1])), ncol = length(file$names), byrow = TRUE))
  all_text <- stats::setNames(rep("text", length(file$names)), file$names)
  read <- quiet(load_table(path, delimiter = file$mark, types = all_text))
  given <- matrix(as.character(unlist(lapply(read, as.character))), nrow(read), ncol(read))
  # Types are those that all texts of a column have, but what stands for nothing.
  of_type <- function(typed, blank = character()) {
    given[given %in% blank] <- NA
    all(vapply(seq_along(typed), function(j) {
      texts <- trimws(given[, j])
      found <- quiet(hinterfeld:::found_type(replace(texts, texts %in% c("", "NA"), NA), "x", NULL, "file"))
      identical(as.vector(typed[[j]]), as.vector(found %||% given[, j]))
    }, NA))
  }
  nothing <- sample(c(given[!is.na(given)], "-"), 1)
  c(names = identical(records[[1]], file$names), cells = identical(expected, unname(file$cells)),
    other = identical(other, records), read = identical(given, replace(expected, expected == "", NA)),
    types = of_type(quiet(load_table(path, delimiter = file$mark))),
    blank = of_type(quiet(load_table(path, delimiter = file$mark, blank = nothing)), nothing))
}
