test_that("the best of recurring periods is told by the mean per single period where these differ", {
  t <- quiet(totals(kilnmoor_book(), by = region, every = "month_of_year"))
  best <- best_sellers(t, n = 1, within = region)
  whole <- quiet(totals(keep_lines(kilnmoor_book(), day < as.Date("2026-09-01")), by = region, every = "month_of_year"))
  at <- match(paste(t$region, t$month_of_year), paste(whole$region, whole$month_of_year))
  mean <- whole$revenue[at] / t$single_months
  expect_identical(best$revenue, unname(vapply(split(seq_len(nrow(t)), factor(t$region, best$region)), function(rows) {
    t$revenue[rows[which.max(mean[rows])]]
  }, 0)))
  expect_match(in_words(best), "by revenue per single month", all = FALSE)
  # Inside one month there is nothing to divide by.
  inside <- best_sellers(t, n = 1, within = month_of_year)
  expect_no_match(in_words(inside), "per single month")
  each <- best_of_each(quiet(totals(kilnmoor_book(), every = "month_of_year")))
  expect_identical(each$best_month_of_year, "Oct")
  expect_match(in_words(each), "highest revenue per single month", all = FALSE)
  expect_snapshot(best)
})

test_that("the mean per single month and the mean of the months are one number, and an incomplete month is in neither",
          {
  t <- quiet(totals(kilnmoor_book(), every = "month_of_year", measures = list(
    "revenue", mean = mean_of(revenue, per = "month"),
    all = mean_of(revenue, per = "month", incomplete = "count")
  )))
  months <- totals(kilnmoor_book(), every = "month")
  september <- months$revenue[format(months$month, "%m") == "09"]
  expect_equal(t$mean[9], mean(september[1:3]))
  expect_equal(t$all[9], mean(september))
  expect_match(in_words(t), "incomplete ones count", all = FALSE)
  tally <- tally_of(kilnmoor_book(), measures = list(mean = mean_of(revenue, per = "month")))
  expect_identical(quiet(totals(tally, every = "month_of_year", measures = "mean"))$mean, t$mean)
  saved <- load_tally(save_tally(tally, withr::local_tempfile()))
  expect_identical(quiet(totals(saved, every = "month_of_year", measures = "mean"))$mean, t$mean)
  # Of four Septembers, one not finished, the best is not told by their sum.
  expect_identical(match("Sep", best_sellers(t, n = 12)$month_of_year), 5L)
})

test_that("a month of which no whole one is held has no mean", {
  book <- a_book(day = as.Date(c("2026-01-20", "2026-02-03", "2026-03-10")), revenue = c(9, 2, 8))
  t <- quiet(totals(book, every = "month_of_year"))
  expect_identical(as.character(best_sellers(t, n = 1)$month_of_year), "Feb")
})

test_that("whole periods that occur unequally often are compared by their means", {
  book <- a_book(day = as.Date("2024-01-01") + 0:455, revenue = rep(c(2, 3, 2), c(60, 31, 365)))
  t <- quiet(totals(book, every = "month_of_year"))
  expect_identical(t$single_months, rep(2:1, c(3, 9)))
  expect_identical(as.character(best_sellers(t, n = 1)$month_of_year), "Mar")
  expect_match(in_words(best_sellers(t, n = 1)), "by revenue per single month", all = FALSE)
  best <- best_sellers(quiet(totals(keep_lines(book, month(day) %in% c(2, 5)), every = "month_of_year")), n = 1)
  expect_identical(as.character(best$month_of_year), "May")
})

test_that("periods that are all whole, and occur equally often, are compared by their totals", {
  book <- a_book(day = as.Date("2024-01-01") + 0:730, revenue = 1)
  t <- quiet(totals(book, every = "month_of_year"))
  expect_no_match(in_words(add_rank(t)), "per single month")
  expect_match(in_words(add_rank(quiet(totals(keep_lines(book, day > as.Date("2024-01-31")),
                                              every = "month_of_year")))), "per single month", all = FALSE)
})
