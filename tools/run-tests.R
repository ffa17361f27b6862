# Runs the tests against the installed package, in one process more than there are processors (some wait for browsers
# and servers), and prints one closing line.
#   Rscript run-tests.R FOLDER [PATTERN]
arguments <- commandArgs(TRUE)
folder <- normalizePath(arguments[1])
pattern <- if (length(arguments) > 1) arguments[2] else "."
times_file <- file.path(dirname(dirname(folder)), ".build", "test-times.csv")

# One share of the files, in a process of its own: results and how long each file took.
run_share <- function(folder, names, into) {
  suppressPackageStartupMessages({
    library(testthat)
    library(hinterfeld)
  })
  found <- test_dir(folder, filter = sprintf("^(%s)$", paste(names, collapse = "|")), package = "hinterfeld",
                    load_package = "installed",
                    reporter = "silent", stop_on_failure = FALSE)
  bad <- unlist(lapply(found, function(test) lapply(test$results, function(result) {
    if (inherits(result, c("expectation_failure", "expectation_error", "expectation_skip"))) {
      sprintf("%s, \"%s\":\n%s\n", test$file, test$test, format(result))
    }
  })))
  table <- as.data.frame(found)
  saveRDS(list(table = table[c("file", "passed", "failed", "error", "skipped", "real")], bad = bad), into)
}

names <- sub("^test-(.*)[.]R$", "\\1", list.files(folder, "^test-.*[.]R$"))
names <- grep(pattern, names, value = TRUE)
# Long ones first, each to the process that has least to do.
cost <- file.size(file.path(folder, sprintf("test-%s.R", names))) / 1000
if (file.exists(times_file)) {
  known <- utils::read.csv(times_file)
  known <- known[!is.na(known$seconds), ]
  at <- match(names, known$name)
  cost[!is.na(at)] <- known$seconds[at[!is.na(at)]]
}
workers <- min(max(1L, parallel::detectCores()) + 1L, length(names), 8L)
share <- integer(length(names))
load <- double(workers)
for (i in order(-cost)) {
  share[i] <- which.min(load)
  load[share[i]] <- load[share[i]] + cost[i]
}
into <- replicate(workers, tempfile(fileext = ".rds"))
started <- lapply(seq_len(workers), function(w) {
  processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("-e", sprintf("(%s)(%s, %s, %s)", paste(deparse(run_share), collapse = "\n"), deparse(folder),
                                                         paste(deparse(names[share == w]), collapse = ""),
                                                         deparse(into[w]))),
    stdout = "", stderr = "2>&1"
  )
})
for (process in started) process$wait()
lost <- sum(!file.exists(into))
results <- lapply(into[file.exists(into)], readRDS)
table <- do.call(rbind, lapply(results, function(result) result$table))
cat(unlist(lapply(results, function(result) result$bad)), sep = "\n")
if (lost) cat(sprintf("%d of %d test processes ended early.\n", lost, workers))
if (pattern == "." && dir.exists(dirname(times_file)) && !lost) {
  seconds <- tapply(table$real, table$file, sum)
  utils::write.csv(data.frame(name = sub("^test-(.*)[.]R$", "\\1", names(seconds)), seconds = as.vector(seconds)),
                   times_file, row.names = FALSE)
}
failed <- sum(table$failed) + sum(table$error) + lost
cat(sprintf("\n%d passed, %d failed, %d skipped\n", sum(table$passed), failed, sum(table$skipped)))
quit(save = "no", status = if (failed > 0) 1 else 0)
