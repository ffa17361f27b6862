test_that("a ratio takes the lines that have both of its parts, from lines, tallies and files alike", {
  book <- a_book(day = as.Date("2024-01-01") + 0:3, product = c("a", "b", "c", "d"), revenue = 1:4,
                 cost = c(1, NA, 2, 3))
  margin <- list(m = ratio_of(revenue - cost, revenue))
  expect_message(t <- totals(book, measures = margin), "1 line lacks `revenue - cost` or `revenue`")
  expect_identical(t$m, 0.25)
  by <- quiet(totals(book, by = product, measures = margin))
  expect_identical(by$m[match(c("a", "b", "c"), by$product)], c(0, NA, 1 / 3))
  tally <- quiet(tally_of(book, by = product, measures = margin))
  for (facts in list(tally, load_tally(save_tally(tally, withr::local_tempfile())))) {
    expect_identical(totals(facts, measures = margin)$m, 0.25)
    expect_identical(totals(facts, by = product, measures = margin)$m, by$m)
  }
  where <- quiet(totals(book, measures = list(m = ratio_of(cost, revenue, where = product != "c"))))
  expect_identical(where$m, 4 / 5)
})

test_that("what each line divides has no sum, and a column of fractions is told to look like a rate", {
  book <- a_book(day = as.Date("2024-01-01") + 0:2, revenue = 1:3, cost = c(1, 0.5, 2), discount = c(0, 0.25, 0.1))
  expect_snapshot(error = TRUE, {
    totals(book, measures = list(m = sum_of(cost / revenue)))
    totals(book, measures = list(m = sum_of(1 - cost / revenue)))
    totals(extend_lines(book, rate = (revenue - cost) / revenue), measures = "rate")
  })
  expect_identical(totals(book, measures = list(net = sum_of(revenue / 1.25)))$net, 4.8)
  expect_message(t <- totals(book, measures = "discount"), "as a rate does")
  expect_identical(t$discount, 0.35)
  expect_no_message(totals(book, measures = "cost"))
  known <- extend_lines(book, profit = revenue - cost)
  expect_match(format(quiet(totals(known, measures = list(m = mean_of(profit / revenue))))), "36.1 %", all = FALSE,
               fixed = TRUE)
})

test_that("what the daybook was made without is said, and text in an expression is named", {
  book <- a_book(revenue = 1:2, price = c("1", "x"))
  expect_snapshot(error = TRUE, {
    totals(book, measures = "units")
    totals(book, measures = count_distinct(order))
    totals(book, measures = list(m = sum_of(price * 2)))
    totals(book, measures = revenu)
  })
})

test_that("a column that is nowhere above 1 may be a rate", {
  ask <- function(rate) totals(daybook(a_sale(discount = rate), day, revenue, product), measures = "discount")
  expect_message(ask(c(0.5, 1)), "`discount` lies between 0 and 1")
  expect_no_message(ask(c(0.5, 1.25)))
  expect_no_message(ask(c(-0.5, 1)))
})
