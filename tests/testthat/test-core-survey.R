withr::local_options(cli.width = 80)

test_that("a survey of the demo's files finds what was planted", {
  orders <- load_table(demo_files()[["orders"]])
  columns <- survey(orders)
  of <- function(column) columns[columns$column == column, ]
  expect_identical(of("order_day")$type, "text, mostly days")
  expect_identical(of("order_day")$unreadable, 2L)
  expect_identical(of("order_day")$blanks, 2)
  expect_identical(c(of("order_day")$smallest, of("order_day")$largest), c("2023-01-01", "2026-09-17"))
  expect_gt(of("status")$variants, 20)
  expect_gt(of("status")$blanks, 0)
  expect_snapshot({
    columns
    survey(demo_files()[["order_lines"]])
    survey(load_table(demo_files()[["products"]]), category, product)
  })
})

test_that("distinct values are counted with their variants together", {
  book <- kilnmoor_book(completed = FALSE)
  values <- survey(book, status)
  db <- sql_database(lines = as.data.frame(lines_of(book)[c("status", "revenue")]))
  expected <- sql(db, "SELECT status, count(*) AS lines, sum(CAST(round(revenue * 100) AS INTEGER)) AS units
                       FROM lines GROUP BY status")
  at <- match(values$status, expected$status)
  expect_equal(values$lines, expected$lines[at])
  expect_identical(values$revenue, expected$units[at] / 100)
  expect_equal(sum(values$share), 1)
  expect_false(is.unsorted(rev(values$together)))
  expect_identical(length(unique(rle(values$reads_as)$values)), length(rle(values$reads_as)$values))
  expect_snapshot(print(values, n = 12))
})

test_that("distinct values of further columns are counted", {
  book <- kilnmoor_book()
  ours <- survey(book, region, category, product)
  db <- demo_database()
  expected <- sql(db, "SELECT region, count(DISTINCT category) AS c, count(DISTINCT product) AS p, count(*) AS n
                       FROM sales GROUP BY region ORDER BY n DESC")
  expect_identical(ours$region, expected$region)
  expect_equal(ours$distinct_category, expected$c)
  expect_equal(ours$distinct_product, expected$p)
  expect_equal(ours$lines, expected$n)
})

test_that("days without lines, numbers and logicals are surveyed", {
  x <- tibble::tibble(
    day = as.Date(c("2026-01-01", "2026-01-05", NA)), n = c(1e5, 2, 2), yes = c(TRUE, NA, FALSE), none = NA_character_,
    code = c("007", "8", "9"), price = c("1.5", "n/a", "2"), at = as.POSIXct("2026-01-01 12:00", tz = "UTC") + 0:2
  )
  found <- survey(x)
  expect_identical(found$days_without[1], 3)
  expect_identical(found$type, c("date", "number", "logical", "text", "text", "text, mostly numbers", "date-time"))
  expect_identical(found$unreadable[6], 1L)
  expect_snapshot({
    found
    survey(x, n)
    survey(x[0, ])
  })
})

test_that("wide tables and many values are cut, and it is said", {
  wide <- as.data.frame(matrix(1:80, 2, 40, dimnames = list(NULL, paste0("column_with_a_long_name_", 1:40))))
  expect_snapshot(survey(wide))
  many <- data.frame(value = sprintf("v%05d", 1:10000))
  lines <- capture.output(print(survey(many, value)))
  expect_lte(max(nchar(lines)), 80)
  expect_identical(utils::tail(lines, 1), "... 9 980 more rows")
})

test_that("mistakes are explained", {
  expect_snapshot(error = TRUE, {
    survey(data.frame(status = 1), sttus)
    survey(1:3)
    survey("no-such-file.csv")
  })
})

test_that("some columns of a survey are a plain tibble that prints", {
  expect_output(print(survey(kilnmoor_book())[, 1:3]), "day +date")
})

test_that("spelling is settled to one that was written", {
  expect_message(settled <- settle_spelling(data.frame(x = c("a  b", "A  b", "a  b")), x), "became 1")
  expect_identical(settled$x, rep("a  b", 3))
})

test_that("settling speaks of values that lines still have", {
  book <- daybook(a_sale(region = c("North", "north", "SOUTH", "South")), day, revenue, product)
  kept <- keep_lines(book, reads_as(region, "north"))
  expect_message(settled <- settle_spelling(kept, region), "region: 2 values became 1")
  expect_message(settle_spelling(data.frame(x = c("a", "A", "a", "b")), x), "3 values became 2")
  expect_match(audit(settled)$why[nrow(audit(settled))], "2 values became 1")
})

test_that("a text column of one value is looked at like any other", {
  found <- survey(data.frame(x = rep("2026-03-01", 3), y = rep("12.5", 3), z = rep("a", 3)))
  expect_identical(found$type, c("text, mostly days", "text, mostly numbers", "text"))
})

test_that("a column is mostly numbers only if more than half of its values are", {
  found <- survey(data.frame(half = c("1", "2", "x", "y"), more = c("1", "2", "3", "y")))
  expect_identical(found$type, c("text", "text, mostly numbers"))
})
