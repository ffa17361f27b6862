# The cases from file to file: reading, writing, and lines larger than memory. Prints seconds as "case way seconds".
# Rscript bench/files.R FOLDER REPEATS WHAT, where WHAT is make (the files), reading, forms, whole, peak, writing,
# larger or workers.
suppressPackageStartupMessages(library(hinterfeld))
source("bench/lines.R")
arguments <- commandArgs(TRUE)
folder <- arguments[1]
repeats <- as.integer(arguments[2])
what <- arguments[3]
lines_file <- file.path(folder, "lines.csv")
many <- file.path(folder, "many")
data.table::setDTthreads(2)
options(hinterfeld.threads = 2)

completed <- c("delivered", "collected")
four <- c("day", "product", "status", "revenue")

if (what == "make") {
  dir.create(many, showWarnings = FALSE, recursive = TRUE)
  data.table::fwrite(sale_lines(1e7), lines_file)
  for (i in 1:50) {
    lines <- sale_lines(2e6, seed = i)
    data.table::fwrite(lines[c("day", "product", "region", "revenue")], file.path(many, sprintf("part-%02d.csv", i)))
  }
  cat("size megabytes", file.size(lines_file) / 1e6, sum(file.size(list.files(many, full.names = TRUE))) / 1e6, "\n")
}

if (what == "reading") {
  # In turns: a machine is not the same from minute to minute.
  for (i in seq_len(repeats)) {
    timed("read_all", "reader", data.table::fread(lines_file, data.table = FALSE, showProgress = FALSE), 1)
    timed("read_all", "ours", load_table(lines_file), 1)
    timed("read_four", "reader",
          data.table::fread(lines_file, select = four, data.table = FALSE, showProgress = FALSE), 1)
    timed("read_four", "ours", load_table(lines_file, tidyselect::all_of(four)), 1)
  }
}

# The same lines with line ends of two characters, and with every field in quotes.
if (what == "forms") {
  plain <- utils::head(readLines(lines_file, n = 2e6 + 1), 2e6 + 1)
  forms <- file.path(folder, paste0(c("plain", "crlf", "quoted"), ".csv"))
  names(forms) <- c("plain", "crlf", "quoted")
  writeLines(plain, forms[["plain"]])
  writeLines(plain, forms[["crlf"]], sep = "\r\n")
  writeLines(paste0("\"", gsub(",", "\",\"", plain, fixed = TRUE), "\""), forms[["quoted"]])
  rm(plain)
  for (i in seq_len(repeats)) for (form in names(forms)) timed("forms", form, load_table(forms[[form]]), 1)
}

if (what == "whole") {
  for (i in seq_len(repeats)) {
    timed("whole", "read", lines <- load_table(lines_file, tidyselect::all_of(four)), 1)
    timed("whole", "count", {
      book <- keep_lines(daybook(lines, day, revenue, product), status %in% completed)
      t <- totals(book, by = product, every = "day")
    }, 1)
    timed("whole", "write", deliver(t, file.path(folder, "out.csv")), 1)
    rm(lines, book, t)
  }
}

if (what == "peak") {
  lines <- load_table(lines_file)
  size <- sum(vapply(lines, function(x) if (is.character(x)) 4 else 8, 0)) * nrow(lines) / 2^20
  cat("peak_read megabytes", in_status("VmHWM"), "of", size, "\n")
}

if (what == "writing") {
  lines <- sale_lines(1e7)
  t <- totals(daybook(lines, day, revenue, product), by = product, every = "day")
  rm(lines)
  texts <- data.frame(day = format(t$day), product = paste0(t$product), revenue = sprintf("%.2f", t$revenue))
  cat("written rows", nrow(t), "\n")
  for (i in seq_len(repeats)) {
    timed("csv", "writer", data.table::fwrite(texts, file.path(folder, "w.csv"), showProgress = FALSE), 1)
    timed("csv", "ours", deliver(t, file.path(folder, "t.csv")), 1)
  }
  timed("parquet", "ours", deliver(t, file.path(folder, "t.parquet")))
  some <- t[seq_len(1e5), ]
  timed("xlsx", "ours", deliver(some, file.path(folder, "t.xlsx")))
}

# Workers of one thread each, on the lines of the folder.
if (what == "workers") {
  brief <- file.path(folder, "many.yaml")
  writeLines(c("brief: 1", "data: {lines: many/}", "daybook: {day: day, product: product, revenue: revenue}",
               "tables: {regions: {by: region, every: month}}"), brief)
  for (workers in 1:2) {
    options(hinterfeld.threads = workers)
    timed("workers", workers, run <- suppressMessages(run_brief(brief, into = file.path(folder, "out"), again = TRUE,
                                                                workers = workers)), 1)
    cat("workers sha", run$outputs[[1]]$sha256, "\n")
  }
}

if (what == "larger") {
  timed("larger", "ours", {
    tally <- suppressMessages(tally_of(many, by = region, every = "month", make = function(lines) {
      daybook(lines, day, revenue, product)
    }))
  }, 1)
  cat("larger lines", totals(tally, measures = "lines")$lines, "\n")
  cat("peak_larger megabytes", in_status("VmHWM"), "\n")
}
