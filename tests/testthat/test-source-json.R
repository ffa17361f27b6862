test_that("what is no JSON is told, and ends nothing, whatever it holds", {
  path <- withr::local_tempfile()
  t <- totals(a_book(product = "p"), by = product)
  places <- data.frame(product = "p", longitude = 0, latitude = 0)
  folder <- withr::local_tempdir()
  refused <- function() {
    expect_error(figure_places(t, places = places, outline = path), class = "hinterfeld_error_file")
    file.copy(path, file.path(folder, "run.json"), overwrite = TRUE)
    expect_error(what_changed(folder, folder), "There is no record of a run", class = "hinterfeld_error_file")
  }
  for (text in c("{\"a\":[\"b, \"n%s%s%s%s%n%n%n\"]}", "%n", "", "{", "[1, 2", "not JSON 100 %", "[\"50 %\"]",
                 paste0("[\"", strrep("[", 500), "\\\"[\"]"))) {
    writeLines(text, path)
    refused()
  }
  # A text with a NUL, and lists in lists that would end R.
  writeBin(as.raw(c(0x7b, 0, 0x7d)), path)
  refused()
  writeLines(paste(c(rep("[", 1e5), rep("]", 1e5)), collapse = ""), path)
  refused()
  dir.create(file.path(folder, "no", "run.json"), recursive = TRUE)
  expect_error(what_changed(file.path(folder, "no"), folder), class = "hinterfeld_error_file")
})
