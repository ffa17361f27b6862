test_that("every error is classed, so that programs can catch it", {
  caught <- tryCatch(totals(a_book(), by = nowhere), hinterfeld_error = function(cnd) class(cnd))
  expect_identical(caught[1:2], c("hinterfeld_error_column", "hinterfeld_error"))
  bad <- tryCatch(daybook(a_sale(day = c("2026-01-01", "2026-01-02", "soon")), day, revenue, product),
                  hinterfeld_error = identity)
  expect_identical(bad$rows, 3L)
  expect_identical(bad$reasons, "day not readable")
})

test_that("messages name values without their control characters", {
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

test_that("what was given is described in words, and the nearest names are near", {
  said <- vapply(list(NULL, 1, c("a", "b"), mean, mtcars, TRUE), function(x) {
    tryCatch(totals(x), hinterfeld_error = function(cnd) sub("^.*It is (.*?)[.].*$", "\\1", conditionMessage(cnd)))
  }, "")
  expect_identical(said, c("empty (NULL)", "1", "a vector of 2 text values", "a function", "a table", "TRUE"))
  expect_error(totals(a_book(region = "Vale"), by = "Regoin"), "Did you mean `region`?", fixed = TRUE)
  expect_no_match(conditionMessage(tryCatch(totals(a_book(), by = "xyz"), error = identity)), "Did you mean")
})
