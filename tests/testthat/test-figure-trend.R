test_that("the lines drawn are the table", {
  t <- totals(kilnmoor_book(), by = category, every = "month")
  finished <- ggplot2::layer_data(figure_trend(t), 2)
  hollow <- ggplot2::layer_data(figure_trend(t), 4)
  expect_equal(sum(finished$y) + sum(hollow$y), sum(t$revenue))
  expect_identical(length(unique(finished$colour)), 6L)
})

test_that("the unfinished last month is hollow, a finished one is not", {
  hollow <- function(...) ggplot2::layer_data(figure_trend(totals(a_book(...), every = "month")), 4)
  expect_identical(nrow(hollow(day = as.Date(c("2026-02-01", "2026-03-30")))), 1L)
  expect_identical(nrow(hollow(day = as.Date(c("2026-02-01", "2026-03-31")))), 0L)
})

test_that("a group without sales in a month is drawn at 0", {
  book <- a_book(day = as.Date(c("2026-01-05", "2026-02-28", "2026-01-07")), product = c("a", "a", "b"), revenue = 3:1)
  drawn <- ggplot2::layer_data(figure_trend(totals(book, by = product, every = "month")), 2)
  expect_equal(drawn$y, c(3, 2, 1, 0))
})

test_that("labels at the ends of lines keep apart and in order", {
  y <- hinterfeld:::spread_labels(c(1, 1.1, 5, 0.9), 1)
  expect_identical(order(y), order(c(1, 1.1, 5, 0.9)))
  expect_true(all(diff(sort(y)) > 0.99))
})

test_that("tables that make no trend are refused", {
  book <- a_book(region = "Vale")
  expect_snapshot(error = TRUE, figure_trend(totals(book)))
  expect_snapshot(error = TRUE, figure_trend(totals(book, by = c(region, product), every = "day")))
  expect_snapshot(error = TRUE, figure_trend(totals(kilnmoor_book(), by = product, every = "month")))
  expect_snapshot(error = TRUE, figure_trend(totals(book, every = "day")[0, ]))
  expect_snapshot(error = TRUE, figure_trend(1))
})
