test_that("polygons are found in every kind of GeoJSON", {
  ring <- "[[0,0],[1,0],[1,1],[0,0]]"
  shapes <- c(
    sprintf('{"type":"Polygon","coordinates":[%s]}', ring),
    sprintf('{"type":"Feature","geometry":{"type":"MultiPolygon","coordinates":[[%s],[%s]]}}', ring, ring),
    sprintf(paste0('{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"GeometryCollection",',
                   '"geometries":[{"type":"Polygon","coordinates":[%s]}]}}]}'), ring)
  )
  t <- totals(a_book(product = "p"), by = product)
  places <- data.frame(product = "p", longitude = 0, latitude = 0)
  outline <- function(path) drawn(figure_places(t, places = places, outline = path), 1)
  rings <- vapply(shapes, function(shape) length(unique(outline(withr::local_tempfile(lines = shape))$group)), 0L,
                  USE.NAMES = FALSE)
  expect_identical(rings, c(1L, 2L, 1L))
  expect_identical(nrow(outline(demo_files()[["island"]])), 97L)
})

test_that("files that hold no outline are explained", {
  dir <- withr::local_tempdir()
  withr::local_dir(dir)
  writeLines('{"type":"Point","coordinates":[0,0]}', "point.json")
  writeLines("no json", "broken.json")
  t <- totals(a_book(product = "p"), by = product)
  places <- data.frame(product = "p", longitude = 0, latitude = 0)
  expect_snapshot(error = TRUE, figure_places(t, places = places, outline = "point.json"))
  expect_error(figure_places(t, places = places, outline = "broken.json"), class = "hinterfeld_error_file")
})
