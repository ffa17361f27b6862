revenue_of <- function(x) {
  lines_of(daybook(a_sale(amount = x)[c("day", "product", "amount")], day, amount, product))$revenue
}

test_that("text amounts are read strictly, with sign, point and exponent", {
  expect_identical(revenue_of(c("1.5", "-2", "+3", ".25", " 7 ", "1e2", "5.")), c(1.5, -2, 3, 0.25, 7, 100, 5))
  for (bad in c("1,000", "12 50", "0x10", "1e", "--1", "1.2.3", "Inf", "NaN", "EUR 5")) {
    book <- daybook(a_sale(amount = c("1", "2", bad))[c("day", "product", "amount")], day, amount, product,
                    on_bad = "set_aside")
    expect_identical(set_aside(book)$reason, "revenue not a number", label = bad)
  }
})

test_that("numbers that are none are told from blanks", {
  book <- daybook(a_sale(price = c(1, NA, NaN, Inf, 2),
                         pieces = c(1, 1, 1, 1, NA))[c("day", "product", "price", "pieces")],
                  day, price * pieces, product, on_bad = "set_aside")
  expect_identical(set_aside(book)$reason,
                   c("no revenue", "revenue not a number", "revenue not a number", "no revenue"))
})

test_that("roles may be computed", {
  book <- daybook(data.frame(stamp = "2026-03-02 10:15", sku = "K1", cents = 575), as.Date(substr(stamp, 1, 10)),
                  cents / 100, paste0("item ", sku))
  expect_identical(lapply(lines_of(book)[1:3], identity),
                   list(day = as.Date("2026-03-02"), product = "item K1", revenue = 5.75))
  expect_identical(names(lines_of(book)), c("day", "product", "revenue", "stamp", "sku", "cents"))
  expect_snapshot(error = TRUE, daybook(a_sale(), day, sum(revenue), product))
})

test_that("a product given as a number, a factor and a text are all products", {
  for (x in list(7, factor("seven"), "seven")) {
    expect_identical(as.character(totals(daybook(a_sale(product = x), day, revenue, product), by = product)$product),
                     as.character(x))
  }
})

test_that("amounts in a column of text are read with the marks of their file", {
  path <- text_at("day;product;revenue\n2026-01-02;bowl;1.234,50\n2026-01-03;jug;2,5\n2026-01-04;jug;free\n")
  lines <- load_table(path, decimal_mark = ",")
  expect_type(lines$revenue, "character")
  book <- quiet(daybook(lines, day, revenue, product, on_bad = "set_aside"))
  expect_identical(lines_of(book)$revenue, c(1234.5, 2.5))
})

test_that("a decimal comma is pointed at as soon as one amount has it", {
  sales <- a_sale(revenue = c("3,50", "free", "none"))
  expect_error(daybook(sales, day, revenue, product), "decimal_mark = \",\"", fixed = TRUE)
})

test_that("days may be times in pieces, and a column of lists is no obstacle", {
  sales <- data.frame(product = c("a", "b"), revenue = 1:2)
  sales$day <- as.POSIXlt(c("2026-01-02 10:00", "2026-01-03 23:59"), tz = "UTC")
  sales$shape <- list(1:2, 3)
  book <- daybook(sales, day, revenue, product)
  expect_identical(lines_of(book)$day, as.Date(c("2026-01-02", "2026-01-03")))
  expect_identical(totals(book, by = product)$revenue, c(2, 1))
})
