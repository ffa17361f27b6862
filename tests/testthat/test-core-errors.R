test_that("counts and examples read as people write them", {
  count_of <- hinterfeld:::count_of
  expect_identical(c(count_of(1, "line"), count_of(0, "line"), count_of(12345, "line")),
                   c("1 line", "0 lines", "12 345 lines"))
  expect_identical(count_of(2, "value differs", "values differ"), "2 values differ")
  examples_of <- hinterfeld:::examples_of
  expect_identical(examples_of(c("a", "b", "a")), '"a", "b"')
  expect_identical(examples_of(letters[1:7], 2), '"a", "b" and 5 more')
})

test_that("the nearest names are near, and none is named when nothing is", {
  nearest <- hinterfeld:::nearest
  expect_identical(nearest("Regoin", c("region", "town")), "region")
  expect_identical(nearest("xyz", c("region", "town")), character())
  expect_identical(nearest("x", character()), character())
})

test_that("every error is classed, so that programs can catch it", {
  caught <- tryCatch(totals(a_book(), by = nowhere), hinterfeld_error = function(cnd) class(cnd))
  expect_identical(caught[1:2], c("hinterfeld_error_column", "hinterfeld_error"))
  bad <- tryCatch(daybook(a_sale(day = c("2026-01-01", "2026-01-02", "soon")), day, revenue, product),
                  hinterfeld_error = identity)
  expect_identical(bad$rows, 3L)
  expect_identical(bad$reasons, "day not readable")
})

test_that("values are described in words", {
  describe <- hinterfeld:::describe
  expect_identical(
    vapply(list(NULL, 1, c("a", "b"), mean, mtcars, TRUE, a_book()), describe, ""),
    c("empty (NULL)", "a number", "a vector of 2 text values", "a function", "a table", "a logical", "a daybook")
  )
})

test_that("messages name values without their control characters", {
  expect_identical(hinterfeld:::examples_of(c("a\u001b[31m", "b\u009b")), "\"a\ufffd[31m\", \"b\ufffd\"")
  expect_message(keep_lines(a_book(region = "Vale"), region %in% c("Vale", "\u001b]0;x\u0007")), "\ufffd]0;x",
                 fixed = TRUE)
})

test_that("no message sends a terminal what a file's or a column's name holds", {
  path <- file.path(withr::local_tempdir(), "red\033[31m\r.csv")
  writeLines(c("day,\ufeffproduct,revenue", "2026-01-01,a"), path)
  told <- tryCatch(load_table(path), hinterfeld_error_shape = conditionMessage)
  expect_match(told, "red\ufffd[31m\ufffd.csv", fixed = TRUE)
  writeLines(c("day,\ufeffproduct,revenue", "2026-01-01,a,1"), path)
  told <- tryCatch(daybook(load_table(path), day, revenue, product), hinterfeld_error_column = conditionMessage)
  expect_match(told, "Did you mean `\ufffdproduct`", fixed = TRUE)
})
