test_that("cells and margins equal SQL for random lines", {
  for (seed in 21:24) {
    random <- random_book(seed)
    t <- totals(random$book, by = product, every = "month", measures = list("revenue", regions = count_distinct(region)))
    x <- crosstab(t, product, month, of = c("revenue", "regions"))
    expect_cells <- function(rows, columns, where) {
      got <- sql(random$db, "SELECT sum(cents) / 100.0 AS r, count(DISTINCT nullif(region, 'not given')) AS n FROM lines WHERE", where)
      expect_equal(x[[paste(columns, "revenue")]][x$product == rows], got$r)
      expect_equal(x[[paste(columns, "regions")]][x$product == rows], got$n)
    }
    expect_cells("Sieve", "2024-05", "product = 'Sieve' AND substr(day, 1, 7) = '2024-05'")
    expect_cells("Sieve", "Total", "product = 'Sieve'")
    expect_cells("Total", "2024-05", "substr(day, 1, 7) = '2024-05'")
    expect_cells("Total", "Total", "1")
    expect_true(all(reconcile(x)$matches))
  }
})

book <- daybook(a_sale(
  day = as.Date(c("2026-11-02", "2026-12-01", "2027-01-05", "2026-11-03")), product = c("a", "b", "a", "b"),
  region = c("n", "n", "s", NA), revenue = c(1, 5, 3, 7)
), day, revenue, product)

test_that("columns are in calendar order with readable labels", {
  monthly <- totals(book, by = product, every = "month")
  expect_named(crosstab(monthly, product, month), c("product", "2026-11", "2026-12", "2027-01", "Total"))
  recurring <- quiet(totals(book, by = product, every = "month_of_year"))
  expect_named(crosstab(recurring, product, month_of_year, margins = FALSE), c("product", "Jan", "Nov", "Dec"))
  by_day <- quiet(totals(book, by = product, every = "weekday"))
  expect_named(crosstab(by_day, product, weekday, margins = FALSE), c("product", "Mon", "Tue"))
  expect_identical(crosstab(monthly, month, product)$month, c("2026-11", "2026-12", "2027-01", "Total"))
})

test_that("rows and other columns go from the largest; missing combinations are blank or 0", {
  x <- crosstab(totals(book, by = c(product, region)), product, region)
  expect_named(x, c("product", "not given", "n", "s", "Total"))
  expect_identical(x$product, c("b", "a", "Total"))
  expect_identical(x$s, c(NA, 3, 3))
  expect_identical(crosstab(totals(book, by = c(product, region)), product, region, empty = "zero")$s, c(0, 3, 3))
})

test_that("several row columns make a row each", {
  x <- crosstab(totals(book, by = c(region, product), every = "month"), c(region, product), month)
  expect_identical(x$Total, c(7, 5, 1, 3, 16))
  expect_identical(x$region, c("not given", "n", "n", "s", "Total"))
})

test_that("a wide crosstab prints what fits and keeps its totals in sight", {
  withr::local_options(cli.width = 80)
  book <- kilnmoor_book()
  x <- crosstab(totals(book, by = product, every = "month"), product, month)
  expect_snapshot(print(x, n = 5))
  expect_snapshot(crosstab(totals(book, by = c(category, region)), category, region))
  expect_snapshot(reconcile(x))
})

test_that("a crosstab is delivered with its totals", {
  path <- withr::local_tempfile(fileext = ".csv")
  deliver(crosstab(totals(book, by = product, every = "month"), product, month), path)
  expect_identical(readLines(path), c(
    "product,2026-11,2026-12,2027-01,Total", "b,7.00,5.00,,12.00", "a,1.00,,3.00,4.00", "Total,8.00,5.00,3.00,16.00"
  ))
})

test_that("mistakes are explained", {
  t <- totals(book, by = c(product, region))
  expect_snapshot(error = TRUE, crosstab(t, product, month))
  expect_snapshot(error = TRUE, crosstab(t, product, product))
  expect_snapshot(error = TRUE, crosstab(t, product, region, of = "units"))
  expect_snapshot(error = TRUE, crosstab(t[1:2, ], product, region))
  expect_snapshot(error = TRUE, crosstab(data.frame(), product, region))
})
