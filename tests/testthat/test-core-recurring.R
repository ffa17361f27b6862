test_that("recurring periods say how many single periods each holds", {
  expect_snapshot({
    t <- totals(kilnmoor_book(), every = "month_of_year")
    t <- totals(kilnmoor_book(), every = "weekday")
  })
  expect_identical(quiet(totals(kilnmoor_book(), every = "month_of_year"))$single_months, rep(4:3, c(8, 4)))
})

test_that("a month that the data only touch is named and does not count, a weekday only where there is one", {
  book <- daybook(a_sale(day = as.Date(c("2024-01-31", "2024-03-01"))), day, revenue, product)
  expect_identical(quiet(totals(book, every = "month_of_year", fill = TRUE))$single_months, c(0L, 1L, 0L))
  expect_message(totals(book, every = "month_of_year"), "2024-01 and 2024-03 are not complete")
  short <- daybook(a_sale(day = as.Date(c("2024-01-01", "2024-01-03"))), day, revenue, product)
  weekdays <- function(book) quiet(totals(book, every = "weekday", fill = TRUE))
  expect_identical(sum(weekdays(book)$single_days), 31L)
  expect_identical(weekdays(short)$single_days, c(1L, 1L, 1L))
})

test_that("a table of recurring periods carries how many single ones each row adds together", {
  book <- kilnmoor_book()
  t <- quiet(totals(book, by = region, every = "month_of_year", subtotals = TRUE))
  detail <- t[t$level == "region", ]
  expect_identical(detail$single_months, rep(rep(4:3, c(8, 4)), each = 4))
  expect_identical(t$single_months[t$level == "Total"], 44L)
  expect_match(format(t)[3], " 4$")
  within <- quiet(totals(book, every = c("year", "weekday")))
  days <- seq(book$span[1], book$span[2], by = 1)
  expect_identical(within$single_days, as.vector(t(unclass(table(format(days, "%Y"), factor(format(days, "%u")))))))
  expect_null(totals(book, every = c("year", "month_of_year"))$single_months)
  expect_error(totals(book, every = "weekday", measures = list(single_days = "revenue")),
               class = "hinterfeld_error_argument")
})
