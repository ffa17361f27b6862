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

test_that("a year of one period is a point, hollow if it is not complete", {
  until <- function(last, ...) figure_years(totals(keep_lines(kilnmoor_book(), day <= as.Date(last)), ...))
  partial <- until("2026-01-20", every = "month")
  expect_identical(tail(levels(partial$data$year), 1), "2026")
  expect_match(partial$labels$caption, "2026-01, is not complete", fixed = TRUE)
  whole <- until("2026-01-31", every = "month")
  expect_identical(sum(whole$data$year == "2026" & !whole$data$unfinished), 1L)
  expect_match(until("2026-02-10", every = "month")$labels$caption, "drawn dashed", fixed = TRUE)
  for (figure in list(partial, whole, until("2026-02-10", every = "month"), until("2023-01-20", every = "month"))) {
    expect_no_message(expect_drawn(figure))
  }
  # The first three days of a year are no week of it.
  expect_false("2026" %in% levels(until("2026-01-03", every = "week")$data$year))
})

test_that("other tables are refused", {
  expect_snapshot(error = TRUE, {
    figure_years(totals(kilnmoor_book(), every = "year"))
    figure_years(totals(kilnmoor_book(), by = region, every = "month"))
  })
})
