# Every example of the help pages, and what it prints.
test_that("examples print what they did", {
  withr::local_dir(withr::local_tempdir())
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  pages <- tools::Rd_db("hinterfeld")
  all <- character()
  for (name in names(pages)) {
    code <- withr::local_tempfile(fileext = ".R")
    tools::Rd2ex(pages[[name]], code, commentDonttest = TRUE)
    if (!file.exists(code)) next
    set.seed(1)
    # Messages are of the examples, not of their progress.
    printed <- utils::capture.output(quiet(source(code, local = new.env(parent = globalenv()), print.eval = TRUE)))
    # How lines print is tibble's, and where a brief writes to depends on where the package is.
    if (any(grepl("^# A tibble|^into:", printed))) printed <- character()
    all <- c(all, name, printed, "")
  }
  expect_snapshot(writeLines(all), transform = function(lines) {
    gsub("[^ =\"]*/hinterfeld/(extdata|brief)", "PACKAGE/\\1", lines)
  })
})
