bars_of <- function(figure) drawn(figure, layer_of(figure, "GeomRect"))

test_that("panels stand from the largest, rows in each panel's own order, ties and the rest marked", {
  t <- best_sellers(totals(kilnmoor_book(), by = c(region, product)), n = 3, within = region, others = TRUE)
  figure <- figure_ranking(t)
  bars <- bars_of(figure)
  expect_identical(length(unique(bars$PANEL)), 4L)
  members <- bars[bars$fill == hinterfeld:::bar_ink, ]
  expect_equal(members$xmax, t$revenue[!is.na(t$revenue_rank)])
  expect_true(all(tapply(members$xmax, members$PANEL, function(x) !is.unsorted(-x))))
  expect_identical(sum(bars$fill == hinterfeld:::quiet_bar), 4L)
  packing <- keep_lines(kilnmoor_book(), region == "Highfen" & category == "Packing & safety")
  expect_identical(sum(grepl("^1=  11\u00a0180$", labels_of(figure_ranking(totals(packing, by = product))))), 2L)
  expect_drawn(figure)
})

test_that("shares of each panel add up to 1", {
  figure <- figure_share(totals(kilnmoor_book(), by = c(region, category)))
  bars <- bars_of(figure)
  expect_equal(c(tapply(bars$xmax, bars$PANEL, sum)), rep(1, 4), ignore_attr = TRUE)
  expect_drawn(figure)
})

test_that("300 members, twenty parts, negative and zero values stay readable", {
  book <- many_products()
  figure <- figure_ranking(totals(book, by = product), n = 30)
  expect_identical(nrow(bars_of(figure)), 31L)
  expect_drawn(figure)
  share <- figure_share(totals(book, by = product))
  expect_identical(nrow(bars_of(share)), 20L)
  expect_match(share$labels$caption, "Each panel shows its 20 largest.", fixed = TRUE)
  negative <- daybook(a_sale(region = c("n", "s"), revenue = c(5, -3)), day, revenue, product)
  expect_equal(bars_of(figure_ranking(totals(negative, by = region)))$xmin, c(0, -3))
  zero <- daybook(a_sale(region = c("n", "s"), revenue = c(0, 0)), day, revenue, product)
  expect_drawn(figure_ranking(totals(zero, by = region)))
})

test_that("a table with nothing left to draw is refused", {
  expect_snapshot(error = TRUE, figure_ranking(totals(kilnmoor_book(), by = region), within = region))
  expect_snapshot(error = TRUE, figure_share(totals(kilnmoor_book())))
})
