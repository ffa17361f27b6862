test_that("each table gets the figure that suits it", {
  book <- kilnmoor_book()
  title <- function(t) autoplot(t)$labels$title
  expect_identical(title(totals(book, by = category, every = "month")), "Monthly revenue by category")
  expect_match(title(add_pareto(totals(book, by = product))), "31 of 73 products")
  expect_match(title(add_change(totals(book, by = region, every = "year"))), "Change in revenue by region, 2026")
  expect_match(title(add_running_total(totals(book, by = region, every = "month"))),
               "Running total of revenue by region")
  expect_match(title(best_sellers(totals(book, by = c(region, product)), within = region)),
               "Best sellers in each region")
  expect_match(title(add_share(totals(book, by = c(region, category)))), "Share of revenue in each region")
  expect_match(title(quiet(totals(book, every = "weekday"))), "Fri is best")
  expect_match(title(totals(book, by = c(region, category), subtotals = TRUE)), "Best sellers in each region")
  expect_match(title(crosstab(totals(book, by = c(category, region)), category, region)), "Revenue: category by region")
})

test_that("one period is drawn as bars, not as a line of one point", {
  t <- totals(kilnmoor_book(), by = category, every = "month")
  expect_false(is.na(layer_of(autoplot(t), "GeomLine")))
  month <- in_period(t, "2026-03")
  bars <- drawn(autoplot(month), layer_of(autoplot(month), "GeomRect"))
  expect_identical(nrow(bars), nrow(month))
})
