towns <- load_table(demo_files()[["towns"]])

test_that("circles stand at their places, their area the value, labels apart from each other", {
  t <- add_change(totals(kilnmoor_book(), by = c(region, town), every = "year"))
  figure <- figure_places(t, towns, outline = demo_files()[["island"]])
  points <- drawn(figure, layer_of(figure, "GeomPoint"))
  now <- t[t$year == as.Date("2026-01-01"), ]
  expect_identical(nrow(points), nrow(now))
  at <- match(paste(points$x, points$y), paste(towns$longitude, towns$latitude))
  value <- now$revenue[match(paste(towns$region, towns$town)[at], paste(now$region, now$town))]
  expect_gt(stats::cor(points$size^2, value), 0.9999)
  expect_identical(sum(points$fill == change_colours()[["less"]]), sum(now$revenue_change_pct < 0))
  expect_true("Merrowport  +17.9\u00a0%" %in% labels_of(figure))
  expect_drawn(figure)
})

test_that("places that are not known are counted, and mistakes explained", {
  t <- totals(kilnmoor_book(), by = c(region, town))
  figure <- figure_places(t, towns[1:20, ])
  expect_match(figure$labels$caption, "4 places without coordinates: not drawn.", fixed = TRUE)
  expect_snapshot(error = TRUE, {
    figure_places(t, towns[1:2])
    figure_places(t, data.frame(town = "Nowhere", longitude = 0, latitude = 0))
  })
})
