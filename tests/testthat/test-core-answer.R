book <- kilnmoor_book()

saved <- function(t) unserialize(serialize(t, NULL))

test_that("a table of four rows saves as a few kilobytes, whatever was added and drawn", {
  t <- add_running_total(add_share(add_rank(add_change(totals(book, every = "year")))))
  for (i in 1:3) print_nothing <- ggplot2::ggplot_build(autoplot(t))
  expect_identical(nrow(t), 4L)
  expect_lt(length(serialize(t, NULL)), 20000)
  expect_lt(length(serialize(as.data.frame(t), NULL)), 3000)
  # No line, and no number of a customer, is anywhere in it.
  expect_false(any(grepl("customer", rawToChar(serialize(t, NULL, ascii = TRUE)), fixed = TRUE)))
})

test_that("a table that was read back prints, draws, delivers and says its words; what needs the lines says so", {
  t <- add_change(totals(book, by = category, every = "year", subtotals = TRUE))
  back <- saved(t)
  expect_identical(format(back), format(t))
  expect_identical(in_words(back), in_words(t))
  expect_identical(inquiry_of(back), inquiry_of(t))
  expect_s3_class(autoplot(back), "ggplot")
  path <- withr::local_tempfile(fileext = c(".csv", ".csv"))
  deliver(t, path[1])
  deliver(back, path[2])
  expect_identical(readLines(path[2]), readLines(path[1]))
  expect_identical(add_share(back, within = year)$revenue_share, add_share(t, within = year)$revenue_share)
  expect_snapshot(error = TRUE, reconcile(back))
  expect_error(add_change(back, versus = "period_before", name = "p"), class = "hinterfeld_error_facts")
  expect_error(crosstab(back, category, year), class = "hinterfeld_error_facts")
})

test_that("a table keeps its facts while it lives, and no longer", {
  t <- totals(daybook(a_sale(revenue = 1:3), day, revenue, product), by = product)
  gc()
  expect_true(all(reconcile(t)$matches))
})

test_that("periods that recur inside each longer one are split by it; a year and its month are one period", {
  t <- add_running_total(totals(book, by = region, every = c("year", "month_of_year")))
  last <- vapply(split(t$revenue_running, t$region), max, 0)
  expect_equal(last, vapply(split(t$revenue, t$region), sum, 0))
  expect_identical(answer_of(t)$by, "region")
  t <- quiet(add_running_total(totals(book, every = c("year", "weekday"))))
  expect_equal(t$revenue_running[cumsum(tabulate(factor(t$year)))],
               as.vector(tapply(t$revenue, format(t$year), sum)))
  expect_identical(answer_of(t)$by, "year")
})

test_that("columns are what they are, whatever they are called", {
  plain <- data.frame(market_share = 25.5, price_change_pct = 3)
  path <- withr::local_tempfile(fileext = ".md")
  deliver(plain, path)
  expect_match(readLines(path), "25.5 | 3", fixed = TRUE, all = FALSE)
  t <- totals(book, by = region, every = "year", measures = list(price_change = sum_of(revenue)))
  changed <- add_change(t, of = "price_change")
  expect_s3_class(figure_change(changed), "ggplot")
  names(changed)[names(changed) == "price_change_change_pct"] <- "growth"
  expect_s3_class(figure_change(changed), "ggplot")
  expect_match(format(changed, n = 20), "[+-][0-9.]+ %", all = FALSE)
})

test_that("kable() shows the names of periods, and other data frames keep their dates", {
  t <- totals(book, by = region, every = "year")
  expect_match(knitr::kable(t, "pipe"), "^\\|2025 *\\|", all = FALSE)
  expect_match(knitr::kable(crosstab(t, region, year), "pipe"), "2025", all = FALSE)
  expect_s3_class(as.data.frame(t)$year, "Date")
})
