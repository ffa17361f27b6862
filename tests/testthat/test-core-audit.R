test_that("the demo's audit runs from the file to the kept lines", {
  expect_snapshot(audit(kilnmoor_book()))
  expect_snapshot(error = TRUE, audit(mtcars))
})

test_that("steps come in the order they were taken, and each begins where the last ended", {
  sales <- a_sale(revenue = c(1, 2, 4, 8), region = c("n", "n", NA, "s"))
  book <- leave_out(keep_lines(daybook(sales, day, revenue, product), revenue < 8, why = "small sales"), region == "s")
  book <- keep_lines(book, revenue > 1)
  steps <- audit(book)
  expect_identical(steps$step, seq_len(nrow(steps)))
  expect_identical(steps$what, c("read", "daybook", "keep", "leave out", "neither yes nor no", "keep"))
  expect_identical(steps$why[1:3], c("a table in memory", "revenue is revenue", "small sales"))
  expect_identical(steps$lines_after, c(4, 4, 3, 3, 2, 1))
  expect_identical(steps$revenue_after, c(NA, 15, 7, 7, 3, 2))
  expect_identical(steps$revenue_before[3:6], steps$revenue_after[2:5])
})
