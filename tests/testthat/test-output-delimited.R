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
