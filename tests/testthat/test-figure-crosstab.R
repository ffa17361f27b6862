test_that("cells hold the crosstab's numbers, the latest months and the largest rows", {
  x <- crosstab(totals(kilnmoor_book(), by = product, every = "month"), product, month)
  figure <- figure_crosstab(x)
  tiles <- drawn(figure, layer_of(figure, "GeomTile"))
  expect_identical(nrow(tiles), 12L * 18L)
  expect_true(all(c("14.4", "17.3", "3\u00a0367.1") %in% labels_of(figure)))
  expect_match(figure$labels$caption, "And 55 rows, not drawn. And 33 earlier columns, not drawn.", fixed = TRUE)
  expect_drawn(figure)
  small <- figure_crosstab(crosstab(totals(kilnmoor_book(), by = c(category, region), measures = "lines"), category,
                                    region))
  expect_true("8\u00a0126" %in% labels_of(small))
  expect_snapshot(error = TRUE, figure_crosstab(totals(kilnmoor_book(), by = region)))
})
