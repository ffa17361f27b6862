withr::local_options(cli.width = 80)

test_that("a table says in words what it is", {
  book <- kilnmoor_book()
  expect_snapshot({
    in_words(totals(book, by = c(category, product), every = "month", subtotals = TRUE, measures = list(
"revenue", best_day = largest_of(revenue, per = "day", margin = "add_up"),
web_orders = count_distinct(order, where = channel == "Web")
)))
    in_words(head(quiet(totals(book, every = "weekday")), 2))
    in_words(crosstab(totals(book, by = c(category, region)), category, region))
  })
})

test_that("incomplete first and last periods are named", {
  book <- a_book(day = as.Date(c("2026-01-12", "2026-03-31")))
  words <- in_words(totals(book, every = "month", fill = TRUE))
  expect_match(words, "The first month, 2026-01, is not complete: the data begin on 2026-01-12.", fixed = TRUE,
               all = FALSE)
  expect_no_match(words, "last month")
  expect_match(words, "No line was left out.", fixed = TRUE, all = FALSE)
  expect_match(words, "without lines show", all = FALSE)
})

test_that("lines left out on request are told apart from lines not kept", {
  book <- leave_out(a_book(revenue = 1:3), revenue > 2, why = "trial sales")
  expect_match(in_words(totals(book)), "Left out: 1 line, revenue 3.00 (\"trial sales\").", fixed = TRUE, all = FALSE)
  expect_snapshot(error = TRUE, in_words(book))
})
