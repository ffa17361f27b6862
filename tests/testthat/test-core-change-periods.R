# Days 1 to 20 of March 2026, 1.00 each.
twenty_days <- function() a_book(day = as.Date("2026-03-01") + 0:19, revenue = 1)

between <- function(book, now, before) {
  day <- function(n) as.Date("2026-03-01") + n - 1
  add_change(totals(book), periods = list(now = day(now), before = day(before)))
}

test_that("periods are compared with their first and last days, and are full up to the last day there is", {
  t <- between(twenty_days(), c(11, 20), c(1, 9))
  expect_identical(c(t$revenue_now, t$revenue_before), c(10, 9))
  expect_identical(as.character(t$comparable), "full")
  expect_identical(as.character(t$revenue_direction), "up")
  for (outside in list(list(c(11, 20), c(-1, 10)), list(c(0, 10), c(-5, -2)), list(c(21, 22), c(1, 2)),
                       list(c(15, 20), c(10, 21)))) {
    t <- between(twenty_days(), outside[[1]], outside[[2]])
    expect_identical(as.character(t$comparable), "none")
    expect_identical(as.character(t$revenue_direction), "unknown")
    expect_identical(t$revenue_change_pct, NA_real_)
  }
  # The day before the first counts as a day without sales.
  expect_identical(as.character(between(twenty_days(), c(11, 20), c(0, 10))$comparable), "full")
  # Nothing is known of a period before the first day; of its last day alone something is.
  expect_identical(between(twenty_days(), c(1, 10), c(-9, 0))$revenue_before, NA_real_)
  expect_identical(between(twenty_days(), c(1, 10), c(-9, 1))$revenue_before, 1)
})

test_that("of two named periods, an unfinished one is compared with the same days of the other", {
  t <- between(twenty_days(), c(15, 31), c(1, 14))
  expect_identical(c(t$revenue_now, t$revenue_before), c(6, 6))
  expect_identical(as.character(t$comparable), "to_date")
  years <- list("2026" = as.Date(c("2026-01-01", "2026-12-31")), "2025" = as.Date(c("2025-01-01", "2025-12-31")))
  named <- add_change(totals(kilnmoor_book()), periods = years)
  yearly <- add_change(totals(kilnmoor_book(), every = "year"))
  same <- c("revenue_before", "revenue_change", "revenue_change_pct", "revenue_direction", "comparable")
  expect_identical(as.list(tibble::as_tibble(named)[same]), as.list(tibble::as_tibble(yearly)[4, same]))
  expect_match(in_words(named), "2026 is not complete, so 2025 is taken up to the same day", all = FALSE)
  whole <- add_change(totals(kilnmoor_book()), periods = years, like_for_like = FALSE)
  expect_identical(whole$revenue_before, yearly$revenue[3])
  expect_identical(as.character(whole$comparable), "none")
  expect_match(in_words(whole), "Compared as they are: 2026 is not complete", all = FALSE)
  # Up to the same date, also where a leap day lies between, and otherwise the same number of days.
  spring <- a_book(day = as.Date("2023-01-01") + 0:495, revenue = 1)
  this <- as.Date(c("2024-01-01", "2024-12-31"))
  expect_identical(add_change(totals(spring), periods = list(a = this, b = this - 365))$revenue_before, 130)
  expect_identical(add_change(totals(spring), periods = list(a = this, b = this - 364))$revenue_before, 131)
  # 29 February goes with 28 February.
  leap <- a_book(day = as.Date("2023-01-01") + 0:424, revenue = 1)
  february <- list(this = as.Date(c("2024-02-01", "2024-02-29")), that = as.Date(c("2023-02-01", "2023-02-28")))
  expect_identical(add_change(totals(leap), periods = february)$revenue_before, 28)
})

test_that("two named pairs of days are asked for, in order", {
  march <- as.Date(c("2026-03-01", "2026-03-31"))
  wrong <- list(list(a = march), list(march, march), list(a = march, b = rev(march)), list(a = march, b = march[1]),
                list(a = march, b = c(march[1], NA)), list(a = march, b = c("2026-01-01", "2026-01-31")), march)
  for (periods in wrong) {
    expect_error(add_change(totals(twenty_days()), periods = periods), "two pairs of dates",
                 class = "hinterfeld_error_period")
  }
  expect_error(add_change(totals(twenty_days(), every = "month"), periods = list(a = march, b = march)),
               "split by month already", class = "hinterfeld_error_period")
  one <- as.Date(c("2026-03-01", "2026-03-01"))
  expect_identical(add_change(totals(twenty_days()), periods = list(a = one, b = one))$revenue_change, 0)
})

test_that("a period whose earlier one is not covered is still shown", {
  early <- add_change(totals(kilnmoor_book()), periods = c("2023", "2022"))
  expect_identical(early$revenue_now, in_period(totals(kilnmoor_book(), every = "year"), "2023")$revenue)
  expect_identical(early$revenue_before, NA_real_)
})

test_that("months are named in full or in short", {
  book <- kilnmoor_book()
  asked <- function(...) as.data.frame(add_change(totals(book), periods = c(...)))[-1]
  expect_equal(asked("August 2026", "Sep 2025"), asked("2026-08", "2025-09"), ignore_attr = TRUE)
})
