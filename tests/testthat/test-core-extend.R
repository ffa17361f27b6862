book <- kilnmoor_book()

test_that("a further column is exact, counts what its parts count, and stands in the audit", {
  more <- extend_lines(book, profit = revenue - units * unit_cost, loss = profit < 0,
                       kind = ifelse(loss, "loss", "gain"))
  t <- totals(more, by = kind, every = "year", measures = c("revenue", "profit"), subtotals = TRUE)
  direct <- totals(book, every = "year", measures = list(profit = sum_of(revenue - units * unit_cost)))
  expect_identical(t$profit[t$level == "year"], direct$profit)
  expect_match(format(t)[1], "profit by kind (Mk)", fixed = TRUE)
  expect_true(all(reconcile(t)$matches))
  steps <- audit(more)
  expect_identical(utils::tail(steps$why, 3), c("profit is revenue - units * unit_cost", "loss is profit < 0",
                                                "kind is ifelse(loss, \"loss\", \"gain\")"))
  expect_identical(utils::tail(steps$lines_after, 3), utils::tail(steps$lines_before, 3))
  expect_identical(sort(unique(lines_of(more)$kind)), c("gain", "loss"))
  tally <- tally_of(more, by = kind, measures = "profit")
  expect_identical(totals(tally, by = kind, measures = "profit"), totals(more, by = kind, measures = "profit"))
})

test_that("decimals round once per line, halves as the daybook does", {
  small <- daybook(a_sale(product = "a", revenue = c(1.11, 2.22, -1.11)), day, revenue, product)
  half <- extend_lines(small, half = revenue * 0.5, decimals = 2)
  expect_identical(lines_of(half)$half, c(0.56, 1.11, -0.56))
  expect_identical(lines_of(extend_lines(small, half = revenue * 0.5))$half, c(0.555, 1.11, -0.555))
  expect_identical(totals(half, measures = "half")$half, 1.11)
  kept <- keep_lines(half, half > 0)
  expect_identical(kept$lines, 2L)
})

test_that("mistakes are explained", {
  expect_snapshot(error = TRUE, {
    extend_lines(book, revenue = 1)
    extend_lines(book, revenue * 2)
    extend_lines(book, profit = revenue - cots)
    extend_lines(book, x = revenue, decimals = 7)
    extend_lines(book, x = 1:3)
    book$profit <- 1
    book[["profit"]] <- 1
  })
})

test_that("a number that is too large, or none, is told as what it is", {
  book <- daybook(a_sale(revenue = c(1e9, 2)), day, revenue, product)
  expect_snapshot(error = TRUE, {
    extend_lines(book, sq = revenue * revenue, decimals = 4)
    extend_lines(book, more = revenue * 1e6, decimals = 6)
    extend_lines(book, per = revenue / 0)
  })
})

test_that("every new column needs a name of its own", {
  refused <- function(pattern, ...) {
    expect_error(extend_lines(a_book(), ...), pattern, class = "hinterfeld_error_argument")
  }
  refused("Every new column needs a name", revenue * 2)
  refused("Every new column needs a name")
  refused("have `revenue` already", revenue = revenue * 2)
  refused("have `a` already", a = revenue, a = revenue)
})

test_that("a column is taken from the lines of a daybook, not from the daybook", {
  book <- a_book(every = "x", town = "y")
  expect_snapshot(error = TRUE, {
    book$town
    book$revenue
  })
  # What a tally would have is asked of a daybook too, whatever its columns are called.
  expect_null(book$every)
  expect_null(book$nothing)
  expect_identical(totals(book, by = every)$every, "x")
})
