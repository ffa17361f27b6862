test_that("recurring periods say how many single periods each holds", {
  expect_snapshot(t <- totals(kilnmoor_book(), every = "month_of_year"))
  expect_snapshot(t <- totals(kilnmoor_book(), every = "weekday"))
  expect_identical(unname(hinterfeld:::single_periods(kilnmoor_book(), "month_of_year")), rep(4:3, c(9, 3)))
})

test_that("a month that the data only touch counts as one, a weekday only where there is one", {
  book <- daybook(a_sale(day = as.Date(c("2024-01-31", "2024-03-01"))), day, revenue, product)
  expect_identical(hinterfeld:::single_periods(book, "month_of_year"), c(Jan = 1L, Feb = 1L, Mar = 1L))
  expect_identical(sum(hinterfeld:::single_periods(book, "weekday")), 31L)
  short <- daybook(a_sale(day = as.Date(c("2024-01-01", "2024-01-03"))), day, revenue, product)
  expect_identical(hinterfeld:::single_periods(short, "weekday"), c(Mon = 1L, Tue = 1L, Wed = 1L))
})
