test_that("bars are the profile, the best one named, all days there", {
  t <- quiet(totals(kilnmoor_book(), every = "weekday"))
  figure <- figure_weekdays(t)
  bars <- drawn(figure, 1)
  # The data do not hold as many Sundays as Mondays: means of single days are compared.
  days <- seq(as.Date("2023-01-01"), as.Date("2026-09-17"), 1)
  single <- as.vector(table(factor(format(days, "%u"), 1:7)))
  expect_equal(bars$y, t$revenue / single)
  expect_identical(min(table(bars$fill)), 1L)
  expect_identical(figure$labels$title, "Mean revenue per day, by weekday: Fri is best")
  expect_drawn(figure)
})

test_that("panels have a best of their own, equal bars have none", {
  t <- quiet(totals(kilnmoor_book(), by = category, every = "month_of_year"))
  figure <- figure_weekdays(t)
  expect_identical(min(table(drawn(figure, 1)$fill)), 6L)
  expect_drawn(figure)
  level <- quiet(totals(a_book(day = as.Date("2026-03-02") + 0:1), every = "weekday"))
  expect_identical(figure_weekdays(level)$labels$title, "Revenue by weekday")
  expect_snapshot(error = TRUE, figure_weekdays(totals(kilnmoor_book(), every = "month")))
})
