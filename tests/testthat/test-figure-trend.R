test_that("the lines drawn are the table", {
  t <- totals(kilnmoor_book(), by = category, every = "month")
  figure <- figure_trend(t)
  finished <- drawn(figure, 2)
  hollow <- drawn(figure, layer_of(figure, "GeomPoint"))
  expect_equal(sum(finished$y) + sum(hollow$y), sum(t$revenue))
  expect_identical(length(setdiff(unique(finished$colour), category_colours())), 1L)
  expect_true(all(category_colours() %in% finished$colour))
  expect_drawn(figure)
})

test_that("the unfinished last month is hollow, a finished one is not", {
  hollow <- function(...) drawn(figure_trend(totals(a_book(...), every = "month")), 4)
  expect_identical(nrow(hollow(day = as.Date(c("2026-02-01", "2026-03-30")))), 1L)
  expect_identical(nrow(hollow(day = as.Date(c("2026-02-01", "2026-03-31")))), 0L)
})

test_that("a group without sales in a month is drawn at 0, a single period as points", {
  book <- a_book(day = as.Date(c("2026-01-05", "2026-02-28", "2026-01-07")), product = c("a", "a", "b"), revenue = 3:1)
  figure <- figure_trend(totals(book, by = product, every = "month"))
  expect_equal(drawn(figure, 2)$y, c(3, 2, 1, 0))
  expect_identical(drawn(figure_trend(totals(a_book(), every = "month")), 2)$y, 5.75)
})

test_that("of many members the five largest are drawn, and the others counted", {
  t <- totals(many_products(), by = product, every = "quarter")
  figure <- figure_trend(t)
  expect_identical(length(unique(drawn(figure, 2)$colour)), 5L)
  expect_match(figure$labels$caption, "And 295 others, not drawn: ", fixed = TRUE)
  expect_drawn(figure)
})

test_that("tables that make no trend are refused", {
  book <- a_book(region = "Vale")
  expect_snapshot(error = TRUE, {
    figure_trend(totals(book))
    figure_trend(totals(book, by = c(region, product), every = "day"))
    figure_trend(quiet(totals(book, every = "weekday")))
    figure_trend(1)
  })
})

test_that("a trend looks as it did", {
  path <- withr::local_tempfile(fileext = ".svg")
  deliver(figure_trend(totals(kilnmoor_book(), by = region, every = "quarter")), path)
  expect_snapshot_file(path, "trend.svg", variant = paste0("ggplot2-", packageVersion("ggplot2")))
})

test_that("of a table that was cut, what has no line is drawn at 0, and what was left out is not", {
  book <- a_book(day = as.Date(c("2026-01-05", "2026-02-10", "2026-03-31", "2026-01-07", "2026-03-07")),
                 product = c("a", "a", "a", "b", "b"), revenue = 1:5)
  t <- totals(book, by = product, every = "month")
  cut <- t[t$product == "b", ]
  expect_equal(drawn(figure_trend(cut), 2)$y, c(4, 0, 5))
  left <- t[!(t$product == "b" & t$month == as.Date("2026-03-01")), ]
  expect_equal(drawn(figure_trend(left[left$product == "b" | left$month > as.Date("2026-01-01"), ]), 2)$y[1:3],
               c(NA, 2, 3), ignore_attr = TRUE)
  path <- withr::local_tempfile(fileext = ".rds")
  saveRDS(cut, path)
  expect_equal(drawn(figure_trend(readRDS(path)), 2)$y, c(4, NA, 5))
})

test_that("a group that would flatten the others has a panel of its own", {
  lines <- lines_of(kilnmoor_book())
  lines$revenue <- lines$revenue * ifelse(lines$category %in% "Clay bodies", 12, 1)
  t <- totals(quiet(daybook(lines, day, revenue, product)), by = category, every = "month")
  figure <- figure_trend(t)
  expect_identical(levels(figure$data$panel), c("Clay bodies", "the others"))
  expect_identical(unique(as.character(figure$data$group[figure$data$panel == "Clay bodies"])), "Clay bodies")
  expect_match(figure$labels$caption, "^Clay bodies has a panel and a scale of its own[.]")
  expect_drawn(figure)
  expect_identical(nlevels(figure_trend(totals(kilnmoor_book(), by = category, every = "month"))$data$panel), 1L)
  # Of two groups each is seen beside the other.
  expect_identical(nlevels(figure_trend(t[t$category %in% c("Clay bodies", "Packing & safety"), ])$data$panel), 1L)
})

test_that("several measures have panels with scales of their own, and the same groups", {
  t <- totals(kilnmoor_book(), by = category, every = "month", measures = c("revenue", "units"))
  figure <- figure_trend(t, of = c(revenue, units))
  expect_identical(levels(figure$data$panel), c("Revenue, Mk", "Units"))
  for (name in c("revenue", "units")) {
    part <- figure$data[startsWith(tolower(figure$data$panel), name), ]
    row <- part[part$group == "Clay bodies" & part$period == as.Date("2026-03-01"), ]
    expect_identical(row$value, t[[name]][t$category == "Clay bodies" & t$month == as.Date("2026-03-01")])
    expect_identical(levels(part$group), levels(figure$data$group))
  }
  expect_match(figure$labels$title, "Monthly revenue and units by category")
  expect_no_match(figure$labels$caption, "a panel and a scale of its own")
  expect_drawn(figure)
  expect_error(figure_trend(t, of = c("revenue", "units", "units", "revenue")), "room for three",
               class = "hinterfeld_error_figure")
})

test_that("few periods are marked by their names, and nothing is said while drawing", {
  breaks_of <- function(figure) {
    axis <- ggplot2::ggplot_build(figure)$layout$panel_params[[1]]$x
    axis$get_labels()[!is.na(axis$breaks)]
  }
  years <- figure_trend(totals(keep_lines(kilnmoor_book(), year(day) >= 2025), by = region, every = "year"))
  expect_identical(breaks_of(years), c("2025", "2026"))
  fiscal <- daybook(a_sale(day = as.Date("2024-04-01") + 92 * 0:5, revenue = 1:6), day, revenue, product,
                    calendar = sales_calendar("04-01"))
  expect_identical(breaks_of(figure_trend(totals(fiscal, every = "quarter")))[1:2], c("2024/25-Q1", "2024/25-Q2"))
  first_days <- keep_lines(kilnmoor_book(), day <= as.Date("2023-01-20"))
  single <- figure_trend(totals(first_days, by = region, every = "month"))
  expect_identical(breaks_of(single), "2023-01")
  expect_match(single$labels$caption, "2023-01, is not complete", fixed = TRUE)
  expect_no_message(expect_drawn(single))
  expect_no_message(expect_drawn(years))
})
