yearly <- totals(kilnmoor_book(), by = region, every = "year")

test_that("a key with one value may be left out, and nothing is lost", {
  last <- in_period(add_change(yearly), "latest")
  shown <- last[c("region", "revenue", "revenue_change_pct")]
  expect_s3_class(shown, "hinterfeld_listing")
  path <- withr::local_tempfile(fileext = ".md")
  deliver(shown, path)
  expect_match(readLines(path), "+18.4 %", fixed = TRUE, all = FALSE)
  expect_match(in_words(shown), "one year before", all = FALSE)
  expect_snapshot(shown)
  expect_message(yearly[c("region", "revenue")], "cannot be told apart")
  expect_s3_class(yearly[yearly$region == "Vale", c("year", "revenue")], "hinterfeld_listing")
})

test_that("a table that is shown without one of its keys is a listing, with both it stays a totals table", {
  t <- totals(a_book(product = c("a", "b"), region = c("x", "y"), revenue = c(3, 4)), by = c(product, region))
  shown <- function(columns) hinterfeld:::shown_columns(t, columns)
  expect_false(inherits(shown(c("product", "revenue")), "hinterfeld_totals"))
  expect_false(inherits(shown(c("product", "region")), "hinterfeld_totals"))
  expect_s3_class(shown(c("region", "product", "revenue")), "hinterfeld_totals")
  # Without its measure a column stays what it is.
  t <- add_share(t)
  expect_match(format(shown(c("product", "region", "revenue_share"))), "42.9 %", fixed = TRUE, all = FALSE)
})
