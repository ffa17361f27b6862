# Runs the tests against the installed package, in as many processes as there are processors (more take longer: each
# needs the caches), and prints what failed, the slowest files and one closing line.
#   Rscript run-tests.R FOLDER [PATTERN]
arguments <- commandArgs(TRUE)
folder <- normalizePath(arguments[1])
pattern <- if (length(arguments) > 1) arguments[2] else "."
# Without this processx hides from R that a copy of its process has ended, and R waits ten seconds for it.
Sys.setenv(PROCESSX_NOTIFY_OLD_SIGCHLD = "true")

# Takes one file of names after the other from the queue, and runs their tests: what came of them goes into `into`.
run_queue <- function(folder, queue, into) {
  suppressPackageStartupMessages({
    library(testthat)
    library(hinterfeld)
  })
  done <- list()
  bad <- list()
  repeat {
    waiting <- sort(list.files(queue, "^[0-9]+$"))
    if (length(waiting) == 0) break
    taken <- file.path(queue, paste0(waiting[1], "-", Sys.getpid()))
    # Somebody else may be quicker.
    if (!suppressWarnings(file.rename(file.path(queue, waiting[1]), taken))) next
    found <- test_dir(folder, filter = sprintf("^(%s)$", paste(readLines(taken), collapse = "|")),
                      package = "hinterfeld", load_package = "installed", reporter = "silent", stop_on_failure = FALSE)
    done <- c(done, list(as.data.frame(found)[c("file", "passed", "failed", "error", "skipped", "real")]))
    bad <- c(bad, lapply(found, function(test) lapply(test$results, function(result) {
      if (inherits(result, c("expectation_failure", "expectation_error", "expectation_skip"))) {
        sprintf("%s, \"%s\":\n%s\n", test$file, test$test, format(result))
      }
    })))
  }
  saveRDS(list(table = do.call(rbind, done), bad = unlist(bad)), into)
}

names <- sub("^test-(.*)[.]R$", "\\1", list.files(folder, "^test-.*[.]R$"))
names <- grep(pattern, names, value = TRUE)
files <- file.path(folder, sprintf("test-%s.R", names))
# What shares a server, or a browser and the demo's run, goes to one process, and first, for it takes longest; so do
# the examples, whose file is short. What has workers, as some with a server do, goes to a process of its own, in which
# every copy costs more.
shares <- vapply(files, function(file) {
  text <- readLines(file, warn = FALSE)
  if (any(grepl("mirai::", text, fixed = TRUE))) "workers" else
    if (any(grepl("local_postgres(", text, fixed = TRUE))) "server" else
      if (any(grepl("(open_page|serve_desk|demo_run)[(]", text))) "browser" else
        if (grepl("-examples[.]R$", file)) "examples" else ""
}, "")
# All others by their size, the small ones together: helpers are read once for each unit.
sizes <- file.size(files)
others <- which(shares == "")[order(-sizes[shares == ""])]
shares[others] <- sprintf("%03.0f", cumsum(sizes[others]) %/% 16000)
units <- split(names, shares)
early <- names(units) %in% c("server", "browser", "examples")
units <- units[order(!early, names(units))]

new_queue <- function(units) {
  queue <- tempfile("queue-")
  dir.create(queue)
  for (i in seq_along(units)) writeLines(units[[i]], file.path(queue, sprintf("%03d", i)))
  queue
}
own <- names(units) %in% c("server", "workers")
processes <- min(max(1L, parallel::detectCores()), sum(!own), 8L)
rest <- new_queue(units[!own])
into <- character()
said <- function(into) sub("rds$", "log", into)
start <- function(queue) {
  into <<- c(into, tempfile(fileext = ".rds"))
  call <- sprintf("(%s)(%s, %s, %s)", paste(deparse(run_queue), collapse = "\n"), deparse(folder), deparse(queue),
                  deparse(into[length(into)]))
  processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", call),
                        stdout = said(into[length(into)]), stderr = "2>&1")
}
apart <- if (any(own)) start(new_queue(units[own]))
started <- lapply(rep(rest, processes), start)
# Those with workers are done first. Another process then helps with the rest: the others often wait, for a browser, a
# server, a stamp.
if (any(own)) {
  apart$wait()
  started <- c(started, start(rest))
}
for (process in started) process$wait()
lost <- into[!file.exists(into)]
results <- lapply(into[file.exists(into)], readRDS)
table <- do.call(rbind, lapply(results, function(result) result$table))
cat(unlist(lapply(results, function(result) result$bad)), sep = "\n")
# What a process said last, or from where R caught a signal.
for (log in said(lost)) {
  lines <- readLines(log, warn = FALSE)
  caught <- grep("*** caught", lines, fixed = TRUE)
  cat(utils::head(if (length(caught)) lines[-seq_len(caught[1] - 1)] else utils::tail(lines, 30), 30), sep = "\n")
}
if (length(lost)) cat(sprintf("%d of %d test processes ended early.\n", length(lost), length(into)))
seconds <- sort(tapply(table$real, table$file, sum), decreasing = TRUE)
slow <- utils::head(seconds, 10)
cat("Slowest: ", paste(sprintf("%s %.0f s", sub("^test-(.*)[.]R$", "\\1", names(slow)), slow), collapse = ", "), "\n",
    sep = "")
failed <- sum(table$failed) + sum(table$error) + length(lost)
cat(sprintf("\n%d passed, %d failed, %d skipped\n", sum(table$passed), failed, sum(table$skipped)))
quit(save = "no", status = if (failed > 0) 1 else 0)
