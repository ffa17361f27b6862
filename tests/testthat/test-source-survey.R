test_that("a path is surveyed like the table that is read from it", {
  path <- demo_files()[["towns"]]
  expect_identical(survey(path), survey(load_table(path)))
  expect_identical(survey(path, region)$lines, rep(6, 4))
  expect_error(survey("nowhere.csv"), class = "hinterfeld_error_file")
})
