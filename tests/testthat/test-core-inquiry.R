book <- kilnmoor_book()

test_that("an inquiry is plain data", {
  wanted <- "Web"
  t <- totals(book, by = region, measures = list(web = sum_of(revenue, where = channel == wanted),
                                                  margin = sum_of(.data$revenue - units * !!0.5)))
  q <- inquiry_of(best_sellers(t, of = "web", n = 2))
  plain <- function(x) if (is.list(x)) all(vapply(x, plain, NA)) else !is.function(x) && !is.environment(x)
  expect_true(plain(unclass(q)))
  expect_identical(unserialize(serialize(q, NULL)), q)
  expect_identical(q$measures$web$where, quote(channel == "Web"))
  expect_identical(q$measures$margin$x, quote(revenue - units * 0.5))
  expect_identical(q$measures$margin$decimals, 2L)
  expect_snapshot(q)
})

test_that("functions must be found again, and values must be values", {
  double_it <- function(x) 2 * x
  expect_snapshot(error = TRUE, totals(book, measures = list(x = sum_of(double_it(revenue)))))
  thing <- list(a = 1)
  expect_snapshot(error = TRUE, totals(book, measures = list(n = count_lines(where = region %in% thing))))
  expect_identical(totals(book, measures = list(x = sum_of(revenue * thing$a)))$x, totals(book)$revenue)
  regions <- factor(c("Vale", "Highfen"))
  t <- totals(book, measures = list(n = count_lines(where = region %in% regions)))
  expect_identical(inquiry_of(t)$measures$n$where, quote(region %in% c("Vale", "Highfen")))
  # Functions of R that a brief does not know are called again all the same.
  t <- totals(book, by = region, every = "year", measures = list(root = sum_of(sqrt(abs(revenue)))))
  expect_identical(reconcile(t)$matches, TRUE)
})

test_that("what was left out or added by hand is told", {
  t <- totals(book, by = region)
  t$note <- 1
  expect_message(inquiry_of(t), "`note`, which was added by hand")
  expect_message(inquiry_of(totals(book, by = region)[1:2, ]), "dropped from this table by hand")
  expect_silent(inquiry_of(best_sellers(totals(book, by = region), 2)))
  expect_snapshot(error = TRUE, inquiry_of(mtcars))
})
