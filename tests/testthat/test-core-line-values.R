test_that("expressions over exact columns are exact and have the decimals of their parts", {
  sales <- a_sale(product = letters[1:4], revenue = c(0.1, 0.2, 0.3, 1.05), n = c(3, 1, 2, -1),
                  cost = c(0.07, 0.125, 0.1, NA), rate = 0.5)
  book <- daybook(sales, day, revenue, product, units = n)
  of <- function(x) {
    t <- totals(book, measures = list(m = x))
    written <- readLines(deliver(t, withr::local_tempfile(fileext = ".csv")))[2]
    list(t$m, nchar(sub("^[^.]*[.]?", "", written)))
  }
  expect_no_message(expect_identical(of(sum_of(revenue - units * cost)),
                                     list((100 - 210 + 200 - 125 + 300 - 200) / 1000, 3L)))
  expect_identical(of(sum_of(revenue * rate)), list(0.825, 3L))
  expect_identical(of(sum_of((revenue + 0.001) * 2)), list(3.308, 3L))
  expect_identical(of(sum_of(-abs(units))), list(-7, 0L))
  expect_identical(of(largest_of(pmax(revenue, cost))), list(0.3, 3L))
  expect_identical(of(sum_of(ifelse(units > 1, revenue, 0))), list(0.4, 2L))
  factor <- 3
  expect_identical(of(sum_of(revenue * factor)), list(4.95, 2L))
  expect_identical(of(sum_of(.data$revenue - .data[["cost"]])), list((600 - 295) / 1000, 3L))
})

test_that("what is no exact decimal goes the ordinary way, and says what it rounds", {
  book <- daybook(a_sale(revenue = 1, n = 3), day, revenue, product, units = n)
  expect_message(t <- totals(book, measures = list(m = mean_of(revenue / units))), "too many decimals")
  expect_equal(t$m, 0.333333)
  # A difference that needs more digits than are exact is an error, not a number without them.
  near <- daybook(a_sale(revenue = -18591919727650, n = 1, cost = 0.425), day, revenue, product, units = n)
  expect_error(totals(near, measures = list(m = largest_of(revenue - units * cost))),
               class = "hinterfeld_error_overflow")
  large <- daybook(a_sale(revenue = 9e12, n = 3), day, revenue, product, units = n)
  expect_error(totals(large, measures = list(m = sum_of(revenue * revenue))), class = "hinterfeld_error_overflow") |>
    quiet()
})

test_that("columns of six decimals are computed in exactly, those of seven are not", {
  book <- a_book(product = c("a", "b"), revenue = 0, six = c(0.000001, 0.000002), seven = c(0.0000001, 0.0000002))
  sum <- quiet(totals(book, measures = list(x = sum_of(six * 3))))
  expect_identical(sum$x, 0.000009)
  expect_identical(hinterfeld:::answer_of(sum)$measures$x$decimals, 6L)
  expect_message(totals(book, measures = list(x = sum_of(seven))), "rounded to 6")
})
