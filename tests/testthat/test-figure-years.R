monthly <- totals(kilnmoor_book(), every = "month")

test_that("each year is a line over its months, the latest emphasised", {
  figure <- figure_years(monthly)
  before <- drawn(figure, 1)
  expect_equal(sum(before$y), sum(monthly$revenue[monthly$month < as.Date("2026-01-01")]))
  latest <- drawn(figure, 2)
  expect_equal(latest$y,
               monthly$revenue[monthly$month >= as.Date("2026-01-01") & monthly$month < as.Date("2026-09-01")])
  expect_gt(min(latest$linewidth), max(before$linewidth))
  expect_drawn(figure)
})

test_that("cumulative lines end at the years' totals", {
  before <- drawn(figure_years(monthly, cumulative = TRUE), 1)
  yearly <- totals(kilnmoor_book(), every = "year")
  expect_equal(c(tapply(before$y, before$group, max)), yearly$revenue[1:3], ignore_attr = TRUE)
})

test_that("fiscal years start where they do, and a stray week makes no line", {
  book <- daybook(a_sale(day = as.Date("2024-01-15") + 31 * 0:24, revenue = rep(1, 25)), day, revenue, product,
                  calendar = sales_calendar("04-01"))
  figure <- figure_years(totals(book, every = "month"))
  expect_setequal(labels_of(figure), c("2023/24", "2024/25", "2025/26"))
  expect_false("2022" %in% labels_of(figure_years(totals(kilnmoor_book(), every = "week"))))
  expect_drawn(figure)
})

test_that("other tables are refused", {
  expect_snapshot(error = TRUE, figure_years(totals(kilnmoor_book(), every = "year")))
  expect_snapshot(error = TRUE, figure_years(totals(kilnmoor_book(), by = region, every = "month")))
})
