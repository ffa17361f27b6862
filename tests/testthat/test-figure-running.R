test_that("lines are the running totals and do not join across a restart", {
  t <- add_running_total(totals(kilnmoor_book(), by = region, every = "month"), restart = "year")
  figure <- figure_running(t)
  lines <- drawn(figure, layer_of(figure, "GeomLine"))
  expect_equal(sort(lines$y), sort(t$revenue_running[t$month < as.Date("2026-09-01")]))
  expect_identical(length(unique(lines$group)), 16L)
  marks <- drawn(figure, 1)
  expect_equal(as.numeric(marks$x), as.numeric(as.Date(c("2024-01-01", "2025-01-01", "2026-01-01"))))
  expect_drawn(figure)
})

test_that("a group without a row keeps its total, and windows that are missing are not drawn", {
  book <- a_book(day = as.Date(c("2026-01-05", "2026-03-31", "2026-01-07")), product = c("a", "a", "b"), revenue = 3:1)
  figure <- figure_running(add_running_total(totals(book, by = product, every = "month")))
  expect_equal(drawn(figure, layer_of(figure, "GeomLine"))$y, c(3, 3, 5, 1, 1, 1))
  expect_drawn(figure_running(add_moving(totals(kilnmoor_book(), every = "month"), last = 12)))
  expect_snapshot(error = TRUE, figure_running(totals(book, every = "month")))
})
