# Runs the tests against the installed package and prints one closing line.
suppressPackageStartupMessages({
  library(testthat)
  library(hinterfeld)
})
results <- as.data.frame(test_dir(
  commandArgs(TRUE)[1], package = "hinterfeld", load_package = "installed", reporter = "summary",
  stop_on_failure = FALSE
))
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)
cat(sprintf("\n%d passed, %d failed, %d skipped\n", sum(results$passed), failed, skipped))
quit(save = "no", status = if (failed > 0) 1 else 0)
