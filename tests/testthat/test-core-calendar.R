days <- as.Date("2019-12-15") + 0:2600

test_that("ISO weeks equal R's own, months and years too", {
  expect_identical(period_label(days, "week"), format(days, "%G-W%V"))
  expect_identical(format(period_start(days, "week"), "%u"), rep("1", length(days)))
  expect_identical(period_label(days, "month"), format(days, "%Y-%m"))
  expect_identical(period_start(days, "month"), as.Date(format(days, "%Y-%m-01")))
  expect_identical(period_label(days, "quarter"), paste0(format(days, "%Y-"), quarters(days)))
  expect_identical(period_start(days, "year"), as.Date(format(days, "%Y-01-01")))
  expect_identical(period_end(days, "year"), as.Date(format(days, "%Y-12-31")))
  expect_identical(period_label(days, "weekday"),
                   c("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")[as.integer(format(days, "%u"))])
  expect_identical(period_label(days, "month_of_year"), month.abb[as.integer(format(days, "%m"))])
})

# What every calendar must keep: periods follow each other without gap or overlap, and nest.
expect_periods <- function(calendar, every) {
  start <- period_start(days, every, calendar)
  end <- period_end(days, every, calendar)
  expect_true(all(start <= days & days <= end))
  expect_identical(period_start(end, every, calendar), start)
  expect_identical(period_start(end + 1, every, calendar), end + 1)
  expect_identical(length(unique(period_label(days, every, calendar))), length(unique(start)))
}

calendars <- list(
  sales_calendar(), sales_calendar("04-01"), sales_calendar("04-06"), sales_calendar(week_starts = "sunday"),
  sales_calendar(weeks = "445"), sales_calendar("02-01", "sunday", "445"), sales_calendar("08-31", "saturday", "445")
)

test_that("periods cover every day once in every calendar", {
  for (calendar in calendars) {
    for (every in c("day", "week", "month", "quarter", "year")) expect_periods(calendar, every)
    expect_identical(
      period_start(period_start(days, "month", calendar), "quarter", calendar), period_start(days, "quarter", calendar)
    )
  }
})

test_that("fiscal years bear both years and start on their day", {
  april <- sales_calendar("04-06")
  expect_identical(period_label(as.Date(c("2026-04-05", "2026-04-06")), "year", april), c("2025/26", "2026/27"))
  expect_identical(period_label(as.Date("1999-12-31"), "year", april), "1999/00")
  expect_identical(period_start(as.Date("2026-09-05"), "month", april), as.Date("2026-08-06"))
  expect_identical(period_label(as.Date("2026-09-17"), "quarter", april), "2026/27-Q2")
})

test_that("4-4-5 years have 52 or 53 whole weeks and months of 4, 4 and 5", {
  retail <- sales_calendar("02-01", "sunday", "445")
  # Published retail calendars start these years on these Sundays; 2023 has 53 weeks.
  expect_identical(
    period_start(as.Date(c("2021-06-01", "2022-06-01", "2023-06-01", "2024-06-01", "2025-06-01")), "year", retail),
    as.Date(c("2021-01-31", "2022-01-30", "2023-01-29", "2024-02-04", "2025-02-02"))
  )
  weeks <- function(every) as.numeric(period_end(days, every, retail) - period_start(days, every, retail) + 1) / 7
  expect_setequal(weeks("month"), c(4, 5, 6))
  expect_setequal(weeks("quarter"), c(13, 14))
  expect_setequal(weeks("year"), c(52, 53))
  starts <- unique(period_start(days, "month", retail))
  lengths <- as.numeric(diff(starts[starts >= as.Date("2021-01-31") & starts <= as.Date("2022-01-30")])) / 7
  expect_identical(lengths, rep(c(4, 4, 5), 4))
  expect_identical(period_label(as.Date(c("2024-01-31", "2024-02-03")), "month", retail),
                   c("2023/24-P12", "2023/24-P12"))
  expect_identical(period_label(as.Date("2024-02-03"), "week", retail), "2023/24-W53")
})

test_that("days before 1970 and missing days are handled", {
  expect_identical(period_label(as.Date(c("1969-12-31", "1899-03-01", NA)), "month"), c("1969-12", "1899-03", NA))
  expect_identical(period_start(as.Date(NA), "week"), as.Date(NA))
})

test_that("days too far away to have a last day of their year are refused", {
  for (day in c(-2147483647, 2147483647, 2147483000, 3e9)) for (of in c(period_start, period_end, period_label)) {
    expect_error(of(as.Date(day, origin = "1970-01-01"), "year"), "too far away", class = "hinterfeld_error_argument")
  }
  expect_identical(period_end(as.Date(9e8, origin = "1970-01-01"), "day"), as.Date(9e8, origin = "1970-01-01"))
})

test_that("totals follow the daybook's calendar", {
  book <- daybook(a_sale(day = as.Date(c("2026-04-05", "2026-04-06", "2026-07-05")), revenue = 1:3), day, revenue,
                  product,
                  calendar = sales_calendar("04-06"))
  expect_identical(totals(book, every = "year")$year, as.Date(c("2025-04-06", "2026-04-06")))
  expect_identical(totals(book, every = "quarter")$revenue, c(1, 5))
  expect_identical(totals(book, every = "week")$week, as.Date(c("2026-03-30", "2026-04-06", "2026-06-29")))
})

test_that("calendars that cannot be are refused", {
  expect_snapshot(error = TRUE, {
    sales_calendar("02-29")
    sales_calendar("4-1")
    sales_calendar("01-31")
    sales_calendar(week_starts = "Sunday")
    sales_calendar(week_starts = "sunday", weeks = "iso")
    sales_calendar(weeks = "454")
    period_start("2026-01-01", "month")
    period_start(as.Date("2026-01-01"), "weekday")
    period_start(as.Date("2026-01-01"), "month", "april")
  })
})
