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
  t <- totals(book, by = c(category, product), measures = list(best = largest_of(revenue, per = "day")),
              subtotals = TRUE)
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
  expect_setequal(t$category, c("Total", "not given", "not given, blank", "Total of all"))
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
  expect_snapshot(error = TRUE, {
    totals(book, by = category, subtotals = "region")
    totals(book, by = category, subtotals = 2)
    totals(book, by = category, fill = "yes")
  })
})

# The order of rows as the help page has it, by base R from the rows themselves: the sum of each group of the first
# columns from the highest, then its name; totals below.
expected_order <- function(t, by, every = NULL) {
  data <- as.data.frame(t)
  columns <- list()
  if (!is.null(every)) columns <- list(data[[every]])
  for (k in seq_along(by)) {
    prefix <- do.call(paste, c(data[c(every, by[seq_len(k)])], sep = "|"))
    total <- data[[by[k]]] == "Total"
    own <- if (is.null(data$level)) rep(TRUE, nrow(t)) else data$level == levels(data$level)[1]
    sums <- tapply(data$revenue[own], prefix[own], sum)
    rank <- match(data[[by[k]]],
                  c(sort(setdiff(data[[by[k]]], c("not given", "Total")), method = "radix"), "not given", "Total"))
    columns <- c(columns, list(total, replace(-round(sums[prefix] * 100), total, 0), rank))
  }
  unname(do.call(order, columns))
}

test_that("rows stand in the order of their groups, with many columns, ties, blanks and subtotals", {
  for (seed in seeds(31, 1, 3)) {
    withr::local_seed(seed)
    n <- 1500
    sales <- tibble::tibble(
      day = as.Date("2025-11-20") + sample(0:80, n, TRUE), product = sample(c("\u00e4", "b", "B", "a b", "z"), n, TRUE),
      region = sample(c("Vale", "Highfen", NA), n, TRUE), town = sample(c("x", "y"), n, TRUE),
      channel = sample(c("Web", NA, "Counter"), n, TRUE),
      revenue = sample(c(-2, 1, 1, 2), n, TRUE)
    )
    book <- daybook(sales, day, revenue, product)
    by <- c("region", "channel", "town", "product")
    for (k in 1:4) {
      columns <- by[seq_len(k)]
      for (every in list(NULL, "month")) {
        t <- totals(book, by = tidyselect::all_of(columns), every = every)
        expect_identical(expected_order(t, columns, every), seq_len(nrow(t)))
      }
      t <- totals(book, by = tidyselect::all_of(columns), subtotals = TRUE)
      expect_identical(expected_order(t, columns), seq_len(nrow(t)))
    }
  }
})

test_that("the order does not depend on threads", {
  withr::local_seed(9)
  n <- 150000
  book <- daybook(tibble::tibble(
    day = as.Date("2025-01-01") + sample(0:364, n, TRUE), product = sprintf("P%03d", sample(500, n, TRUE)),
    region = sample(letters, n, TRUE), revenue = sample(100, n, TRUE) / 4
  ), day, revenue, product)
  tables <- lapply(1:3, function(threads) {
    withr::local_options(hinterfeld.threads = threads)
    list(totals(book, by = product, every = "day"),
         totals(book, by = c(region, product), every = "month", subtotals = TRUE))
  })
  expect_identical(lapply(tables[[2]], as.list), lapply(tables[[1]], as.list))
  expect_identical(lapply(tables[[3]], as.list), lapply(tables[[1]], as.list))
})

test_that("labels are unlike every value, in totals, tallies, crosstabs and coverage", {
  names <- c("Total", "Total of all", "not given", "not given, blank", NA)
  book <- daybook(a_sale(product = "p", k = names, revenue = c(1, 2, 4, 8, 16)), day, revenue, product)
  t <- quiet(totals(book, by = k, subtotals = TRUE))
  expect_identical(anyDuplicated(t$k), 0L)
  expect_identical(t$revenue[t$level == "Total"], 31)
  expect_identical(t$revenue[t$k == "Total"], 1)
  expect_true(all(reconcile(t)$matches))
  expect_setequal(quiet(whole_table(tally_of(book, by = k, every = NULL)))$revenue, c(1, 2, 4, 8, 16))
  expect_identical(anyDuplicated(quiet(whole_table(tally_of(book, by = k, every = NULL)))$k), 0L)
  expect_identical(sort(quiet(coverage(book, data.frame(product = "p"), within = k))$revenue), c(1, 2, 4, 8, 16))
})

test_that("filled groups have counts of 0 at every level, extremes none, and keep the order", {
  sales <- a_sale(day = as.Date(c("2024-01-01", "2024-03-01", "2024-03-01")), product = c("a", "b", "b"),
                  reg = c("x", "y", "x"), revenue = c(1, 20, 3), c = c("q", "w", "w"))
  t <- totals(daybook(sales, day, revenue, product), by = c(reg, product), every = "month", fill = TRUE,
              subtotals = TRUE,
              measures = list(n = count_distinct(c), "revenue", most = largest_of(revenue)))
  empty <- t[t$month == "2024-02-01", ]
  expect_identical(empty$n, rep(0, 6))
  expect_identical(empty$most, rep(NA_real_, 6))
  expect_identical(rle(t$month)$values, c("2024-01-01", "2024-02-01", "2024-03-01", "Total"))
  expect_identical(t$n[nrow(t)], 2)
})

test_that("what is added up over rows without a value has none where no row has one", {
  sales <- a_sale(product = c("a", "b", "c"), region = c("x", "x", "y"), cost = c(NA, 2, NA))
  t <- totals(daybook(sales, day, revenue, product), by = c(region, product), subtotals = TRUE,
              measures = list(m = largest_of(cost, margin = "add_up")))
  expect_identical(t$m[t$product == "Total"], c(2, NA, 2))
})
