test_that("numbers as text read back as the same number, without exponent, in every session", {
  withr::local_options(OutDec = ",", scipen = -9, digits = 3)
  x <- c(0.1, 1 / 3, 1e5, 123456789012345.6, 2^52, 1e22, -2.5, 1e-7, NA)
  path <- deliver(data.frame(x = x, n = 1), withr::local_tempfile(fileext = ".csv"))
  text <- sub(",1$", "", readLines(path)[-1])
  is.na(text) <- text == ""
  expect_identical(as.numeric(text), x)
  expect_identical(text[c(1, 3, 7)], c("0.1", "100000", "-2.5"))
  expect_false(any(grepl("[e,]", text[!is.na(text)])))
})

test_that("keys of numbers stand by size also where they must say Total, and blanks last", {
  book <- daybook(a_sale(k = c(100, 9, 10, NA)), day, revenue, product)
  t <- add_rank(totals(book, by = k, subtotals = TRUE), ties = "ordinal")
  expect_identical(t$k, c("9", "10", "100", "not given", "Total"))
  expect_identical(t$revenue_rank, c(1, 2, 3, 4, 1))
  texts <- daybook(a_sale(k = c("a", "z", NA, "not")), day, revenue, product)
  expect_identical(add_rank(totals(texts, by = k), ties = "ordinal")$k, c("a", "not", "z", "not given"))
})

test_that("only values of lines that count need another word for the total, wherever the others were left out", {
  sales <- a_sale(k = c("a", "Total", "not given"), n = 1:3)
  whole <- daybook(sales, day, revenue, product)
  expect_message(t <- totals(whole, by = k, subtotals = TRUE), "subtotals are called \"Total of all\"")
  expect_true("Total of all" %in% t$k)
  left <- keep_lines(whole, n == 1)
  own <- daybook(sales[1, ], day, revenue, product)
  for (facts in list(left, tally_of(left, by = k), own)) {
    expect_identical(totals(facts, by = k, subtotals = TRUE)$k, c("a", "Total"))
  }
})

test_that("a value called like the subtotals, of lines that were left out, is not taken for them", {
  book <- a_book(day = as.Date("2026-03-02"), product = c("a", "Total", "not given"), revenue = 1:3, region = NA)
  t <- totals(keep_lines(book, product == "a"), by = c(product, region), subtotals = TRUE)
  march <- as.Date(c("2026-03-01", "2026-03-31"))
  changed <- add_change(t, periods = list(now = march, before = march - 31))
  expect_identical(changed$revenue_now, c(1, 1, 1))
  expect_identical(lines_behind(t, 3)$revenue, 1)
})
