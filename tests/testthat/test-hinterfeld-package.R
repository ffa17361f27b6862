test_that("every function is called as it was", {
  calls <- vapply(sort(getNamespaceExports("hinterfeld")), function(name) {
    given <- getExportedValue("hinterfeld", name)
    form <- utils::head(deparse(args(given), width.cutoff = 100), -1)
    paste(name, sub("^function ", "", paste(trimws(form), collapse = " ")))
  }, "")
  expect_snapshot(writeLines(calls))
})
