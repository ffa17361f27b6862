plan <- data.frame(region = c("Vale", "Highfen", "Outer isles"), period = "2026", target = c(290000, 240000, 9000))

test_that("each row with a target has its bar, what is due and the whole target, the largest first", {
  t <- add_target(totals(kilnmoor_book(), by = region, every = "year"), plan)
  figure <- autoplot(t)
  now <- in_period(t, "2026")
  now <- as.data.frame(now[order(-now$revenue_target, na.last = NA), ])
  bars <- drawn(figure, layer_of(figure, "GeomRect"))
  bars <- bars[order(-bars$ymin), ]
  expect_equal(bars$xmax, now$revenue)
  marks <- lapply(which(vapply(figure$layers, function(layer) inherits(layer$geom, "GeomSegment"), NA)),
                  function(i) sort(drawn(figure, i)$x, decreasing = TRUE))
  expect_equal(marks, list(now$revenue_target, now$revenue_due))
  label <- drawn(figure, layer_of(figure, "GeomText"))
  expect_setequal(gsub("\u00a0", " ", label$label),
                  c("99.5 %   \u2212996", "89.3 %   \u221218 429", "0.0 %   \u22126 446"))
  expect_identical(figure$labels$title, "Revenue against its target by region, 2026")
  expect_match(figure$labels$subtitle, "of\\s2026:\\s260\\sof\\s363\\sopen\\sdays")
  expect_drawn(figure)
  one <- figure_target(t, n = 1)
  expect_match(one$labels$caption, "Not drawn, as they stand out least: Highfen and Outer isles")
  expect_error(figure_target(t, at = as.Date("2025-01-01")), "No row has a target", class = "hinterfeld_error_figure")
  expect_error(figure_target(totals(kilnmoor_book(), by = region)), class = "hinterfeld_error_figure")
})

test_that("without members the periods are the rows, in order of time", {
  months <- data.frame(month = sprintf("2026-%02d", 1:12), target = 60000)
  figure <- figure_target(add_target(totals(kilnmoor_book(), every = "month"), months), n = 2)
  expect_identical(figure$data$member[order(-figure$data$row)], c("2026-08", "2026-09"))
  expect_equal(sort(drawn(figure, layer_of(figure, "GeomRect"))$xmax), sort(figure$data$value))
  expect_drawn(figure)
})
