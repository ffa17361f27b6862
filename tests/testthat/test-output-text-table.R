text_table_of <- function(x, ...) hinterfeld:::text_table(x, list(a = 2), ...)

test_that("a table is cut to the width and the rows, and says so", {
  x <- data.frame(name = c("Throwing wheel, belt drive", "Bat"), a = c(1234567.8, NA), b = c(1, 22), c = c(0.25, 1))
  expect_snapshot(writeLines(text_table_of(x, width = 80)))
  expect_snapshot(writeLines(text_table_of(x, width = 30, rows = 1)))
  expect_snapshot(writeLines(text_table_of(x, width = 44, wrap = TRUE)))
})
