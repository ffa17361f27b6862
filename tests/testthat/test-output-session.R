test_that("what is written is the same under any option, locale and time zone", {
  t <- add_share(totals(kilnmoor_book(), by = category, every = "month"))
  bytes <- function(ending) {
    path <- deliver(t, withr::local_tempfile(fileext = ending))
    readBin(path, "raw", file.size(path))
  }
  endings <- c(".csv", ".tsv", ".json", ".md", ".parquet")
  before <- lapply(endings, bytes)
  withr::local_options(OutDec = ",", scipen = -5, digits = 3, hinterfeld.threads = 1)
  withr::local_locale(c(LC_CTYPE = "C", LC_COLLATE = "C", LC_TIME = "C"))
  withr::local_timezone("Pacific/Auckland")
  expect_identical(lapply(endings, bytes), before)
  expect_identical(getOption("OutDec"), ",")
  expect_identical(Sys.getlocale("LC_CTYPE"), "C")
})
