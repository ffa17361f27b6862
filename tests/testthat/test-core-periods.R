test_that("an unknown period stops", {
  expect_error(period_start(as.Date("2026-01-01"), "fortnight"), class = "hinterfeld_error_argument")
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
                 "Q1 and Q2 have 4 whole quarters each and Q3 and Q4 have 3; 2026-Q3 is not complete")
  expect_s3_class(figure_weekdays(quiet(totals(kilnmoor_book(), every = "quarter_of_year"))), "ggplot")
  expect_identical(period_label(as.Date("2026-05-01"), "quarter_of_year", sales_calendar("04-01")), "Q1")
})

test_that("several periods are the single one that they tell, in rows, subtotals, changes and running totals", {
  for (seed in seeds(71, 1, 3)) {
    calendar <- sales_calendar(year_starts = if (seed == 72) "04-01" else "01-01")
    random <- random_book(seed, days = 800, calendar = calendar)
    chain <- function(every, within) {
      t <- quiet(totals(random$book, by = c(region, product), every = every))
      t <- add_moving(add_running_total(add_rank(add_change(t), within = within), restart = "year"), last = 3)
      best_sellers(t, n = 2, within = within)
    }
    one <- chain("month", "month")
    two <- chain(c("year", "month_of_year"), c("year", "month_of_year"))
    values <- function(t) as.list(t)[-match(c("year", "month", "month_of_year"), names(t), 0)]
    expect_identical(values(two), values(one))
    expect_identical(two$year, period_start(one$month, "year", calendar))
    expect_identical(as.character(two$month_of_year), month.abb[as.integer(format(one$month, "%m"))])
    three <- quiet(totals(random$book, by = region, every = c("year", "quarter", "month"), subtotals = TRUE))
    at <- function(level) three[three$level == level, ]
    for (every in c("year", "quarter", "month")) {
      whole <- quiet(totals(random$book, every = every))
      expect_identical(at(every)$revenue, whole$revenue)
      # A year below its months is compared as a table of years compares it.
      changed <- add_change(three)
      expect_identical(changed$revenue_before[changed$level == every], add_change(whole)$revenue_before)
    }
    expect_true(all(reconcile(three)$matches))
  }
})

test_that("periods filled, in weeks, and recurring within a year", {
  book <- daybook(a_sale(day = as.Date(c("2024-11-05", "2025-02-03")), product = c("a", "b"), revenue = 1), day,
                  revenue, product)
  t <- totals(book, by = product, every = c("year", "month_of_year"), fill = TRUE)
  expect_identical(as.character(t$month_of_year), rep(c("Nov", "Dec", "Jan", "Feb"), each = 2))
  expect_identical(t$revenue, c(1, 0, 0, 0, 0, 0, 1, 0))
  # A week is of the year that holds its fourth day, and is not torn apart.
  over <- daybook(a_sale(day = as.Date(c("2024-12-30", "2025-01-02")), revenue = 1), day, revenue, product)
  weeks <- totals(over, every = c("year", "week"))
  expect_identical(as.list(as.data.frame(weeks)),
                   list(year = as.Date("2025-01-01"), week = as.Date("2024-12-30"), revenue = 2))
  expect_message(t <- totals(kilnmoor_book(), every = c("year", "weekday")),
                 "Within each year, the days of the same weekday are added up")
  expect_identical(nrow(t), 28L)
  expect_error(add_change(t), class = "hinterfeld_error_period")
  expect_snapshot(error = TRUE, {
    totals(book, every = c("month", "year"))
    totals(book, every = c("year", "fortnight"))
  })
})
