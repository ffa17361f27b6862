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

test_that("revenue, a column and a measure of one formula are the same, and exact", {
  source(test_path("..", "campaign", "decimals.R"), local = TRUE)
  set.seed(57)
  expect_identical(quiet(wrong_decimals(if (thorough()) 1e5 else 3000)), rep(0, length(decimal_formulas)))
  one <- a_sale(q = c(2, 1), price = c(68.75, 10.03), discount = c(0.07, 0), kg = c(1, .5), rebate = c(0, 10))
  of <- function(revenue) lines_of(rlang::inject(daybook(one[names(one) != "revenue"], day, !!rlang::enexpr(revenue),
                                                         product)))$revenue
  # A double has 9.624999 and 0.01499999.
  expect_identical(of(q * price * (1 - discount) * .1), c(12.79, 1))
  expect_identical(of(kg * (price - rebate)), c(68.75, 0.02))
  expect_identical(of(q * price * 0.93 / 13.2857142857), c(9.63, 0.7))
})

test_that("values that do not fit into 64 bits take another road to the same result", {
  set.seed(5)
  n <- 400
  big <- a_sale(product = "a", a = round(stats::runif(n, -1, 1) * 10^sample(0:8, n, TRUE), 6),
                b = round(stats::runif(n, -1, 1) * 10^sample(0:5, n, TRUE), 6),
                c = sample(c(NA, 1e-6, 0.5, 3, -7.25, 1 / 3), n, TRUE), k = sample(c(NA, TRUE, FALSE), n, TRUE))
  book <- daybook(big, day, revenue, product)
  for (formula in expression(a * b * c, a * b * c * b, (a + b) / c, a / (b - c), round(a * b, 3) - c, a %/% c, a %% 7,
                             pmin(a, b * c), ifelse(k, a * b, c), abs(a) * k, -(a - c)^3, a / b / c + 1)) {
    with_dots <- line_formula(formula, globalenv(), book, "x", NULL)
    roads <- lapply(c(FALSE, TRUE), formula_minor, formula = with_dots, book = book, decimals = 4L)
    expect_identical(roads[[1]], roads[[2]], label = deparse(formula))
    plain <- eval(formula, big) * 1e4
    # A double may miss the whole number that a quotient is.
    near <- abs(roads[[1]] - plain) <= 0.51 + 1e-9 * abs(plain) + 1e4 * ("%/%" %in% all.names(formula))
    expect_true(all(near | is.infinite(roads[[1]]), na.rm = TRUE), label = deparse(formula))
    expect_identical(is.na(roads[[1]]), !is.finite(plain) & !is.infinite(roads[[1]]), label = deparse(formula))
  }
})

test_that("a value is one for each line, or a constant", {
  book <- a_book(product = c("a", "b", "c"), revenue = c(10, 20, 30), tax = c(1, 2, 3))
  net <- TRUE
  expect_identical(totals(book, by = product, measures = list(m = sum_of(ifelse(net, revenue - tax, revenue))))$m,
                   c(27, 18, 9))
  flag <- c(TRUE, FALSE)
  expect_snapshot(error = TRUE, {
    totals(book, measures = list(m = sum_of(head(revenue, 2))))
    totals(book, measures = list(m = sum_of(max(revenue))))
    totals(book, measures = list(m = sum_of(revenue / sum(revenue))))
    totals(book, measures = list(m = sum_of(ifelse(flag, revenue, 0))))
    totals(book, measures = list(m = sum_of(revenue * c(1, 2))))
    totals(book, measures = list(m = sum_of(revenue, where = revenue > c(5, 25))))
    tally_of(book, by = product, measures = list(m = sum_of(head(revenue, 2))))
    extend_lines(book, m = rev(revenue)[-1])
    extend_lines(book, m = matrix(revenue, 3, 2))
    keep_lines(book, product == c("a", "b"))
    daybook(a_sale(revenue = 1:2)[-3], day, revenue = 5, product)
    daybook(cbind(a_sale(revenue = 1:2), m = I(matrix(1:4, 2))), day, revenue, product)
  })
})

test_that("texts are compared as texts and computed with as numbers", {
  lines <- a_sale(product = c("a", "b", "c"), amount = c("10.05", "2", "?"), currency = c("EUR", "GBP", "EUR"))
  lines$revenue <- NULL
  book <- daybook(lines, day, amount * ifelse(currency == "EUR", 0.85, 1), product, on_bad = "set_aside")
  expect_identical(lines_of(book)$revenue, c(8.54, 2))
  expect_identical(set_aside(book)$reason, "revenue not a number")
  free <- daybook(lines, day, ifelse(amount == "?", 0, amount), product, on_bad = "set_aside")
  expect_identical(lines_of(free)$revenue, c(10.05, 2))
  parsed <- daybook(lines, day, as.numeric(sub("?", "7", amount, fixed = TRUE)) / 2, product)
  expect_identical(lines_of(parsed)$revenue, c(5.03, 1, 3.5))
})

test_that("what R computes in binary numbers is said", {
  book <- a_book(revenue = c(2, 3))
  expect_message(t <- totals(book, measures = list(m = sum_of(round(sqrt(revenue), 2)))), "computed by R in binary")
  expect_identical(t$m, 3.14)
  expect_no_message(totals(book, measures = list(m = sum_of(revenue * month(day)))))
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
