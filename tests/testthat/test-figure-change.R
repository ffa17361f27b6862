# The bars of the changes; those of the values stand before them.
bars_of <- function(figure) {
  drawn(figure, which(vapply(figure$layers, function(layer) inherits(layer$geom, "GeomRect"), NA))[2])
}

# As parts of the longest, those of what went down below 0.
bars_parts <- function(bars) {
  sign <- ifelse(bars$fill == change_colours()[["less"]], -1, 1)
  sign * (bars$xmax - bars$xmin) / max(bars$xmax - bars$xmin)
}

test_that("bars end at the percentages, capped ones at the edge with their true value written", {
  t <- add_change(totals(kilnmoor_book(), by = town, every = "year"))
  figure <- figure_change(t)
  now <- t[t$year == as.Date("2026-01-01"), ]
  # The largest percentages and the largest amounts.
  place <- pmin(rank(-abs(now$revenue_change_pct)), rank(-abs(now$revenue_change)))
  now <- now[order(place, -abs(now$revenue_change))[1:20], ]
  # A bar is as long as its percentage, but for those that are cut at the edge.
  parts <- sort(bars_parts(bars_of(figure)))
  pct <- sort(now$revenue_change_pct)
  whole <- parts < 1
  cap <- pct[1] / parts[1]
  expect_equal(parts[whole], pct[whole] / cap)
  expect_true(all(pct[!whole] >= cap) && cap < 1)
  expect_true("+30\u00a0035.1\u00a0%" %in% labels_of(figure))
  expect_match(figure$labels$caption, "A break marks bars")
  # The worst is among them, and the least telling ones are named.
  expect_true(all(c("Ulvergate", "\u221224.7\u00a0%") %in% labels_of(figure)))
  expect_match(figure$labels$caption, "Not drawn, as they stand out least: Tansyford, Peltry Cross and Lodewick.",
               fixed = TRUE)
  values <- drawn(figure, layer_of(figure, "GeomRect"))
  expect_equal((values$xmax - values$xmin) / max(values$xmax), now$revenue[order(-now$revenue_change_pct)] /
                 max(now$revenue) * max(values$xmax - values$xmin) / max(values$xmax))
  expect_drawn(figure)
})

test_that("rows are ordered by percentage, amount or value, and only what rose or fell", {
  t <- add_change(totals(kilnmoor_book(), by = town, every = "year"))
  now <- t[t$year == as.Date("2026-01-01"), ]
  names_in <- function(figure) intersect(labels_of(figure), now$town)
  expect_identical(names_in(figure_change(t, order = "amount", n = 5)),
                   local({
                     five <- now[order(-abs(now$revenue_change))[1:5], ]
                     five$town[order(-five$revenue_change)]
                   }))
  expect_identical(names_in(figure_change(t, order = "value", n = 4)), now$town[order(-now$revenue)][1:4])
  fallen <- now[now$revenue_change < 0, ]
  down <- figure_change(t, only = "down")
  expect_identical(names_in(down), fallen$town[order(-fallen$revenue_change_pct)])
  expect_match(down$labels$title, "What fell: revenue by town, 2026")
  expect_error(figure_change(in_period(t, "2023"), only = "up"), class = "hinterfeld_error_figure")
})

test_that("what has no percentage says so in words", {
  days <- as.Date(c("2024-01-10", "2025-01-10", "2025-01-12", "2024-01-13", "2024-01-14", "2025-01-14"))
  book <- daybook(a_sale(day = days, product = c("a", "a", "b", "c", "d", "d"), revenue = c(4, 5, 2, 6, -5, 1)), day,
                  revenue, product, covers = c("2024-01-01", "2025-01-14"))
  t <- add_change(totals(book, by = product, every = "year"))
  labels <- labels_of(figure_change(t))
  expect_true(all(c("new", "earlier value below 0", "+25.0\u00a0%", "\u2212100.0\u00a0%") %in% labels))
  expect_true("no earlier period" %in% labels_of(figure_change(t, at = as.Date("2024-01-01"))))
  late <- add_change(totals(keep_lines(kilnmoor_book(), day > as.Date("2025-02-28")), by = region, every = "year"))
  figure <- figure_change(late)
  expect_true("not comparable" %in% labels_of(figure))
  expect_match(figure$labels$subtitle, "Not comparable: the data cover 2025 only from 2025-03-01")
})

test_that("many members are cut to those that changed most, one member stands alone", {
  t <- add_change(totals(many_products(), by = product, every = "year"))
  figure <- figure_change(t)
  expect_lte(nrow(bars_of(figure)), 20L)
  expect_match(figure$labels$caption, "and [0-9]+\\smore")
  expect_drawn(figure)
  expect_drawn(figure_change(add_change(totals(kilnmoor_book(), every = "year"))))
})

test_that("two named periods are drawn too, and mistakes explained", {
  t <- add_change(totals(kilnmoor_book(), by = region), periods = list(
    spring = as.Date(c("2026-03-01", "2026-05-31")), autumn = as.Date(c("2025-09-01", "2025-11-30"))
  ))
  expect_true("81\u00a0671" %in% labels_of(figure_change(t)))
  expect_snapshot(error = TRUE, {
    figure_change(totals(kilnmoor_book(), by = region, every = "year"))
    figure_change(add_change(totals(kilnmoor_book(), every = "year")), at = as.Date("2026-02-02"))
  })
})

test_that("a change looks as it did", {
  path <- withr::local_tempfile(fileext = ".svg")
  deliver(figure_change(add_change(totals(kilnmoor_book(), by = category, every = "year"))), path)
  expect_snapshot_file(path, "change.svg", variant = paste0("ggplot2-", packageVersion("ggplot2")))
})

test_that("names of several columns that are not drawn are told apart", {
  t <- add_change(totals(kilnmoor_book(), by = c(region, town), every = "year"))
  expect_match(figure_change(t)$labels$caption, "Highfen, Fenmarch; Vale, Tansyford;", fixed = TRUE)
})

test_that("of periods alone each is a row, in the order of time, and the last of many", {
  t <- in_period(add_change(totals(kilnmoor_book(), every = "month")), "2026")
  figure <- figure_change(t)
  shown <- layer_of(figure, "GeomText")
  expect_match(figure$labels$title, "^Change in revenue by month")
  expect_drawn(figure)
  drawn <- unlist(lapply(figure$layers, function(layer) as.character(layer$data$member %||% layer$data$name)))
  expect_identical(intersect(drawn, format(t$month, "%Y-%m")), format(t$month, "%Y-%m"))
  all <- figure_change(add_change(totals(kilnmoor_book(), every = "month")), n = 3)
  expect_match(all$labels$caption, "Nothing up to 2026-06 is drawn", fixed = TRUE)
  expect_match(figure_change(t, at = as.Date("2026-03-01"))$labels$title, "2026-03", fixed = TRUE)
})

test_that("the rest of a pick has no change to draw, and alone no course", {
  t <- add_change(totals(kilnmoor_book(), every = "year"), versus = "period_before")
  picked <- best_sellers(t, 2, of = revenue_change, others = TRUE)
  expect_setequal(figure_change(picked)$data$member, c("2024", "2026"))
  rest <- picked[3, ]
  for (figure in list(figure_change, figure_trend)) {
    expect_error(figure(rest), "has no period left, only the rest of a pick", class = "hinterfeld_error_figure")
  }
})
