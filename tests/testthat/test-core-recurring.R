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

test_that("a table of recurring periods carries how many single ones each row adds together", {
  book <- kilnmoor_book()
  t <- quiet(totals(book, by = region, every = "month_of_year", subtotals = TRUE))
  detail <- t[t$level == "region", ]
  expect_identical(detail$single_months, rep(rep(4:3, c(9, 3)), each = 4))
  expect_identical(t$single_months[t$level == "Total"], 45L)
  within <- quiet(totals(book, every = c("year", "weekday")))
  days <- seq(book$span[1], book$span[2], by = 1)
  expect_identical(within$single_days, as.vector(t(unclass(table(format(days, "%Y"), factor(format(days, "%u")))))))
  expect_null(totals(book, every = c("year", "month_of_year"))$single_months)
  expect_error(totals(book, every = "weekday", measures = list(single_days = "revenue")),
               class = "hinterfeld_error_argument")
})

test_that("the best of recurring periods is told by the mean per single period where these differ", {
  t <- quiet(totals(kilnmoor_book(), by = region, every = "month_of_year"))
  best <- best_sellers(t, n = 1, within = region)
  mean <- t$revenue / t$single_months
  expect_identical(best$revenue, unname(vapply(split(seq_len(nrow(t)), factor(t$region, best$region)), function(rows) {
    t$revenue[rows[which.max(mean[rows])]]
  }, 0)))
  expect_match(in_words(best), "by revenue per single month", all = FALSE)
  # Inside one month there is nothing to divide by.
  inside <- best_sellers(t, n = 1, within = month_of_year)
  expect_no_match(in_words(inside), "per single month")
  each <- best_of_each(quiet(totals(kilnmoor_book(), every = "month_of_year")))
  expect_identical(each$best_month_of_year, "Oct")
  expect_match(in_words(each), "highest revenue per single month", all = FALSE)
  expect_snapshot(best)
})
