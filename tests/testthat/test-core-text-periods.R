test_that("texts that are periods stand in calendar order, in rows, inside groups and in crosstabs", {
  book <- extend_lines(kilnmoor_book(), ym = format(day, "%Y-%m"), month = month.abb[as.integer(format(day, "%m"))],
                       at = c("sunday", "monday", "tuesday", "wednesday", "thursday", "friday",
                              "saturday")[as.integer(format(day, "%w")) + 1], y = format(day, "%Y"))
  by_text <- totals(book, by = ym)
  expect_identical(by_text$revenue, totals(book, every = "month")$revenue)
  expect_identical(totals(book, by = month)$month, month.abb)
  inner <- totals(book, by = c(region, at), subtotals = TRUE)
  expect_identical(inner$at[1:8], c("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday",
                                    "Total"))
  years <- totals(book, by = c(y, month))
  expect_identical(paste(years$y, years$month)[c(1, 12, 13, 45)], c("2023 Jan", "2023 Dec", "2024 Jan", "2026 Sep"))
  expect_identical(years$revenue, by_text$revenue)
  grid <- crosstab(years, month, y)
  expect_identical(names(grid), c("month", "2023", "2024", "2025", "2026", "Total"))
  expect_identical(grid$month, c(month.abb, "Total"))
  # The week starts where the calendar says, and a tally has the order of its lines.
  from_saturday <- quiet(daybook(lines_of(book), day, revenue, product,
                                 calendar = sales_calendar(week_starts = "saturday")))
  expect_identical(totals(from_saturday, by = at)$at[1:3], c("saturday", "sunday", "monday"))
  expect_identical(totals(tally_of(book, by = ym, every = NULL), by = ym)$ym, by_text$ym)
})

test_that("texts that only look like periods stand by revenue", {
  lines <- a_sale(day = as.Date("2026-01-01"), product = c("2041", "2043", "2042"), revenue = c(1, 3, 2))
  expect_identical(totals(daybook(lines, day, revenue, product), by = product)$product, c("2043", "2042", "2041"))
  two <- daybook(lines[2:3, ] |> transform(product = c("May", "March"), revenue = 2:1), day, revenue, product)
  expect_identical(totals(two, by = product)$product, c("March", "May"))
  lines$product <- c("May", "March", "June bowl")
  expect_identical(totals(daybook(lines, day, revenue, product), by = product)$product, c("March", "June bowl", "May"))
})
