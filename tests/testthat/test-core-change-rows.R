test_that("who is gone has a row, also where two columns tell the period", {
  book <- a_book(day = as.Date(c("2024-01-05", "2024-02-06", "2025-01-05", "2025-02-06")),
                 product = c("a", "a", "b", "a"), revenue = 1:4)
  one <- add_change(totals(book, by = product, every = "month"))
  two <- add_change(totals(book, by = product, every = c("year", "month_of_year")))
  values <- c("product", "revenue", "revenue_before", "revenue_direction")
  expect_identical(as.list(two)[values], as.list(one)[values])
  expect_identical(format(two$year, "%Y"), format(one$month, "%Y"))
  expect_identical(as.character(two$month_of_year), month.abb[as.integer(format(one$month, "%m"))])
  expect_identical(two$product[two$revenue_direction %in% "gone"], "a")
})
