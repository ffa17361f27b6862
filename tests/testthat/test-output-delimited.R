test_that("tabs separate a .tsv", {
  path <- deliver(data.frame(a = c("x,y", "z"), n = c(1.5, NA)), withr::local_tempfile(fileext = ".tsv"))
  expect_identical(readLines(path), c("a\tn", "x,y\t1.5", "z\t"))
})

test_that("texts like formulas get an apostrophe, numbers do not, and it is said", {
  table <- data.frame(s = c("=SUM(A1)", "+49", "-5", "@x", "- note", "fine", NA), `=h` = -1, check.names = FALSE)
  path <- withr::local_tempfile(fileext = ".csv")
  expect_snapshot(deliver(table, path), transform = function(lines) gsub(path, "PATH", lines, fixed = TRUE))
  expect_identical(readLines(path),
                   c("s,'=h", "'=SUM(A1),-1", "+49,-1", "-5,-1", "'@x,-1", "'- note,-1", "fine,-1", ",-1"))
})

test_that("what is read back is what was written", {
  sales <- random_sales(5)
  path <- deliver(sales, withr::local_tempfile(fileext = ".csv"))
  back <- load_table(path, types = c(day = "text", product = "text", region = "text", status = "text", price = "text",
                                     pieces = "number"))
  sales$day[sales$day %in% ""] <- NA
  sales$price[sales$price %in% ""] <- NA
  expect_equal(as.data.frame(back), as.data.frame(sales), ignore_attr = TRUE)
})

test_that("days and money are plain text, whatever they are and the writer's options say", {
  withr::local_options(datatable.dateTimeAs = "epoch")
  written <- function(x) readLines(deliver(data.frame(x = x, n = 1), withr::local_tempfile(fileext = ".csv")))[-1]
  days <- as.Date(c("1000-01-01", "1969-12-31", "2024-02-29", "9999-12-31"))
  expect_identical(written(days), paste0(format(days), ",1"))
  expect_identical(written(days - 0.25), paste0(format(days - 0.25), ",1"))
  expect_identical(written(c(days[2], NA)), c("1969-12-31,1", ",1"))
})

test_that("a text like a formula leaves the decimals of money as they are", {
  path <- withr::local_tempfile(fileext = ".csv")
  t <- totals(a_book(product = c("=a", "b"), revenue = c(47.5, 39)), by = product)
  expect_message(deliver(t, path), "begin like a formula")
  expect_identical(readLines(path), c("product,revenue", "'=a,47.50", "b,39.00"))
})
