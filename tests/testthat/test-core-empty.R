# Of 2024 and 2025, without any line in some months.
with_empty_months <- function(months = c("2024-03", "2024-06")) {
  day <- seq(as.Date("2024-01-01"), as.Date("2025-12-31"), by = 1)
  a_book(day = day[!format(day, "%Y-%m") %in% months], revenue = 1)
}

test_that("covered periods without a line are named beside the number", {
  book <- with_empty_months()
  expect_match(in_words(totals(book, every = "month")), "No line in 2024-03 and 2024-06.", fixed = TRUE, all = FALSE)
  t <- add_change(totals(book, every = "year"))
  expect_identical(as.character(t$comparable[2]), "full")
  expect_match(in_words(t), "No line in 2024-03 and 2024-06.", fixed = TRUE, all = FALSE)
  expect_match(format(t), "No line in 2024-03 and 2024-06.", fixed = TRUE, all = FALSE)
  # Only of periods that are shown or compared.
  quarters <- add_change(totals(book, every = "quarter"))
  expect_match(in_words(quarters), "No line in 2024-03 and 2024-06.", fixed = TRUE, all = FALSE)
  expect_match(in_words(in_period(quarters, "2025-Q1")), "No line in 2024-03.", fixed = TRUE, all = FALSE)
  expect_no_match(in_words(in_period(quarters, "2025-Q3")), "No line in")
  first <- add_change(totals(with_empty_months("2024-07"), every = "quarter"))
  expect_match(in_words(in_period(first, "2025-Q3")), "No line in 2024-07.", fixed = TRUE, all = FALSE)
  weeks <- in_words(in_period(add_change(totals(book, every = "month")), "2025-03"))
  expect_match(weeks, "No line in 2024-W10, 2024-W11, 2024-W12 and 2024-W13", all = FALSE)
})

test_that("a period that is ruled out is not one without a line", {
  ruled <- leave_out(with_empty_months(), day >= as.Date("2024-03-01") & day <= as.Date("2024-03-31"))
  expect_match(in_words(totals(ruled, every = "month")), "No line in 2024-06.", fixed = TRUE, all = FALSE)
  cut <- totals(ruled, every = "month")[1:3, ]
  expect_no_match(in_words(cut), "No line in")
})
