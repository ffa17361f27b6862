bars_of <- function(figure) drawn(figure, layer_of(figure, "GeomRect"))

test_that("panels stand from the largest, rows in each panel's own order, ties and the rest marked", {
  t <- best_sellers(totals(kilnmoor_book(), by = c(region, product)), n = 3, within = region, others = TRUE)
  figure <- figure_ranking(t)
  bars <- bars_of(figure)
  expect_identical(length(unique(bars$PANEL)), 4L)
  # The rest of each panel is drawn fainter.
  rest <- names(which.min(table(bars$fill)))
  members <- bars[bars$fill != rest, ]
  # Bars are parts of the largest.
  expect_equal(members$xmax * max(t$revenue[!is.na(t$revenue_rank)]), t$revenue[!is.na(t$revenue_rank)])
  expect_true(all(tapply(members$xmax, members$PANEL, function(x) !is.unsorted(-x))))
  expect_identical(sum(bars$fill == rest), 4L)
  packing <- keep_lines(kilnmoor_book(), region == "Highfen" & category == "Packing & safety")
  expect_identical(sum(grepl("^1=  11\u00a0180$", labels_of(figure_ranking(totals(packing, by = product))))), 2L)
  expect_drawn(figure)
})

test_that("shares of each panel add up to 1", {
  t <- add_share(totals(kilnmoor_book(), by = c(region, category)), within = region)
  figure <- figure_share(t)
  bars <- bars_of(figure)
  expect_equal(c(tapply(bars$xmax, bars$PANEL, sum)) * max(t$revenue_share), rep(1, 4), ignore_attr = TRUE)
  expect_drawn(figure)
})

test_that("300 members, twenty parts, negative and zero values stay readable", {
  book <- many_products()
  figure <- figure_ranking(totals(book, by = product), n = 30)
  expect_identical(nrow(bars_of(figure)), 31L)
  expect_drawn(figure)
  share <- figure_share(totals(book, by = product))
  expect_identical(nrow(bars_of(share)), 20L)
  expect_match(share$labels$caption, "Each panel shows its 20 largest.", fixed = TRUE)
  negative <- daybook(a_sale(region = c("n", "s"), revenue = c(5, -3)), day, revenue, product)
  expect_equal(bars_of(figure_ranking(totals(negative, by = region)))$xmin, c(0, -0.6))
  zero <- daybook(a_sale(region = c("n", "s"), revenue = c(0, 0)), day, revenue, product)
  expect_drawn(figure_ranking(totals(zero, by = region)))
})

test_that("what one picture does not hold goes on on further pages, all of it", {
  t <- totals(kilnmoor_book(), by = c(town, product))
  figure <- figure_ranking(t, n = 3)
  pages <- figure_pages(figure)
  expect_length(pages, 2)
  expect_match(figure$labels$title, "(1 of 2)", fixed = TRUE)
  drawn <- unlist(lapply(pages, labels_of))
  best <- best_sellers(t, n = 3, within = town)
  expect_identical(sum(grepl("^[123]=?  ", drawn)), nrow(best))
  expect_match(figure$labels$caption, "Each panel has a scale of its own.", fixed = TRUE)
  folder <- withr::local_tempdir()
  paths <- deliver(figure, file.path(folder, "towns.svg"))
  expect_identical(basename(paths), sprintf("towns-%d.svg", 1:2))
  expect_setequal(list.files(folder), basename(paths))
  long <- figure_pages(figure_ranking(totals(many_products(), by = product), n = 100))
  expect_identical(vapply(long, function(page) nrow(bars_of(page)), 0L), c(32L, 32L, 32L, 5L))
  expect_length(figure_pages(figure_trend(totals(kilnmoor_book(), every = "month"))), 1)
  expect_error(figure_pages(t), class = "hinterfeld_error_argument")
})

test_that("panels of periods follow the calendar, and no row is written over another", {
  book <- keep_lines(kilnmoor_book(), year(day) == 2026)
  t <- totals(book, by = product, every = "month")
  for (n in c(1, 3, 8, 12)) {
    pages <- figure_pages(figure_ranking(best_sellers(t, n, within = month)))
    expect_identical(unlist(lapply(pages, function(page) levels(page$data$panel))), sprintf("2026-%02d", 1:9))
    svg <- expect_drawn(pages[[1]])
    names <- unlist(regmatches(svg, gregexpr("<text x='[0-9.]+' y='[0-9.]+' text-anchor='end'", svg)))
    heights <- unique(as.numeric(sub("^.* y='([0-9.]+)'.*$", "\\1", names)))
    expect_gte(length(heights), n)
    expect_gt(min(diff(sort(heights))), 7.7)
  }
})

test_that("periods have their names and their order wherever they are members or scopes", {
  t <- totals(kilnmoor_book(), by = c(region, product), every = "year")
  members <- function(figure) unique(as.character(figure$data$member))
  best <- autoplot(best_of_each(t, within = c(region, year)))
  expect_identical(unique(sub("^.*, ", "", members(best))), as.character(2023:2026))
  expect_true(all(grepl("^20[0-9]{2}$", members(figure_ranking(totals(kilnmoor_book(), by = region, every = "year"),
                                                               within = region)))))
  months <- figure_ranking(totals(kilnmoor_book(), by = region, every = "month"), within = region)
  expect_match(months$labels$title, "^Best months in each region")
  expect_match(figure_ranking(t)$labels$title, "^Best sellers in each year and region")
  pareto <- figure_pareto(add_pareto(totals(kilnmoor_book(), every = "year")))
  expect_true(all(c("2025", "2024") %in% labels_of(pareto)))
  weekdays <- quiet(figure_weekdays(totals(kilnmoor_book(), every = c("year", "weekday"))))
  expect_identical(levels(weekdays$data$panel), as.character(2023:2026))
  expect_match(weekdays$labels$caption, "Each panel has a scale of its own.", fixed = TRUE)
})

test_that("panels are the scopes in which rows were picked, and ranks stand in order", {
  t <- quiet(add_change(totals(kilnmoor_book(), by = product, every = "month")))
  together <- autoplot(best_sellers(t, 10))
  expect_identical(together$labels$title, "Best sellers")
  expect_identical(unique(as.character(together$data$panel)), "")
  expect_match(together$data$text, "^ *[0-9]+ ")
  expect_match(as.character(together$data$member), ", 20[0-9]{2}-[0-9]{2}$")
  in_months <- figure_ranking(best_sellers(in_period(t, "2026"), 2, within = month))
  expect_identical(in_months$labels$title, "Best sellers in each month")
  grown <- best_sellers(t, 4, of = revenue_change)
  expect_identical(sub(" .*$", "", trimws(autoplot(grown)$data$text)), as.character(1:4))
  expect_identical(autoplot(grown)$data$value, as.double(grown$revenue))
  slow <- autoplot(slow_sellers(totals(kilnmoor_book(), by = product), 3))
  expect_identical(sub(" .*$", "", trimws(slow$data$text)), as.character(1:3))
  shares <- best_sellers(add_share(totals(kilnmoor_book(), by = product)), 3, of = revenue_share)
  expect_drawn(autoplot(shares))
})

test_that("a panel that goes on on another page keeps its scale", {
  pages <- figure_pages(autoplot(best_of_each(totals(kilnmoor_book(), by = c(town, product), every = "year"),
                                              within = c(town, year))))
  expect_gt(length(pages), 1)
  expect_length(unique(unlist(lapply(pages, function(page) page$data$scale))), 1)
})

test_that("a table with nothing left to draw is refused", {
  expect_snapshot(error = TRUE, {
    figure_ranking(totals(kilnmoor_book(), by = region), within = region)
    figure_share(totals(kilnmoor_book()))
  })
})
