text_table_of <- function(x, ...) hinterfeld:::text_table(x, list(a = 2), ...)

test_that("a table is cut to the width and the rows, and says so", {
  x <- data.frame(name = c("Throwing wheel, belt drive", "Bat"), a = c(1234567.8, NA), b = c(1, 22), c = c(0.25, 1))
  expect_snapshot(writeLines(text_table_of(x, width = 80)))
  expect_snapshot(writeLines(text_table_of(x, width = 30, rows = 1)))
  expect_snapshot(writeLines(text_table_of(x, width = 44, wrap = TRUE)))
})

test_that("control characters of data do not reach a terminal", {
  hostile <- "\u001b]0;run\u0007Sieve\u009b31m\u000dname"
  book <- daybook(a_sale(product = hostile), day, revenue, product)
  shown <- c(format(totals(book, by = product)), format(survey(book, product)),
             format(in_words(keep_lines(book, product == hostile) |> totals())))
  expect_false(any(grepl("[\u0001-\u0008\u000b\u000c\u000e-\u001f\u007f\u0080-\u009f]", shown, perl = TRUE)))
  expect_match(shown, "Sieve", all = FALSE)
})
