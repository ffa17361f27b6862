minor_of <- function(x, ...) {
  book <- daybook(tibble::tibble(day = as.Date("2026-01-01"), product = "a", revenue = x), day, revenue, product, ...)
  lines_of(book)$revenue
}

test_that("a half in decimal is a half although the double is not", {
  expect_identical(minor_of(c(1.005, 2.675, -1.005, 1.015, 0.285)), c(1.01, 2.68, -1.01, 1.02, 0.29))
  expect_identical(minor_of(c(1.005, 2.675, -1.005, 1.015), rounding = "half_even"), c(1.00, 2.68, -1.00, 1.02))
  expect_identical(minor_of(3 * 19.99 * 0.85), 50.97)
  expect_identical(minor_of(c(1.0049, 1.0051, 0.0049999), rounding = "half_even"), c(1.00, 1.01, 0))
})

test_that("decimals from 0 to 6 are kept", {
  expect_identical(minor_of(c(2.5, -2.5, 3.49), decimals = 0), c(3, -3, 3))
  expect_identical(minor_of(1.2345675, decimals = 6), 1.234568)
  expect_snapshot(error = TRUE, {
    minor_of(1, decimals = 7)
    minor_of(1, decimals = "two")
  })
})

test_that("lines are exact up to the bound of totals and too large beyond", {
  amounts <- c(9e12, -9e12, 8999999999999.99, 22517998136852.47, -22517998136852.48)
  expect_identical(minor_of(amounts), amounts)
  bad <- a_sale(revenue = c(22517998136852.49, 1))
  book <- daybook(bad, day, revenue, product, on_bad = "set_aside")
  expect_identical(set_aside(book)$reason, "too large")
})

test_that("an overflow is an error and never a wrong sum", {
  many <- a_sale(revenue = rep(9e12, 3))
  expect_snapshot(error = TRUE, daybook(many, day, revenue, product))
  expect_error(daybook(a_sale(revenue = rep(9e12, 20000)), day, revenue, product), class = "hinterfeld_error_overflow")
  expect_error(extend_lines(a_book(), per = revenue / 0), "not a finite number")
  expect_identical(totals(daybook(a_sale(revenue = rep(9e12, 2)), day, revenue, product))$revenue, 1.8e13)
})

test_that("revenue built from cents in different order ties exactly", {
  book <- daybook(tibble::tibble(
    day = as.Date("2026-01-01"), product = c("a", "a", "b", "c", "c", "c"), revenue = c(0.1, 0.2, 0.3, 0.2, 0.05, 0.05)
  ), day, revenue, product)
  expect_identical(totals(book, by = product)$revenue, c(0.3, 0.3, 0.3))
})

test_that("rounding agrees with decimal text for random thousandths", {
  withr::local_seed(11)
  thousandths <- sample(-5e6:5e6, 5000)
  exact <- sign(thousandths) * ((abs(thousandths) + 5) %/% 10) / 100
  expect_identical(minor_of(thousandths / 1000), exact)
})

test_that("up to the bound every function is exact, and beyond it each says so", {
  near <- daybook(a_sale(day = as.Date("2024-01-01") + 0:2, product = c("a", "b", "a"), revenue = c(6e12, 3e12, 4e12)),
                  day, revenue, product)
  t <- totals(near, by = product)
  expect_identical(add_share(t)$revenue_share, c(10 / 13, 3 / 13))
  expect_identical(unlist(best_of_each(t)[c("revenue", "best_seller_revenue")], use.names = FALSE), c(1.3e13, 1e13))
  expect_true(all(reconcile(t)$matches))
  expect_identical(add_pareto(t)$revenue_cumulative, c(1e13, 1.3e13))
  days <- totals(near, by = product, every = "day")
  expect_identical(add_moving(days, last = 2)$revenue_moving_sum, c(NA, 3e12, 4e12))
  expect_identical(add_running_total(days)$revenue_running, c(6e12, 3e12, 1e13))
  path <- deliver(t, withr::local_tempfile(fileext = ".parquet"))
  expect_identical(nanoparquet::read_parquet(path)$revenue, c(1e13, 3e12))
  largest <- 2^51
  at <- daybook(a_sale(product = c("a", "b"), revenue = c(largest - 1, 1)), day, revenue, product, decimals = 0)
  whole <- totals(at, by = product, subtotals = TRUE)
  expect_identical(whole$revenue, c(largest - 1, 1, largest))
  for (ending in c(".csv", ".json", ".xlsx", ".parquet")) {
    path <- deliver(totals(at, by = product), withr::local_tempfile(fileext = ending))
    read <- switch(ending, .csv = utils::read.csv(path), .json = jsonlite::fromJSON(path)$rows,
                   .xlsx = readxl::read_excel(path, 2), nanoparquet::read_parquet(path))
    expect_identical(as.double(read$revenue), c(largest - 1, 1), label = ending)
  }
  expect_error(daybook(a_sale(product = c("a", "b"), revenue = c(largest - 1, 2)), day, revenue, product, decimals = 0),
               class = "hinterfeld_error_overflow")
})

test_that("amounts of a table are doubles, and exact as long as nobody writes into them", {
  minor <- c(1:5, NA, -7, 2^51, 0)
  for (whole in list(minor, c(3L, NA, -4L))) {
    amounts <- hinterfeld:::from_minor(whole, 2)
    expect_identical(amounts[c(2, NA, 1)], (whole / 100)[c(2, NA, 1)])
    expect_identical(hinterfeld:::to_minor(amounts, 2), as.double(whole))
    expect_identical(hinterfeld:::to_minor(amounts, 3), hinterfeld:::to_minor(whole / 100, 3))
    expect_identical(hinterfeld:::to_minor(amounts, 1), hinterfeld:::to_minor(whole / 100, 1))
    other <- amounts
    other[2] <- 1.5
    expect_identical(list(amounts, other), list(whole / 100, replace(whole / 100, 2, 1.5)))
    expect_identical(hinterfeld:::to_minor(other, 2), replace(as.double(whole), 2, 150))
    names(other) <- letters[seq_along(other)]
    expect_identical(unserialize(serialize(amounts, NULL)), amounts)
    expect_identical(is.na(hinterfeld:::from_minor(whole, 2)), is.na(whole))
  }
  expect_identical(hinterfeld:::from_minor(c(1.5, NaN, Inf, 2^52), 1), c(0.15, NaN, Inf, 2^52 / 10))
  expect_identical(hinterfeld:::to_minor(hinterfeld:::from_minor(1:3, 2), 2, whole = TRUE), 1:3)
  expect_identical(hinterfeld:::from_minor(minor, 2, c(3L, 6L, 3L)), c(0.03, NA, 0.03))
  t <- totals(a_book(product = letters[1:3], revenue = 3:1 / 4), by = product)
  t$revenue[1] <- 9
  expect_identical(t$revenue, c(9, 0.5, 0.25))
})
