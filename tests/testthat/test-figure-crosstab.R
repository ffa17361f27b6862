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
  # Rows of periods, too, are the latest.
  months <- figure_crosstab(crosstab(totals(kilnmoor_book(), by = region, every = "month"), month, region))
  expect_true("60.9" %in% labels_of(months))
  expect_match(months$labels$caption, "And 27 earlier rows, not drawn.", fixed = TRUE)
  expect_snapshot(error = TRUE, figure_crosstab(totals(kilnmoor_book(), by = region)))
})

test_that("values below zero have a true minus, and colours that part at zero", {
  sales <- a_sale(product = c("a", "a", "b", "b"), region = c("n", "s", "n", "s"), revenue = c(30, -20, 5, 0))
  figure <- figure_crosstab(crosstab(totals(daybook(sales, day, revenue, product), by = c(product, region)), product,
                                     region))
  expect_match(figure$data$text, "^\u2212", all = FALSE)
  expect_no_match(figure$data$text, "-", fixed = TRUE)
  fill <- drawn(figure, 1)$fill
  expect_identical(length(unique(fill)), 4L)
  expect_false(any(fill == category_colours(1)))
  expect_drawn(figure)
})
