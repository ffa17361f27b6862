test_that("the demo's audit runs from the file to the kept lines", {
  expect_snapshot(audit(kilnmoor_book()))
  expect_snapshot(error = TRUE, audit(mtcars))
  steps <- audit(kilnmoor_book())
  expect_identical(class(steps[1:2, ]), class(steps))
  expect_false(inherits(steps[c("step", "what")], "hinterfeld_audit"))
})

test_that("steps come in the order they were taken, and each begins where the last ended", {
  sales <- a_sale(revenue = c(1, 2, 4, 8), region = c("n", "n", NA, "s"))
  book <- leave_out(keep_lines(daybook(sales, day, revenue, product), revenue < 8, why = "small sales"), region == "s")
  book <- keep_lines(book, revenue > 1)
  steps <- audit(book)
  expect_identical(steps$step, seq_len(nrow(steps)))
  expect_identical(steps$what, c("read", "daybook", "keep", "leave out", "undecided", "keep"))
  expect_identical(steps$why[1:3], c("a table in memory", "revenue is revenue", "small sales"))
  expect_identical(steps$lines_after, c(4, 4, 3, 3, 2, 1))
  expect_identical(steps$revenue_after, c(NA, 15, 7, 7, 3, 2))
  expect_identical(steps$revenue_before[3:6], steps$revenue_after[2:5])
})

test_that("a daybook of a daybook's lines goes on with its trail and what was set aside", {
  book <- leave_out(kilnmoor_book(), region == "Vale")
  lines <- lines_of(book)
  lines$profit <- lines$revenue - lines$units * lines$unit_cost
  again <- daybook(lines, day, revenue, product, units = units, order = order, decimals = c(revenue = 2, profit = 2))
  steps <- audit(again)
  before <- audit(book)
  expect_identical(steps$what, c(before$what, "daybook"))
  expect_identical(steps$lines_after, c(before$lines_after, 42105))
  expect_identical(nrow(set_aside(again)), nrow(set_aside(book)))
  expect_match(in_words(totals(again)), "Left out: 13 995 lines", all = FALSE)
  # Rows that were taken away in between are counted too.
  fewer <- audit(daybook(lines[1:100, ], day, revenue, product))
  expect_identical(fewer$lines_after[nrow(fewer) - 1], 100)
  expect_false(any(grepl("No line was left out", in_words(totals(daybook(lines[1:100, ], day, revenue, product))))))
})

test_that("some columns of an audit are a plain tibble that prints", {
  some <- audit(kilnmoor_book())[, c("what", "lines_after")]
  expect_identical(class(some), c("tbl_df", "tbl", "data.frame"))
  expect_output(print(some), "leave|keep")
})

test_that("the audit counts what was not matched and not used, one in the singular", {
  withr::local_options(cli.width = 120)
  table <- data.frame(product = c("Needle tool", "x", "y"), kind = "k")
  why <- function(table) {
    lines <- quiet(attach_table(a_sale(product = c("Needle tool", "odd")), table, by = product, need = "any"))
    grep("by product", format(audit(daybook(lines, day, revenue, product))), value = TRUE)
  }
  expect_match(why(table), "1 unmatched; 2 rows unused")
  expect_match(why(table[1:2, ]), "1 unmatched; 1 row unused")
  expect_no_match(why(table[1, ]), "unused")
})
