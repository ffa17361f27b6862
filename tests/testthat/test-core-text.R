test_that("text reads as a value without regard to case and spaces", {
  expect_identical(reads_as(c("Paid", " PAID ", "un paid", NA), "paid"), c(TRUE, TRUE, FALSE, NA))
  expect_identical(reads_as(c("Van  round", "van round\t"), "Van Round"), c(TRUE, TRUE))
})

test_that("spellings are settled to the commonest, and it is said and audited", {
  sales <- a_sale(status = c("paid", "Paid ", "PAID", "paid", "open", NA, " Open"))
  expect_snapshot(settled <- settle_spelling(sales, status))
  expect_identical(settled$status, c("paid", "paid", "paid", "paid", "Open", NA, "Open"))
  book <- daybook(settled, day, revenue, product)
  expect_identical(audit(book)$why[2], "status: 5 values became 2")
  again <- quiet(settle_spelling(daybook(sales, day, revenue, product), status))
  expect_identical(lines_of(again)$status, settled$status)
  expect_identical(audit(again)$what, c("read", "daybook", "settle"))
  expect_message(settle_spelling(settled, status), "2 values, none of which differ")
})

test_that("what cannot be settled is explained", {
  expect_snapshot(error = TRUE, {
    settle_spelling(a_sale())
    settle_spelling(a_sale(), revenue)
    settle_spelling(a_sale(), stauts)
  })
})

test_that("reads_as() takes text, and a column without any value, and nothing else", {
  expect_identical(reads_as(c(NA, NA), "a"), c(NA, NA))
  expect_identical(reads_as(factor("A "), "a"), TRUE)
  expect_error(reads_as(c(1, NA), "a"), "`x` is", class = "hinterfeld_error_argument")
  expect_error(reads_as("1", 1), "the values are 1", class = "hinterfeld_error_argument")
})

test_that("letters and their marks read alike, and what looks alike is told apart", {
  composed <- "\u00c9tabli"
  apart <- "E\u0301tabli"
  expect_identical(reads_as(c(composed, apart, paste0(apart, "\u00a0"), "Etabli"), "\u00e9tabli"),
                   c(TRUE, TRUE, TRUE, FALSE))
  book <- a_book(product = c(composed, apart, "Spade", "Spade "), revenue = 1:4)
  shown <- format(totals(book, by = product))
  expect_match(shown, "\"Spade \" ", fixed = TRUE, all = FALSE)
  expect_match(shown, "(letters and marks apart)", fixed = TRUE, all = FALSE)
  settled <- quiet(settle_spelling(book, product))
  expect_identical(totals(settled, by = product)$product, c("Spade", composed))
})
