test_that("a column that was coded stays coded, and another under its name is coded by itself", {
  lines <- data.frame(day = "2026-01-01", product = "a", revenue = 1:3, order = c(7, 5, 7))
  book <- daybook(lines, day, revenue, product, order = order)
  key <- hinterfeld:::key_of_facts(book, "order")
  expect_identical(key$labels[key$codes], c(7, 5, 7))
  expect_true(rlang::is_reference(hinterfeld:::key_of_facts(book, "order")$codes, key$codes))
  expect_identical(totals(keep_lines(book, revenue > 2), by = order)$order, 7)
  expect_identical(totals(book, by = order)$order, c(7, 5))
  book$columns$order <- c(1, 2, 3)
  expect_identical(hinterfeld:::key_of_facts(book, "order")$labels, c(1, 2, 3))
})

test_that("what was found out about columns never changes an answer, of fewer lines neither", {
  withr::local_seed(11)
  n <- 400
  lines <- data.frame(
    day = as.Date("2026-01-01") + sample(c(0:40, 60:70), n, TRUE), product = sample(letters[1:5], n, TRUE),
    region = sample(c("x", "y", NA), n, TRUE, c(9, 9, 1)), order = sample(c(1:90, NA), n, TRUE),
    cost = sample(c(1:50, NA), n, TRUE), revenue = sample(500, n, TRUE)
  )
  make <- function(lines) daybook(lines, day, revenue, product, order = order, decimals = c(revenue = 2, cost = 0))
  questions <- function(book) {
    measures <- list(n = count_distinct(order), m = median_of(cost), a = mean_of(revenue, per = order), "revenue")
    quiet(lapply(list(
      totals(book, by = region, measures = measures), totals(book, by = product, measures = measures),
      totals(book, measures = measures), totals(book, every = "day", measures = measures),
      totals(book, every = "month", measures = measures), totals(book, every = "weekday", measures = measures),
      add_change(totals(book, by = product, every = "month"), versus = "period_before")
    ), as.data.frame))
  }
  book <- quiet(make(lines))
  first <- questions(book)
  expect_identical(questions(book), first)
  kept <- lines$region %in% "x" & lines$day != as.Date("2026-01-07")
  fewer <- quiet(keep_lines(book, region == "x" & day != as.Date("2026-01-07")))
  columns <- c("n", "m", "a", "revenue")
  alone <- questions(quiet(make(lines[kept, ])))
  expect_identical(lapply(questions(fewer)[1:4], `[`, columns), lapply(alone[1:4], `[`, columns))
  expect_identical(questions(fewer), questions(quiet(keep_lines(make(lines), region == "x" & day != "2026-01-07"))))
  expect_identical(questions(book), first)
})

test_that("codes are groups only where each line has one and each occurs", {
  groups <- function(codes, labels, ...) hinterfeld:::codes_are_groups(hinterfeld:::new_key("k", codes, labels, ...))
  expect_true(groups(c(2L, 1L, 2L), c("a", "b")))
  expect_false(groups(c(2L, 1L, NA), c("a", "b")))
  expect_false(groups(c(2L, 2L), c("a", "b")))
  expect_false(groups(c(100L, 101L), c("a", "b"), 1:2, 100L))
})
