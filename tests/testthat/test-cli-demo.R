test_that("the demo prints the audit and the first days, and writes its files", {
  out <- withr::local_tempdir()
  run <- run_cli("demo", "--out", out)
  expect_identical(run$status, 0L)
  expect_snapshot(cat(run$stdout), transform = function(lines) gsub(out, "OUT", lines, fixed = TRUE))
  expect_setequal(list.files(out), c("daily_product_revenue.csv", "monthly_product_revenue.csv", "monthly_trend.png"))
  daily <- utils::read.csv(file.path(out, "daily_product_revenue.csv"))
  monthly <- utils::read.csv(file.path(out, "monthly_product_revenue.csv"))
  expect_identical(names(daily), c("day", "product", "revenue"))
  expect_identical(names(monthly), c("month", "product", "revenue"))
  expect_equal(sum(monthly$revenue), sum(daily$revenue))
})

test_that("a folder that cannot be made is a failure", {
  file <- withr::local_tempfile(lines = "in the way")
  run <- run_cli("demo", "--out", file)
  expect_identical(run$status, 1L)
  expect_match(run$stderr, "cannot be made")
})

test_that("help shows an example", {
  expect_snapshot(cat(run_cli("demo", "--help")$stdout))
})
