test_that("a command does without tibble, and a table behaves as one before tibble is loaded", {
  file <- withr::local_tempfile(fileext = ".csv", lines = c("day,product,revenue", "2026-01-02,A,3", "2026-01-03,B,4"))
  code <- c(
    sprintf("status <- hinterfeld:::cli_main(c(\"totals\", \"%s\", \"--every\", \"month\", \"--csv\"))", file),
    "lines <- data.frame(day = as.Date(\"2026-01-02\") + 0:1, product = c(\"Cup\", \"Jug\"), revenue = 3:4)",
    "t <- hinterfeld::totals(hinterfeld::daybook(lines, day, revenue, product), by = product)",
    "cat(\"loaded:\", isNamespaceLoaded(\"tibble\"), \"\\n\")",
    "cat(\"kept:\", t$revenue, t[[\"revenue\"]], \"\\n\")",
    "told <- tryCatch(t$rev, warning = function(cnd) \"no such column\")",
    "cat(\"part:\", told, class(t[, \"product\"])[1], dim(t[1, 1]), \"\\n\")"
  )
  done <- processx::run(file.path(R.home("bin"), "Rscript"), c("-e", paste(code, collapse = "\n")), env = c(
    "current", R_LIBS = paste(.libPaths(), collapse = ":")
  ))
  expect_identical(strsplit(gsub(" *\r?\n", "\n", done$stdout), "\n")[[1]],
                   c("month,revenue", "2026-01-01,7.00", "loaded: FALSE", "kept: 4 3 4 3",
                     "part: no such column tbl_df 1 1"))
})

test_that("tables that are handed out are tibbles with whatever they carried", {
  inner <- structure(hinterfeld:::inner_table(list(a = 1:2, b = list(1, "x")), 2L), note = "kept")
  expect_identical(hinterfeld:::outer_table(inner), structure(tibble::tibble(a = 1:2, b = list(1, "x")), note = "kept"))
  expect_identical(dim(hinterfeld:::inner_table(list(), 3L)), c(3L, 0L))
  path <- withr::local_tempfile(fileext = ".csv", lines = c("day,product,revenue", "2026-01-02,Cup,3", "x,Cup,4"))
  lines <- quiet(load_table(path))
  book <- quiet(daybook(lines, day, revenue, product, on_bad = "set_aside"))
  for (table in list(lines, set_aside(book), audit(book), check_brief(demo_brief()))) {
    expect_s3_class(table, "tbl_df")
    expect_identical(attr(table, "row.names"), seq_len(nrow(table)))
  }
})
