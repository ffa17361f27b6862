typed_table <- function() {
  data.frame(day = as.Date("2026-01-01") + 0:3, at = as.POSIXct("2026-01-01 10:00", "UTC") + 0:3,
             name = c("a", "b", NA, "a"),
             n = c(1.5, NA, 3, 4), whole = c(1L, 2L, NA, 4L), good = c(TRUE, FALSE, NA, TRUE))
}

test_that("Parquet keeps its types, columns are chosen, and files go together", {
  folder <- withr::local_tempdir()
  nanoparquet::write_parquet(typed_table(), file.path(folder, "a.parquet"))
  nanoparquet::write_parquet(typed_table()[2:1, ], file.path(folder, "b.parquet"))
  lines <- load_table(folder)
  expect_identical(vapply(lines, function(x) class(x)[1], ""),
                   c(day = "Date", at = "POSIXct", name = "character", n = "numeric", whole = "numeric",
                     good = "logical"))
  expect_equal(as.data.frame(lines), rbind(typed_table(), typed_table()[2:1, ]), ignore_attr = TRUE)
  expect_identical(load_table(folder, c(n, name))$name, c("a", "b", NA, "a", "b", "a"))
  expect_identical(load_table(folder, types = c(whole = "text"))$whole[1:2], c("1", "2"))
  expect_error(load_table(folder, types = c(whole = "date")), "is number in a.parquet", class = "hinterfeld_error_type")
  nanoparquet::write_parquet(transform(typed_table(), n = "x"), file.path(folder, "c.parquet"))
  expect_error(load_table(folder), "is number in a.parquet and text in c.parquet", class = "hinterfeld_error_type")
})

test_that("a workbook's sheet gives days and numbers, by name, place and range", {
  path <- withr::local_tempfile(fileext = ".xlsx")
  deliver(list(first = typed_table()["name"], second = typed_table()[c("day", "name", "n")]), path)
  lines <- load_table(path, sheet = "second")
  expect_equal(as.data.frame(lines), typed_table()[c("day", "name", "n")], ignore_attr = TRUE)
  expect_identical(load_table(path, sheet = 3, range = "B1:C3")$name, c("a", "b"))
  first <- format(typed_table()$day[1])
  expect_identical(is.na(load_table(path, sheet = "second", blank = first)$day), typed_table()$day %in% as.Date(first))
  expect_error(load_table(path, sheet = "secon"), "Did you mean \"second\"", class = "hinterfeld_error_file")
  expect_error(load_table(path, sheet = 9), class = "hinterfeld_error_file")
})

test_that("files that are cut, and numbers that no double holds, are refused by name", {
  path <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(typed_table(), path)
  writeBin(utils::head(readBin(path, "raw", 1e6), -20), path)
  expect_error(load_table(path), "cannot be read as Parquet", class = "hinterfeld_error_file")
  nanoparquet::write_parquet(data.frame(order = c(1, 2^60)), path,
                             schema = nanoparquet::parquet_schema(order = "INT64"))
  expect_error(load_table(path), "more than 15 digits", class = "hinterfeld_error_type")
  book <- withr::local_tempfile(fileext = ".xlsx")
  writeLines("no workbook", book)
  expect_error(load_table(book), "cannot be read as a workbook", class = "hinterfeld_error_file")
})
