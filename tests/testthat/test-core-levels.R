book <- daybook(a_sale(
  category = c("a", "a", "b", NA, "b"), region = c("n", "s", "n", "n", NA), revenue = c(1, 5, 4, 2, 4)
), day, revenue, product)

test_that("subtotals stand below their group, and each row tells its level", {
  t <- totals(book, by = c(category, region), subtotals = TRUE)
  expect_identical(t$category, c("b", "b", "b", "a", "a", "a", "not given", "not given", "Total"))
  expect_identical(t$region, c("n", "not given", "Total", "s", "n", "Total", "n", "Total", "Total"))
  expect_identical(as.character(t$level), c("region", "region", "category")[c(1, 1, 3, 1, 1, 3, 1, 3)] |> c("Total"))
  expect_identical(levels(t$level), c("region", "category", "Total"))
  expect_identical(t$revenue, c(4, 4, 8, 5, 1, 6, 2, 2, 16))
})

test_that("both dimensions of a two-way table have totals of their own", {
  t <- totals(book, by = c(category, region), subtotals = c("category", "region", "Total"))
  expect_identical(levels(t$level), c("category and region", "category", "region", "Total"))
  expect_identical(t$revenue[t$level == "region"], c(7, 5, 4))
  expect_identical(t$region[t$level == "region"], c("n", "s", "not given"))
})

test_that("the order of groups is their own measure, not the sum of their rows", {
  days <- as.Date("2026-03-02") + c(0, 1, 0, 0)
  book <- daybook(a_sale(day = days, category = c("a", "a", "b", "b"), product = c("x", "y", "z", "w"),
                         revenue = c(6, 6, 5, 5)), day, revenue, product)
  t <- totals(book, by = c(category, product), measures = list(best = largest_of(revenue, per = "day")), subtotals = TRUE)
  expect_identical(t$category, c("b", "b", "b", "a", "a", "a", "Total"))
  expect_identical(t$best, c(5, 5, 10, 6, 6, 6, 16))
})

test_that("columns that must say Total become text, recurring ones stay in order", {
  t <- totals(book, every = "month", subtotals = TRUE)
  expect_identical(t$month, c("2026-03-01", "Total"))
  t <- quiet(totals(book, every = "weekday", subtotals = TRUE))
  expect_identical(levels(t$weekday), c("Mon", "Total"))
})

test_that("labels that are taken are changed, and it is said", {
  odd <- daybook(a_sale(category = c("Total", "not given", NA)), day, revenue, product)
  expect_snapshot(t <- totals(odd, by = category, subtotals = TRUE))
  expect_setequal(t$category, c("Total", "not given", "not given (blank)", "Total (all)"))
})

test_that("fill gives every group every period, and combinations without one", {
  days <- as.Date(c("2026-01-31", "2026-04-01"))
  book <- daybook(a_sale(day = days, product = c("a", "b"), region = c("n", "s"), revenue = 1:2), day, revenue, product)
  t <- totals(book, by = product, every = "month", fill = TRUE, measures = list("revenue", most = largest_of(revenue)))
  expect_identical(nrow(t), 8L)
  expect_identical(sum(t$revenue), 3)
  expect_identical(sum(is.na(t$most)), 6L)
  expect_identical(totals(book, by = c(product, region), fill = TRUE)$revenue, c(2, 0, 1, 0))
  expect_identical(totals(book, every = "day", fill = TRUE)$day, as.Date("2026-01-31") + 0:60)
})

test_that("levels that are not there are refused", {
  expect_snapshot(error = TRUE, totals(book, by = category, subtotals = "region"))
  expect_snapshot(error = TRUE, totals(book, by = category, subtotals = 2))
  expect_snapshot(error = TRUE, totals(book, by = category, fill = "yes"))
})
