test_that("a table is cut to the width and the rows, and says so", {
  book <- a_book(product = c("Throwing wheel, belt drive", "Bat"), revenue = c(1234567.8, 22), n = 1:2)
  t <- totals(book, by = product, measures = list("revenue", mean = mean_of(revenue), n = sum_of(n)))
  expect_snapshot(print(t))
  narrow <- withr::with_options(list(width = 44, cli.width = 44), format(t, n = 1))
  expect_snapshot(writeLines(narrow))
})

test_that("totals of a crosstab that are wide leave room for another column, and none is beyond the width", {
  t <- totals(kilnmoor_book(), by = region, every = "year", measures = c("revenue", "units", "lines")) |> add_pareto()
  shown <- format(crosstab(t, year, region, of = tidyselect::all_of(setdiff(names(t), c("year", "region")))))
  expect_true(all(cli::ansi_nchar(shown, "width") <= 80))
  expect_match(shown, "Saltcoast +Total", all = FALSE)
})

test_that("control characters of data do not reach a terminal", {
  hostile <- "\u001b]0;run\u0007Sieve\u009b31m\u000dname"
  book <- daybook(a_sale(product = hostile), day, revenue, product)
  shown <- c(format(totals(book, by = product)), format(survey(book, product)),
             format(in_words(keep_lines(book, product == hostile) |> totals())))
  expect_false(any(grepl("[\u0001-\u0008\u000b\u000c\u000e-\u001f\u007f\u0080-\u009f]", shown, perl = TRUE)))
  expect_match(shown, "Sieve", all = FALSE)
})
