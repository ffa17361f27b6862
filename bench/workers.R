# 100 million lines in 100 parts, read and tallied by one and by two workers of one thread; and 100 parts of 10 lines,
# which cost little but the part itself. Writes bench/WORKERS.md.
# Rscript bench/workers.R; with FOLDER and a number of workers it is the run that is measured, in a process of its own.
source("bench/lines.R")
arguments <- commandArgs(TRUE)
if (length(arguments) == 2) {
  options(hinterfeld.threads = 1)
  suppressPackageStartupMessages(library(hinterfeld))
  brief <- read_brief(file.path(arguments[1], "job.yaml"))
  took <- system.time(suppressMessages(run_brief(brief, into = file.path(arguments[1], paste0("out", arguments[2])),
                                                 again = TRUE, workers = as.integer(arguments[2]))))
  cat("seconds", took[["elapsed"]], "megabytes", in_status("VmHWM"), "\n")
  quit()
}

# Parts of which each tenth is the same lines, under another name.
make_parts <- function(rows, copies = 9) {
  folder <- tempfile("bench-")
  dir.create(file.path(folder, "sales"), recursive = TRUE)
  for (i in seq_len(10)) {
    lines <- sale_lines(rows, seed = i)[c("day", "product", "region", "status", "revenue")]
    first <- file.path(folder, "sales", sprintf("part-%02d-0.csv", i))
    data.table::fwrite(lines, first)
    for (j in seq_len(copies)) file.link(first, sub("-0.csv", sprintf("-%d.csv", j), first))
  }
  writeLines(c("brief: 1", "data: {lines: sales/}", "daybook: {day: day, product: product, revenue: revenue}",
               "restrict: [{keep: 'reads_as(status, \"delivered\", \"collected\")'}]",
               "tables: {daily: {by: region, every: day}, monthly: {by: product, every: month}}"),
             file.path(folder, "job.yaml"))
  folder
}
measure <- function(folder, workers) {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/workers.R", folder, workers), stdout = TRUE)
  as.numeric(strsplit(out[length(out)], " ")[[1]][c(2, 4)])
}
large <- make_parts(1e6)
small <- list(make_parts(10), make_parts(10, 0))
# In turns, three times: the machine is not always equally fast.
runs <- replicate(3, vapply(1:2, function(workers) measure(large, workers), numeric(2)))
one <- apply(runs[, 1, ], 1, stats::median)
two <- apply(runs[, 2, ], 1, stats::median)
times <- sort(runs[1, 1, ] / runs[1, 2, ])
overhead <- (measure(small[[1]], 1)[1] - measure(small[[2]], 1)[1]) / 90
# What travels back of a part.
suppressPackageStartupMessages(library(hinterfeld))
package <- asNamespace("hinterfeld")
suppressMessages(run_brief(file.path(large, "job.yaml"), into = file.path(large, "out"), again = TRUE,
                           store = file.path(large, "kept")))
sizes <- file.size(list.files(file.path(large, "kept"), "^[^-]+-[^-]+(-[0-9]+)?[.]part$", full.names = TRUE))
merging <- local({
  files <- list.files(file.path(large, "kept"), "^[^-]+-[^-]+(-[0-9]+)?[.]part$", full.names = TRUE)[1:20]
  parts <- lapply(files, package$read_stored)
  merged <- package$new_merger(package$merge_stored_parts)
  system.time(for (part in parts) merged$put(part))[["elapsed"]] / length(parts)
})
same <- identical(unname(tools::md5sum(file.path(large, "out1", "daily.csv"))),
                  unname(tools::md5sum(file.path(large, "out2", "daily.csv"))))
stopifnot(same)
unlink(c(large, unlist(small)), recursive = TRUE)
# A million million lines in parts of ten million: what the workers share, and what this process does for each part.
part <- 1e7 * one[1] / 1e8
own <- overhead + merging
paper <- c(
  "## On paper", "",
  sprintf("10^12 lines in 100 000 parts of 10 million lines are %.0f hours for one worker, %.1f s a part; 1 000",
          1e5 * part / 3600, part),
  sprintf("workers share them in %.0f minutes. The run spends at most %.0f ms on each part, %.0f minutes in all,",
          1e5 * part / 1000 / 60, 1000 * own, 1e5 * own / 60),
  sprintf("however many workers there are: about %.0f keep it busy, and more would wait for it. Larger parts move",
          part / own),
  "that limit, for the tallies of a part hardly grow with its lines; merging among the workers would move it further.",
  "The disks come first: 1 000 workers read as many files at once."
)
row <- function(what, of) sprintf("| %s | %.1f | %.0f |", what, of[1], of[2])
writeLines(c(
  "# Workers", "",
  sprintf("Medians of three on %s, 2 processors: 100 million lines in 100 parts, revenue per region and day, per",
          format(Sys.Date())),
  "product and month as CSV, by workers of one thread; the start of the workers included. Both give the same",
  "bytes.", "",
  "| | seconds | peak memory of the run, MB |", "| --- | ---: | ---: |",
  row("1 worker", one), row("2 workers", two), "",
  sprintf("Two workers were %.2f, %.2f and %.2f times as fast as one.", times[1], times[2], times[3]), "",
  sprintf(paste("A part costs %.0f ms by itself (100 parts of 10 lines against 10); its tallies are %.0f kB, and take",
                "%.0f ms to merge."), 1000 * overhead, stats::median(sizes) / 1000, 1000 * merging), "",
  paper
), "bench/WORKERS.md")
