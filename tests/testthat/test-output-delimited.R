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

test_that("fields are in quotes where they must be, and a row is never an empty line", {
  written <- function(x, ending = ".csv") {
    path <- deliver(x, withr::local_tempfile(fileext = ending))
    readChar(path, file.size(path), useBytes = TRUE)
  }
  table <- data.frame(`a,"b"` = c("x,y", "say \"so\"", "two\nlines", " cr\r", "a;b|c\td", NA), n = 1:6,
                      l = c(TRUE, NA, FALSE, TRUE, NA, NA), check.names = FALSE)
  expect_identical(written(table), paste0(
    "\"a,\"\"b\"\"\",n,l\n\"x,y\",1,TRUE\n\"say \"\"so\"\"\",2,\n\"two\nlines\",3,FALSE\n",
    "\" cr\r\",4,TRUE\na;b|c\td,5,\n,6,\n"))
  expect_identical(written(table[5, 2:3], ".tsv"), "n\tl\n5\t\n")
  expect_identical(written(data.frame(x = c("a", NA, ""))), "x\na\n\"\"\n\"\"\n")
  expect_identical(written(data.frame(x = numeric(), y = character())), "x,y\n")
})

test_that("many rows are written in their order, in any number of threads", {
  n <- 150000
  x <- data.frame(id = seq_len(n), name = paste("item", seq_len(n) %% 7), share = seq_len(n) / n)
  written <- vapply(c(1, 3), function(threads) {
    withr::local_options(hinterfeld.threads = threads)
    path <- deliver(x, withr::local_tempfile(fileext = ".csv"))
    rlang::hash(readBin(path, "raw", file.size(path)))
  }, "")
  expect_identical(written[1], written[2])
  path <- deliver(x, withr::local_tempfile(fileext = ".csv"))
  expect_equal(data.table::fread(path, data.table = FALSE), x)
})

test_that("a table that the disk does not take is an error", {
  skip_if_not(file.exists("/dev/full"))
  for (n in c(1, 200000)) {
    expect_error(hinterfeld:::write_delimited(data.frame(x = seq_len(n)), "/dev/full", ","), "No space left")
  }
})

test_that("days and money are plain text", {
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
