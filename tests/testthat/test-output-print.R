withr::local_options(cli.width = 80)

test_that("a daybook and its totals print what they are and what was left out", {
  book <- kilnmoor_book()
  expect_snapshot({
    book
    totals(book, by = product, every = "day")
    print(totals(book, by = c(region, category), every = "month"), n = 3)
    totals(a_book())
  })
})

test_that("numbers are rounded for the reader only, and columns that do not fit follow below", {
  withr::local_options(cli.width = 60)
  t <- add_change(totals(kilnmoor_book(), by = region, every = "year", measures = list("revenue", "units")))
  expect_snapshot(print(t, n = 3, decimals = 0))
  expect_identical(sum(t$revenue), 3367098.86)
  expect_error(print(t, decimals = -1), class = "hinterfeld_error_argument")
  withr::local_options(cli.width = 200)
  expect_snapshot(print(t, n = 2))
})

test_that("a heading names the days of the rows that are shown", {
  t <- totals(kilnmoor_book(), by = region, every = "quarter")
  expect_match(format(in_period(t, "2024-Q2"))[1], "2024-04-01 to 2024-06-30", fixed = TRUE)
  expect_match(format(in_period(t, "latest"))[1], "2026-07-01 to 2026-09-17", fixed = TRUE)
  expect_match(format(best_sellers(totals(kilnmoor_book(), by = region), n = 1))[1], "2023-01-01 to 2026-09-17")
})

test_that("a calendar says what it is", {
  expect_snapshot({
    sales_calendar()
    sales_calendar("04-06", week_starts = "sunday")
    sales_calendar("02-01", weeks = "445")
  })
})

test_that("a daybook answers as R users expect, and says what to use instead of a filter", {
  book <- kilnmoor_book()
  expect_identical(dim(book), c(nrow(book), ncol(book)))
  expect_identical(nrow(book), nrow(as.data.frame(book)))
  expect_identical(format(summary(book)), format(book))
  expect_error(dplyr::filter(book, region == "Vale"), "Keep lines with `keep_lines()`", fixed = TRUE)
  expect_error(dplyr::filter(tally_of(book, by = region), region == "Vale"), class = "hinterfeld_error_argument")
  path <- withr::local_tempfile()
  expect_silent(utils::write.csv(totals(book, by = region, every = "year"), path))
  expect_error(autoplot(totals(book)), "Split the table by a column or a period", class = "hinterfeld_error_figure")
})

test_that("a crosstab prints the columns that fit with its totals, and all of them where that is asked for", {
  x <- crosstab(totals(kilnmoor_book(), by = region, every = "month"), region, month)
  for (width in c(40, 80, 120)) {
    withr::local_options(cli.width = width, width = width)
    few <- format(x)
    expect_true(all(nchar(few) <= width))
    heads <- strsplit(trimws(grep("^region", few, value = TRUE)), " {2,}")[[1]]
    expect_identical(heads, names(x)[c(seq_len(length(heads) - 1), length(x))])
    expect_match(few, sprintf("... %d more columns", length(x) - length(heads)), fixed = TRUE, all = FALSE)
    all <- paste(format(x, n = Inf), collapse = " ")
    expect_true(all(vapply(names(x), grepl, NA, all, fixed = TRUE)))
  }
})
