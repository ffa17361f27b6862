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

test_that("an inquiry in which something is not what it should be is refused, wherever that is", {
  q <- inquiry_of(add_share(add_rank(totals(book, by = c(region, product), every = "month", subtotals = TRUE))))
  facts <- book
  wrong <- list(1, "no such", TRUE, list(), list(list()), NA_character_, quote(x + y), c("month", "decade"),
                c("month", "year"), mean)
  fields <- list(list("by"), list("every"), list("measures"), list("measures", "revenue"),
                 list("measures", "revenue", "kind"), list("measures", "revenue", "margin"),
                 list("measures", "revenue", "language"), list("subtotals"), list("fill"), list("steps"),
                 list("steps", 1), list("steps", 1, "kind"), list("steps", 1, "columns"))
  asked <- 0
  for (field in fields) for (value in wrong) {
    bad <- unclass(q)
    if (identical(bad[[unlist(field[1])]], value)) next
    bad <- tryCatch({
      bad[[unlist(field)]] <- value
      bad
    }, error = function(cnd) NULL)
    if (is.null(bad)) next
    class(bad) <- class(q)
    t <- tryCatch(quiet(suppressWarnings(ask(bad, facts))), error = identity)
    # What is asked all the same is an answer to just that.
    if (inherits(t, "error")) {
      expect_s3_class(t, "hinterfeld_error")
    } else {
      expect_identical(unclass(inquiry_of(t)), unclass(bad))
    }
    asked <- asked + 1
  }
  expect_gt(asked, 80)
})
