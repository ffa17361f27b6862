# What is compared with what, without any lines: the earlier period of each period.
earlier <- function(start, every, versus = "year_before", align = "date", calendar = sales_calendar()) {
  found <- hinterfeld:::earlier_period(as.Date(start), every, list(versus = versus, align = align), calendar)
  paste(format(found$start), format(found$end))
}

test_that("the same place one year before", {
  expect_identical(earlier("2026-09-01", "month"), "2025-09-01 2025-09-30")
  expect_identical(earlier(c("2024-02-01", "2025-02-01"), "month"), c("2023-02-01 2023-02-28", "2024-02-01 2024-02-29"))
  expect_identical(earlier("2026-07-01", "quarter"), "2025-07-01 2025-09-30")
  expect_identical(earlier("2026-01-01", "year"), "2025-01-01 2025-12-31")
  expect_identical(earlier("2026-09-14", "week"), "2025-09-15 2025-09-21")
  expect_identical(earlier("2020-12-28", "week"), "NA NA")
  expect_identical(earlier(c("2024-02-29", "2025-03-01"), "day"), c("NA NA", "2024-03-01 2024-03-01"))
})

test_that("weekdays, the period before, fiscal and 4-4-5 years", {
  expect_identical(earlier("2026-09-14", "week", align = "weekday"), "2025-09-15 2025-09-21")
  expect_identical(earlier("2026-09-01", "month", align = "weekday"), "2025-09-02 2025-10-01")
  expect_identical(earlier("2026-03-01", "month", versus = "period_before"), "2026-02-01 2026-02-28")
  expect_identical(earlier("2026-04-06", "year", calendar = sales_calendar("04-06")), "2025-04-06 2026-04-05")
  retail <- sales_calendar("02-01", "sunday", "445")
  expect_identical(earlier("2024-02-04", "year", calendar = retail), "2023-01-29 2024-02-03")
  expect_identical(earlier("2024-02-04", "week", calendar = retail), "2023-01-29 2023-02-04")
})

test_that("the earlier period is cut to the days that have passed", {
  cut <- function(start, now, every, versus = "year_before", align = "date", calendar = sales_calendar()) {
    how <- list(versus = versus, align = align)
    start <- as.Date(start)
    before <- hinterfeld:::earlier_period(start, every, how, calendar)
    format(hinterfeld:::cut_day(start, before$start, before$end, as.Date(now), every, how, calendar))
  }
  expect_identical(cut("2026-09-01", "2026-09-17", "month"), "2025-09-17")
  expect_identical(cut("2025-01-01", "2025-03-10", "year"), "2024-03-10")
  expect_identical(cut("2024-01-01", "2024-02-29", "year"), "2023-02-28")
  expect_identical(cut("2026-03-01", "2026-03-30", "month", versus = "period_before"), "2026-02-28")
  expect_identical(cut("2026-09-14", "2026-09-16", "week"), "2025-09-17")
  expect_identical(cut("2026-09-01", "2026-09-17", "month", align = "weekday"), "2025-09-18")
  expect_identical(cut("2024-02-04", "2024-02-20", "month", calendar = sales_calendar("02-01", "sunday", "445")),
                   "2023-02-14")
})

test_that("data that start inside the earlier period are not comparable, before it they are unknown", {
  book <- daybook(a_sale(day = as.Date("2024-05-10") + 31 * 0:20, revenue = rep(1, 21)), day, revenue, product)
  t <- add_change(totals(book, every = "month", fill = TRUE))
  row <- function(month) as.list(as.data.frame(t)[t$month == as.Date(month), c("revenue_direction", "comparable")])
  expect_identical(row("2025-04-01"), list(revenue_direction = "unknown", comparable = "none"))
  expect_identical(row("2025-05-01"), list(revenue_direction = "unknown", comparable = "none"))
  expect_identical(row("2025-06-01")$comparable, "full")
})

test_that("an earlier period is the table's own where all its lines are compared", {
  lines <- a_sale(day = as.Date(c("2024-01-10", "2026-03-20")))
  plan <- function(every, ..., calendar = sales_calendar()) {
    how <- utils::modifyList(list(versus = "year_before", align = "date", like_for_like = TRUE), list(...))
    hinterfeld:::change_plan(every, daybook(lines, day, revenue, product, calendar = calendar), how)
  }
  months <- plan("month")
  at <- function(text, p) match(as.Date(text), p$starts)
  # January 2024 begins before the data do, and is compared with all that there is of it.
  expect_identical(months$later[at("2024-01-01", months)], at("2025-01-01", months))
  expect_identical(months$later[at("2025-02-01", months)], at("2026-02-01", months))
  # March 2026 has come to the 20th: only part of March 2025 is compared.
  expect_identical(months$later[at("2025-03-01", months)], NA_integer_)
  expect_identical(plan("month", like_for_like = FALSE)$later[at("2025-03-01", months)], at("2026-03-01", months))
  expect_identical(months$later[at("2026-01-01", months)], NA_integer_)
  before <- plan("month", versus = "period_before")
  expect_identical(before$later[at("2024-01-01", before)], at("2024-02-01", before))
  # 364 days before, a month's days are not those of a month.
  expect_true(all(is.na(plan("month", align = "weekday")$later)))
  weeks <- plan("week", align = "weekday")
  expect_identical(weeks$later[1], 53L)
  days <- plan("day")
  expect_identical(days$later[at("2024-02-29", days)], NA_integer_)
  expect_identical(days$later[at("2024-03-01", days)], at("2025-03-01", days))
})
