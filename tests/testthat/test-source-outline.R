test_that("polygons are found in every kind of GeoJSON", {
  ring <- "[[0,0],[1,0],[1,1],[0,0]]"
  shapes <- c(
    sprintf('{"type":"Polygon","coordinates":[%s]}', ring),
    sprintf('{"type":"Feature","geometry":{"type":"MultiPolygon","coordinates":[[%s],[%s]]}}', ring, ring),
    sprintf(paste0('{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"GeometryCollection",',
                   '"geometries":[{"type":"Polygon","coordinates":[%s]}]}}]}'), ring)
  )
  rings <- vapply(shapes, function(shape) {
    path <- withr::local_tempfile(lines = shape)
    max(hinterfeld:::load_outline(path)$ring)
  }, 0L, USE.NAMES = FALSE)
  expect_identical(rings, c(1L, 2L, 1L))
  expect_identical(nrow(hinterfeld:::load_outline(demo_files()[["island"]])), 97L)
})

test_that("files that hold no outline are explained", {
  dir <- withr::local_tempdir()
  withr::local_dir(dir)
  writeLines('{"type":"Point","coordinates":[0,0]}', "point.json")
  writeLines("no json", "broken.json")
  expect_snapshot(error = TRUE, hinterfeld:::load_outline("point.json"))
  expect_error(hinterfeld:::load_outline("broken.json"), class = "hinterfeld_error_file")
})
