test_that("means and shares of our own files read back as the numbers that they were", {
  t <- add_share(totals(kilnmoor_book(), by = c(region, product), measures = list("revenue", m = mean_of(revenue))))
  path <- deliver(t, withr::local_tempfile(fileext = ".csv"))
  back <- load_table(path)
  expect_identical(back$m, t$m)
  expect_identical(back$revenue_share, t$revenue_share)
  expect_type(load_table(withr::local_tempfile(fileext = ".csv", lines = c("a", "1234567890123456789")))$a, "character")
})
