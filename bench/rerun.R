# A brief's lines in 1 000 parts of 100 000 lines: counted for the first time, when one more has come, and when nothing
# is new. Writes bench/RERUN.md.
# Rscript bench/rerun.R [PARTS]; with FOLDER and a word it is the run that is measured, in a process of its own.
source("bench/lines.R")
arguments <- commandArgs(TRUE)
if (length(arguments) == 2) {
  options(hinterfeld.threads = 2)
  suppressPackageStartupMessages(library(hinterfeld))
  folder <- arguments[1]
  took <- system.time(suppressMessages(run_brief(file.path(folder, "monthly.yaml"), into = file.path(folder, "out"),
                                                 store = file.path(folder, "kept"))))
  cat("seconds", took[["elapsed"]], "megabytes", in_status("VmHWM"), "\n")
  quit()
}

parts <- if (length(arguments)) as.integer(arguments[1]) else 1000L
folder <- tempfile("bench-")
dir.create(file.path(folder, "sales"), recursive = TRUE)
# Lines are drawn once and dated again for each part: a part is a day's or a month's sales.
lines <- sale_lines(1e5)[c("day", "product", "region", "status", "revenue")]
write_part <- function(i) {
  lines$day <- as.Date("2023-01-01") + i + (seq_len(nrow(lines)) %% 3L)
  lines$revenue <- lines$revenue + i / 100
  data.table::fwrite(lines, file.path(folder, "sales", sprintf("part-%04d.csv", i)))
}
for (i in seq_len(parts)) write_part(i)
writeLines(c("brief: 1", "data: {lines: sales/}", "daybook: {day: day, product: product, revenue: revenue}",
             "restrict: [{keep: 'reads_as(status, \"delivered\", \"collected\")'}]",
             "tables:", "  daily: {by: region, every: day}",
             "  monthly: {by: product, every: month}"), file.path(folder, "monthly.yaml"))
measure <- function(word) {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/rerun.R", folder, word), stdout = TRUE)
  as.numeric(strsplit(out[length(out)], " ")[[1]][c(2, 4)])
}
first <- measure("first")
write_part(parts + 1L)
more <- measure("more")
nothing <- measure("nothing")
size <- sum(file.size(list.files(file.path(folder, "kept"), full.names = TRUE))) / 1e6
unlink(folder, recursive = TRUE)
row <- function(what, of, wanted) sprintf("| %s | %.1f | %.0f | %s |", what, of[1], of[2], wanted)
writeLines(c(
  "# A rerun", "",
  sprintf("One run on %s, 2 processors: %s parts of 100 000 lines, revenue per region and day, per product and month",
          format(Sys.Date()), format(parts, big.mark = " ")),
  sprintf("as CSV. Kept: %.0f MB.", size), "",
  "| | seconds | peak memory, MB | wanted |", "| --- | ---: | ---: | --- |",
  row("all parts, nothing kept", first, ""),
  row(sprintf("one more part (%.1f %% of the first run)", 100 * more[1] / first[1]), more, "3 %, below 3 s"),
  row("nothing new", nothing, "below 1 s")
), "bench/RERUN.md")
