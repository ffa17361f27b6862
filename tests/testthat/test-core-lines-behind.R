test_that("the lines behind every row and cell add up to it", {
  for (seed in seeds(1, 1, 3)) {
    book <- quiet(daybook(random_sales(seed), day, price, product, units = pieces, on_bad = "set_aside"))
    tables <- quiet(list(
      totals(book, by = c(region, product), every = "month", subtotals = TRUE),
      totals(book, by = product, every = c("year", "quarter_of_year"), subtotals = TRUE),
      totals(book, by = region, every = "weekday"), totals(book), best_sellers(totals(book, by = product), 2)
    ))
    for (t in tables) {
      for (i in sample(nrow(t), min(nrow(t), 12))) {
        lines <- lines_behind(t, i)
        expect_equal(sum(lines$revenue), t$revenue[i])
        expect_false(anyNA(lines$row))
      }
    }
    x <- quiet(crosstab(tables[[1]], c(month, region), product))
    for (i in sample(nrow(x), 10)) {
      for (column in names(x)[-(1:2)]) {
        expect_equal(sum(lines_behind(x, i, column)$revenue), if (is.na(x[[column]][i])) 0 else x[[column]][i])
      }
    }
  }
})

test_that("a member that only a target names has no lines, whatever other steps follow", {
  t <- totals(kilnmoor_book(), by = region, every = "year")
  t <- quiet(add_rank(add_target(t, data.frame(region = "Isle", period = "2025", target = 1)), within = year))
  expect_identical(nrow(lines_behind(t, which(t$region == "Isle"))), 0L)
})

test_that("what has no lines of its own says so", {
  book <- kilnmoor_book()
  rest <- best_sellers(totals(book, by = category), 2, others = TRUE)
  expect_snapshot(error = TRUE, {
    lines_behind(rest, 3)
    lines_behind(rest, 9)
    lines_behind(rest, 1, "Vale")
    lines_behind(totals(tally_of(book, by = category), by = category), 1)
  })
  grid <- crosstab(totals(book, by = c(category, region)), category, region)
  expect_snapshot(error = TRUE, lines_behind(grid, 1, "Val"))
  saved <- withr::local_tempfile()
  saveRDS(rest, saved)
  expect_error(lines_behind(readRDS(saved), 1), class = "hinterfeld_error_facts")
  expect_error(lines_behind(data.frame(a = 1), 1), class = "hinterfeld_error_argument")
  lines <- data.frame(day = as.Date("2026-01-01"), product = "a", revenue = 1, file = "own", row = 7L)
  behind <- lines_behind(totals(daybook(lines, day, revenue, product)), 1)
  expect_identical(unlist(behind[c("file", "file of line", "row of line")], use.names = FALSE), c("own", NA, "1"))
})

test_that("the lines behind a crosstab of a column of dates", {
  book <- a_book(day = as.Date("2026-03-02"), shipped = as.Date(c("2026-03-04", "2026-03-05")), revenue = 1:2,
                 region = c("n", "s"))
  x <- crosstab(totals(book, by = c(shipped, region)), shipped, region)
  expect_identical(lines_behind(x, 1)$revenue, x$Total[1])
})
