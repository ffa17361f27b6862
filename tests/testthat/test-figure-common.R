test_that("names lose their middle, axis labels are short and carry the unit", {
  shorten <- hinterfeld:::shorten
  expect_identical(shorten(c("Bat", "A product with a long name, number 217"), 20),
                   c("Bat", "A product wit\u2026er 217"))
  axis <- hinterfeld:::axis_money("Mk")
  expect_identical(axis(c(0, 25000, NA, 50000)), c("0", "25 k", NA, "50 k Mk"))
  expect_identical(axis(c(0, 1500000)), c("0", "1.5 M Mk"))
  expect_identical(hinterfeld:::short_money(c(-200, 1200)), c("-200", "1\u00a0200"))
})

test_that("labels at the ends of lines keep apart and in order", {
  y <- hinterfeld:::spread_labels(c(1, 1.1, 5, 0.9), 1)
  expect_identical(order(y), order(c(1, 1.1, 5, 0.9)))
  expect_true(all(diff(sort(y)) > 0.99))
})

test_that("every figure speaks the sentences of its table, which can be overridden", {
  book <- kilnmoor_book()
  t <- add_running_total(totals(book, by = region, every = "month"), restart = "year")
  said <- function(figure) gsub("\n", " ", figure$labels$subtitle)
  expect_match(said(figure_running(t)), in_words(t)[1], fixed = TRUE)
  expect_match(said(figure_running(t)), "Running total of revenue along month within region", fixed = TRUE)
  expect_match(figure_running(t)$labels$caption, "Left out earlier: 3 483 lines", fixed = TRUE)
  own <- figure_running(t, title = "T", subtitle = "S", caption = "C")$labels[c("title", "subtitle", "caption")]
  expect_identical(unlist(own, use.names = FALSE), c("T", "S", "C"))
})

test_that("a table without rows and an unknown measure are refused", {
  t <- totals(kilnmoor_book(), every = "month")
  for (figure in list(figure_trend, figure_years, figure_ranking, figure_share)) {
    expect_error(figure(t[0, ]), class = "hinterfeld_error_figure")
  }
  expect_snapshot(error = TRUE, {
    figure_trend(t[0, ])
    figure_trend(t, of = "units")
  })
})

test_that("names are shortened to the room that they have, and stay apart", {
  fitting <- hinterfeld:::fitting_names
  long <- sprintf("DEPARTMENT OF LONG ARTICLES NUMBER %d OF THE SECOND FLOOR", 1:12)
  short <- fitting(long, 3.1, 3, 0.42)
  expect_false(anyDuplicated(short) > 0)
  expect_true(all(grepl("\u2026", short)))
  expect_identical(fitting("Sieve", 3.1, 3, 0.42), "Sieve")
  expect_identical(anyDuplicated(fitting(c(long, "DEPARTMENT OF LONG ARTICLES NUMBER 1 OF"), 3.1, 1, 0.1)), 0L)
  lines <- strsplit(hinterfeld:::wrap_words(paste(rep("WIDE CAPITALS", 40), collapse = " "), 150, 3), "\n")[[1]]
  expect_true(all(hinterfeld:::text_widths(lines, 3) <= 1215))
})

test_that("figures are drawn on the devices that R opens by itself, in the glyphs that these have", {
  changed <- add_change(totals(kilnmoor_book(), by = town, every = "year"))
  withr::local_pdf(withr::local_tempfile(fileext = ".pdf"))
  expect_no_warning(print(figure_change(changed)))
  expect_no_warning(print(figure_ranking(totals(many_products(), by = product))))
})

test_that("columns are words wherever a figure names them", {
  book <- extend_lines(kilnmoor_book(), gross_profit = revenue - units * unit_cost)
  t <- add_change(totals(book, by = product_id, every = "year", measures = "gross_profit"))
  texts <- function(figure) c(unlist(figure$labels[c("title", "subtitle", "caption")]), labels_of(figure))
  for (figure in list(figure_change(t), figure_trend(t), figure_ranking(t, within = year),
                      figure_share(t, within = year),
                      figure_pareto(add_pareto(totals(book, by = product_id, measures = "gross_profit"))),
                      figure_running(add_running_total(t, of = gross_profit)),
                      figure_crosstab(crosstab(t, product_id, year, gross_profit)))) {
    expect_false(any(grepl("[a-z]_[a-z]", texts(figure))))
  }
  expect_match(figure_change(t)$labels$subtitle, "Gross profit less that of", fixed = TRUE)
})
