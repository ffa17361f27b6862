# Runs the cases from file to file, each in a process of its own, writes bench/FILES.md, and puts its times at the end
# of bench/RESULTS.md.
folder <- tempfile("bench-")
dir.create(folder)
cases <- function(what, repeats = 5) {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/files.R", folder, repeats, what), stdout = TRUE)
  message(what, " done")
  out
}
median_of <- function(out, name) {
  found <- grep(paste0("^", name, " [0-9.]+ *$"), out, value = TRUE)
  stats::median(as.numeric(sub("^.* ([0-9.]+) *$", "\\1", found)))
}
numbers_in <- function(out, pattern) {
  text <- grep(pattern, out, value = TRUE)[1]
  as.numeric(regmatches(text, gregexpr("[0-9.]+", text))[[1]])
}
row <- function(what, value, bound) {
  sprintf("| %s | %.2f | at most %s | %s |", what, value, bound, if (value <= bound) "yes" else "no")
}

size <- numbers_in(cases("make", 1), "^size")
reading <- cases("reading")
forms <- cases("forms")
whole <- cases("whole")
held <- cases("peak", 1)
writing <- cases("writing", 3)
larger <- cases("larger", 1)
workers <- cases("workers", 1)
if (length(unique(grep("^workers sha", workers, value = TRUE))) != 1) stop("With two workers the table is another.")
unlink(folder, recursive = TRUE)

read_all <- c(median_of(reading, "read_all reader"), median_of(reading, "read_all ours"))
read_four <- c(median_of(reading, "read_four reader"), median_of(reading, "read_four ours"))
csv <- c(median_of(writing, "csv writer"), median_of(writing, "csv ours"))
form_of <- function(form) median_of(forms, paste("forms", form))
by_workers <- vapply(1:2, function(n) median_of(workers, paste("workers", n)), 0)
parts <- vapply(c("read", "count", "write"), function(part) median_of(whole, paste("whole", part)), 0)
peaks <- numbers_in(held, "^peak_read")
cpu <- sub("^model name\t: ", "", grep("^model name", readLines("/proc/cpuinfo"), value = TRUE)[1])
seconds <- c(
  "| | seconds | wanted |", "| --- | ---: | --- |",
  sprintf("| reading all columns: ours, theirs | %.2f, %.2f | |", read_all[2], read_all[1]),
  sprintf("| reading four columns: ours, theirs | %.2f, %.2f | |", read_four[2], read_four[1]),
  sprintf(paste("| file to daily product revenue as CSV: reading %.2f, daybook, keep and totals %.2f, writing %.2f",
                "| %.2f | |"), parts[1], parts[2], parts[3], sum(parts)),
  sprintf("| 1.5 million rows as CSV: ours, theirs | %.2f, %.2f | |", csv[2], csv[1]),
  sprintf("| 1.5 million rows as Parquet | %.2f | below 1 |", median_of(writing, "parquet ours")),
  sprintf("| 100 000 rows as XLSX, with formats | %.2f | at most 3 |", median_of(writing, "xlsx ours"))
)
writeLines(c(
  "# From file to file", "",
  sprintf(paste("One run of `make bench` on %s: %s, %d processors, %s, 2 threads. Medians in seconds; ratios within",
                "the run, the two in turns."), format(Sys.Date()), cpu, parallel::detectCores(), R.version.string), "",
  sprintf(paste("10 million lines of 8 columns, %.0f MB of text. The reader and the writer that ours are compared with",
                "are the fast ones of a general table library, which prove nothing."), size[1]),
  "", "| | ratio | wanted | reached |", "| --- | ---: | --- | --- |",
  row("`load_table()` with its proof to that reader, all columns", read_all[2] / read_all[1], 0.6),
  row("the same, four columns", read_four[2] / read_four[1], 0.6),
  row("the same lines with `\\r\\n` to those with `\\n`", form_of("crlf") / form_of("plain"), 1.2),
  row("the same lines with every field in quotes to those without", form_of("quoted") / form_of("plain"), 1.2),
  row("file to daily product revenue as CSV to that reader alone, four columns", sum(parts) / read_four[1], 2),
  row("peak memory of the process that reads to the finished table", peaks[1] / peaks[2], 1.5),
  row("`deliver()` of 1.5 million rows as CSV to that writer alone, of the same text", csv[2] / csv[1], 2), "",
  seconds, "",
  sprintf(paste("100 million lines in a folder of 50 files, %.1f GB, tallied by region and month in chunks: %.0f",
                "seconds, peak %.0f MB (wanted: below 1 500 MB)."),
          size[2] / 1000, median_of(larger, "larger ours"), numbers_in(larger, "^peak_larger")), "",
  sprintf(paste("The same folder by a brief with one worker of one thread: %.0f seconds, with two: %.0f, %.2f times as",
                "fast (wanted: 1.8), with the same bytes."), by_workers[1], by_workers[2],
          by_workers[1] / by_workers[2])
), "bench/FILES.md")

results <- readLines("bench/RESULTS.md")
heading <- "## From file to file"
kept <- if (heading %in% results) utils::head(results, match(heading, results) - 2) else results
writeLines(c(kept, "", heading, "", sprintf("10 million lines; see [FILES.md](FILES.md), measured on %s.",
                                            format(Sys.Date())), "", seconds), "bench/RESULTS.md")
