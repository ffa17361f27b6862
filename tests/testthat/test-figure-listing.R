test_that("the best of each scope is drawn with its name, amount and share, a page for each measure", {
  t <- totals(kilnmoor_book(), by = c(region, town), measures = c("revenue", "units"))
  best <- best_of_each(t, within = region)
  plain <- function(x) gsub("[\u00a0\u202f]", " ", x)
  texts <- sprintf("%s  %s  (%s %%)", best$best_town,
                   format(round(best$best_town_revenue), big.mark = " ", trim = TRUE),
                   format(round(100 * best$best_town_share, 1), nsmall = 1, trim = TRUE))
  expect_setequal(plain(labels_of(autoplot(best))), c(best$region, texts))
  both <- figure_pages(autoplot(best_of_each(t, within = region, of = c("revenue", "units"))))
  expect_length(both, 2)
  expect_match(both[[2]]$labels$subtitle, "^By units")
  expect_match(both[[1]]$labels$title, "The best town of each region \\(Mk\\)")
  expect_identical(figure_ranking(best, title = "Towns")$labels$title, "Towns")
})

test_that("what was not sold, and what was, is drawn", {
  products <- quiet(load_table(demo_files()[["products"]]))
  missing <- unsold(kilnmoor_book(), products, within = town)
  drawn <- unlist(lapply(figure_pages(autoplot(missing)), labels_of))
  expect_identical(sum(drawn %in% missing$product), nrow(missing))
  covered <- coverage(kilnmoor_book(), products, within = region)
  expect_true("72 of 73 products" %in% labels_of(autoplot(covered)))
  expect_identical(autoplot(covered)$labels$title, "What was sold in each region")
  expect_error(autoplot(missing[0, ]), class = "hinterfeld_error_figure")
})
