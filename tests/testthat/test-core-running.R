test_that("running totals equal SQL with and without restart, and end at the scope's total", {
  for (seed in seeds(61, 2, 4)) {
    random <- random_book(seed)
    t <- totals(random$book, by = c(product, region), every = "month")
    t <- add_running_total(t)
    t <- add_running_total(t, within = region, name = "of_region")
    t <- add_running_total(t, restart = "year", name = "to_date")
    expected <- sql(random$db, "
      SELECT *, sum(c) OVER (PARTITION BY product, region ORDER BY month) / 100.0 AS r,
        sum(c) OVER (PARTITION BY region ORDER BY month) / 100.0 AS g,
        sum(c) OVER (PARTITION BY product, region, substr(month, 1, 4) ORDER BY month) / 100.0 AS y
      FROM (SELECT date(day, 'start of month') AS month, product, region, sum(cents) AS c FROM lines GROUP BY 1, 2, 3)")
    at <- match(paste(t$month, t$product, t$region), paste(expected$month, expected$product, expected$region))
    expect_equal(t$revenue_running, expected$r[at])
    expect_equal(t$of_region, expected$g[at])
    expect_equal(t$to_date, expected$y[at])
    last <- !duplicated(t$region, fromLast = TRUE)
    whole <- totals(random$book, by = region)
    expect_identical(t$of_region[last][match(whole$region, t$region[last])], whole$revenue)
  }
})

test_that("moving figures count empty periods and leave incomplete windows missing", {
  days <- as.Date(c("2026-01-05", "2026-02-10", "2026-05-10", "2026-06-10"))
  book <- daybook(a_sale(day = days, product = c("a", "b", "a", "a"), revenue = c(1, 2, 4, 8)), day, revenue, product)
  t <- totals(book, by = product, every = "month")
  moved <- add_moving(add_moving(t, last = 2), last = 3, what = "mean")
  a <- moved[moved$product == "a", ]
  expect_identical(a$revenue_moving_sum, c(NA, 4, 12))
  expect_identical(a$revenue_moving_mean, c(NA, 4 / 3, 4))
  expect_identical(moved$revenue_moving_sum[moved$product == "b"], 2)
  # A first month that is not whole, and one that is ruled out, are in no window.
  late <- add_moving(totals(keep_lines(book, day > as.Date("2026-01-03")), by = product, every = "month"), last = 2)
  expect_identical(late$revenue_moving_sum[late$product == "b"], NA_real_)
  ruled <- add_moving(totals(leave_out(book, month(day) == 4), every = "month"), last = 2)
  expect_identical(ruled$revenue_moving_sum, c(NA, 3, NA, 12))
})

test_that("what is not known is not 0", {
  t <- add_change(totals(kilnmoor_book(), every = "year"))
  t <- add_moving(add_running_total(t, of = "revenue_before"), of = "revenue_change", last = 2)
  expect_equal(t$revenue_before_running, c(NA, cumsum(t$revenue_before[-1])))
  expect_equal(t$revenue_change_moving_sum, c(NA, NA, t$revenue_change[3:4] + t$revenue_change[2:3]))
  expect_match(in_words(t), "1 row has no total, for the value is not known", all = FALSE)
  out <- add_running_total(totals(leave_out(kilnmoor_book(), year(day) == 2024), every = "year"))
  expect_equal(out$revenue_running, cumsum(out$revenue))
  expect_match(in_words(out), "The data do not cover 2024, so nothing is added there", all = FALSE)
})

test_that("a moving annual total equals SQL over the demo", {
  t <- add_moving(totals(kilnmoor_book(), by = category, every = "month", fill = TRUE), last = 12)
  db <- demo_database()
  expected <- sql(db, "SELECT coalesce(category, 'not given') AS category, sum(units) / 100.0 AS s FROM sales
                       WHERE day BETWEEN '2025-04-01' AND '2026-03-31' GROUP BY 1")
  march <- t[t$month == as.Date("2026-03-01"), ]
  expect_equal(march$revenue_moving_sum, expected$s[match(march$category, expected$category)])
  expect_true(all(is.na(t$revenue_moving_sum[t$month < as.Date("2023-12-01")])))
})

test_that("fiscal years restart where the calendar says", {
  book <- daybook(a_sale(day = as.Date(c("2026-03-31", "2026-04-01", "2026-05-01")), revenue = c(1, 2, 4)), day,
                  revenue, product,
                  calendar = sales_calendar("04-01"))
  expect_identical(add_running_total(totals(book, every = "month"), restart = "year")$revenue_running, c(1, 2, 6))
})

test_that("subtotals over all periods have none, recurring periods run in order", {
  t <- add_running_total(totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE))
  expect_identical(is.na(t$revenue_running), t$year == "Total")
  t <- quiet(add_running_total(totals(kilnmoor_book(), every = "weekday")))
  expect_identical(t$revenue_running[7], totals(kilnmoor_book())$revenue)
})

test_that("a table that was cut tells the days of its rows, one without periods in a row those of the facts", {
  book <- a_book(day = as.Date(c("2024-01-15", "2024-05-20", "2025-03-01")), revenue = 1:3)
  t <- totals(book, every = "month", subtotals = TRUE)
  expect_match(format(t), "2024-01-15 to 2025-03-01", fixed = TRUE, all = FALSE)
  expect_match(format(t[t$level == "month", ][2, ]), "2024-05-01 to 2024-05-31", fixed = TRUE, all = FALSE)
  expect_match(format(t[c(2, nrow(t)), ]), "2024-01-15 to 2025-03-01", fixed = TRUE, all = FALSE)
  expect_match(expect_no_warning(format(t[0, ])), "2024-01-15 to 2025-03-01", fixed = TRUE, all = FALSE)
})

test_that("words and mistakes", {
  t <- totals(kilnmoor_book(), by = region, every = "month")
  expect_snapshot(in_words(add_moving(add_running_total(t, restart = "year"), last = 3))[3:4])
  expect_snapshot(error = TRUE, {
    add_running_total(totals(kilnmoor_book(), by = region))
    add_running_total(t, restart = "month")
    add_running_total(t, along = region)
    add_moving(t, last = 0)
  })
})

test_that("weekly running totals start again with the year that holds the week's fourth day", {
  days <- as.Date("2024-12-16") + 7 * 0:4
  running <- function(calendar) {
    t <- totals(daybook(a_sale(day = days), day, revenue, product, calendar = calendar), every = "week")
    add_running_total(t, restart = "year")$revenue_running / 5.75
  }
  # 30 December 2024 is a Monday of ISO week 2025-W01.
  expect_identical(running(sales_calendar()), c(1, 2, 1, 2, 3))
  # The week of 1 April 2024, a Monday, but 2 April 2023 was a Sunday: that week's Thursday lies in March.
  expect_identical(running(sales_calendar("01-03")), c(1, 2, 3, 1, 2))
})

test_that("a year with its months runs on through the years, and starts again where it is asked to", {
  t <- quiet(totals(kilnmoor_book(), every = c("year", "month_of_year")))
  minor <- function(x) round(100 * x)
  x <- as.data.frame(add_running_total(t, along = "month_of_year"))
  expect_identical(minor(x$revenue_running), cumsum(minor(x$revenue)))
  x <- as.data.frame(add_running_total(t, along = "month_of_year", restart = "year"))
  expect_identical(minor(x$revenue_running), as.vector(unlist(tapply(minor(x$revenue), x$year, cumsum))))
})

test_that("a window that ends in an unfinished period is said to", {
  t <- quiet(add_moving(totals(kilnmoor_book(), every = "month"), last = 3))
  expect_match(in_words(t), "The last window holds 2026-09 only to 2026-09-17.", all = FALSE, fixed = TRUE)
  expect_no_match(in_words(quiet(add_moving(totals(kilnmoor_book(), every = "day"), last = 3))), "last window")
  past <- quiet(add_moving(totals(keep_lines(kilnmoor_book(), day < as.Date("2026-09-01")), every = "month"), last = 3))
  expect_no_match(in_words(past), "last window")
})
