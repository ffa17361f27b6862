test_that("what is no JSON is told, and ends nothing, whatever it holds", {
  path <- withr::local_tempfile()
  for (text in c("{\"a\":[\"b, \"n%s%s%s%s%n%n%n\"]}", "%n", "", "{", "[1, 2", "not JSON 100 %")) {
    writeLines(text, path)
    expect_null(hinterfeld:::parsed_json(text))
    expect_null(hinterfeld:::file_json(path))
    expect_error(hinterfeld:::load_outline(path), class = "hinterfeld_error_file")
  }
  writeBin(as.raw(c(0x7b, 0, 0x7d)), path)
  expect_null(hinterfeld:::file_json(path))
  # A folder, and lists in lists that would end R.
  expect_null(hinterfeld:::file_json(tempdir()))
  expect_null(hinterfeld:::parsed_json(paste(c(rep("[", 1e5), rep("]", 1e5)), collapse = "")))
  expect_identical(hinterfeld:::parsed_json(sprintf("[\"%s\\\"[\"]", strrep("[", 500)))[[1]],
                   paste0(strrep("[", 500), "\"["))
  expect_identical(hinterfeld:::parsed_json("{\"a\": [1, \"50 %\"]}"), list(a = list(1L, "50 %")))
})
