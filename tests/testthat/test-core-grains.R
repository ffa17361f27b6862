test_that("every grain has all fields, and an unknown one stops in R and in compiled code", {
  kinds <- hinterfeld:::grain_kinds
  for (kind in kinds) expect_identical(setdiff(c("name", "from", "label"), names(kind)), character())
  expect_error(period_start(as.Date("2026-01-01"), "fortnight"), class = "hinterfeld_error_argument")
  rules <- sales_calendar()$rules
  expect_error(hinterfeld:::period_bounds_kernel(1L, "fortnight", FALSE, rules), "unknown period")
  expect_error(hinterfeld:::position_kernel(1L, "fortnight", rules), "unknown position")
  expect_error(hinterfeld:::rank_kernel(1L, 1L, 1, "coin"), "unknown rule")
})

test_that("quarters of the year add the years together, fiscal ones too", {
  for (start in c("01-01", "04-01")) {
    random <- random_book(41, days = 800, calendar = sales_calendar(year_starts = start))
    t <- quiet(totals(random$book, every = "quarter_of_year"))
    shift <- if (start == "04-01") 3L else 0L
    expected <- sql(random$db,
                    sprintf("SELECT 'Q' || (((CAST(substr(day, 6, 2) AS INTEGER) + 11 - %d) %% 12) / 3 + 1) AS q,
                                        sum(cents) / 100.0 AS r FROM lines GROUP BY q ORDER BY q", shift))
    expect_identical(as.character(t$quarter_of_year), expected$q)
    expect_identical(t$revenue, expected$r)
  }
  expect_message(totals(kilnmoor_book(), every = "quarter_of_year"),
                 "Q1 to Q3 hold 4 single quarters each and Q4 holds 3")
  expect_s3_class(figure_weekdays(quiet(totals(kilnmoor_book(), every = "quarter_of_year"))), "ggplot")
  expect_identical(period_label(as.Date("2026-05-01"), "quarter_of_year", sales_calendar("04-01")), "Q1")
})
