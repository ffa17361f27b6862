test_that("the curve, the bars and the classes are the table's", {
  t <- add_pareto(totals(kilnmoor_book(), by = product))
  figure <- figure_pareto(t)
  curve <- drawn(figure, layer_of(figure, "GeomLine"))
  expect_equal(curve$y, t$revenue_cumulative_share)
  bars <- drawn(figure, layer_of(figure, "GeomRect"))
  expect_equal(bars$ymax, t$revenue / sum(t$revenue))
  expect_identical(figure$labels$title, "31 of 73 products make 80.2 % of revenue")
  expect_true(all(c("A: 31\n80.2 %", "B: 24\n15.0 %") %in% labels_of(figure)))
  expect_drawn(figure)
  expect_drawn(figure_pareto(add_pareto(totals(a_book(), by = product))))
})

test_that("several scopes and totals at 0 are refused", {
  t <- totals(kilnmoor_book(), by = c(region, product))
  expect_snapshot(error = TRUE, {
    figure_pareto(add_pareto(t, within = region))
    figure_pareto(t)
  })
  zero <- totals(a_book(revenue = 0), by = product)
  expect_error(figure_pareto(quiet(suppressWarnings(add_pareto(zero)))), class = "hinterfeld_error_figure")
})
