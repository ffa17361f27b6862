test_that("the steps lead from the earlier value to the one of now", {
  t <- add_causes(add_change(totals(kilnmoor_book(), by = region, every = "year")))
  figure <- autoplot(t)
  now <- in_period(t, "2026")
  bars <- drawn(figure, layer_of(figure, "GeomRect"))
  expect_identical(nrow(bars), 6L * nrow(now))
  for (panel in split(bars, bars$PANEL)) {
    panel <- panel[order(-panel$ymin), ]
    expect_equal(panel$xmin[1], 0)
    expect_equal(panel$xmin[2:5], panel$xmax[1:4])
    expect_equal(panel$xmax[5], panel$xmax[6])
  }
  expect_setequal(round(bars$xmax[bars$ymin < 1], 2), now$revenue_change)
  expect_match(figure$labels$title, "Why revenue changed by region, 2026")
  expect_drawn(figure)
})

test_that("only rows with causes are drawn, the largest first, and the others are named", {
  t <- add_causes(add_change(totals(kilnmoor_book(), by = town, every = "year")))
  figure <- figure_causes(t, n = 2)
  expect_length(unique(drawn(figure, layer_of(figure, "GeomRect"))$PANEL), 2)
  expect_match(figure$labels$caption, "Not drawn")
  expect_error(figure_causes(t, at = as.Date("2023-01-01")), "No row has causes", class = "hinterfeld_error_figure")
  expect_error(figure_causes(add_change(totals(kilnmoor_book(), every = "year"))), class = "hinterfeld_error_figure")
})

test_that("more rows than a page has room for go on on the next", {
  t <- add_causes(add_change(totals(kilnmoor_book(), by = town, every = "year")))
  pages <- figure_pages(figure_causes(t, n = 12))
  expect_length(pages, 2)
  panels <- vapply(pages, function(page) length(unique(page$data$panel)), 0L)
  expect_identical(panels, c(6L, 6L))
  expect_match(pages[[1]]$labels$caption, "Each panel has a scale of its own.", fixed = TRUE)
})

test_that("the row of all members is said, as it is not drawn", {
  t <- quiet(add_causes(add_change(totals(kilnmoor_book(), by = region, every = "year", subtotals = list("year")))))
  expect_match(figure_causes(t)$labels$subtitle, "All together: 647 584 to 767 981", fixed = TRUE)
  plan <- load_table(demo_files()[["targets"]])
  set <- quiet(add_target(totals(kilnmoor_book(), by = region, every = "year", subtotals = list("year")), plan))
  expect_match(gsub("\n", " ", figure_target(set)$labels$subtitle), "All together: 767 981 of a target of 1 077 000")
  expect_no_match(figure_causes(t[t$region != "Total", ])$labels$subtitle, "All together")
})
