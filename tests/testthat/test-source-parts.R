sales_folder <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  writeLines(c("day,product,revenue", "2026-01-01,Sieve,1.10", "", "soon,Bat,2"), file.path(folder, "b.csv"))
  writeLines(c("revenue;product;day", "3.5;Rib;2026-01-02"), file.path(folder, "a.csv"))
  writeLines("Notes.", file.path(folder, "README.md"))
  folder
}

test_that("several files, a folder and a pattern are one table, and each line knows its file and row", {
  folder <- sales_folder()
  expect_message(lines <- load_table(folder), "1 file is ignored: \"README.md\"")
  expect_identical(lines$product, c("Rib", "Sieve", "Bat"))
  expect_identical(lines$revenue, c(3.5, 1.1, 2))
  expect_identical(as.data.frame(load_table(file.path(folder, "*.csv"))), as.data.frame(lines), ignore_attr = TRUE)
  both <- load_table(file.path(folder, c("b.csv", "a.csv")))
  expect_identical(both$product, c("Sieve", "Bat", "Rib"))
  book <- daybook(both, day, revenue, product, on_bad = "set_aside")
  expect_identical(set_aside(book)[c("file", "row")], tibble::tibble(file = "b.csv", row = 3L), ignore_attr = TRUE)
  expect_identical(as.data.frame(lines_behind(totals(book), 1)[c("product", "file", "row")]),
                   data.frame(product = c("Sieve", "Rib"), file = c("b.csv", "a.csv"), row = c(1L, 1L)))
  expect_error(daybook(both, day, revenue, product), "row 3 of b.csv", fixed = TRUE)
  expect_identical(audit(book)$why[1], "b.csv and 1 other file")
})

test_that("a column is typed only when every value of every file fits", {
  folder <- withr::local_tempdir()
  writeLines(c("code,n", "7,1", "8,2"), file.path(folder, "1.csv"))
  writeLines(c("code,n", "007,", "9,"), file.path(folder, "2.csv"))
  lines <- load_table(folder)
  expect_identical(lines$code, c("7", "8", "007", "9"))
  expect_identical(lines$n, c(1, 2, NA, NA))
  writeLines(c("code,n", "1,1.10"), file.path(folder, "3.csv"))
  writeLines(c("code,n", "1,1.1"), file.path(folder, "4.csv"))
  expect_message(lines <- load_table(folder), "which would become one number")
  expect_type(lines$n, "character")
  expect_error(load_table(folder, types = c(n = "date")), "Row 1 of 1.csv holds \"1\"", fixed = TRUE)
})

test_that("headings must agree, unless it is said which columns are wanted", {
  withr::local_dir(sales_folder())
  writeLines(c("day,product,amount", "2026-01-03,Rib,4"), "c.csv")
  writeLines(c("day,product,revenue,note", "2026-01-03,Rib,4,x"), "d.csv")
  expect_snapshot(error = TRUE, {
    load_table(c("a.csv", "c.csv"))
    load_table(c("a.csv", "d.csv"))
  })
  expect_identical(load_table(c("a.csv", "d.csv"), columns = c(product, revenue))$revenue, c(3.5, 4))
  expect_named(load_table("d.csv", c(note, day)), c("note", "day"))
  expect_error(load_table("d.csv", nothing), class = "hinterfeld_error_column")
})

test_that("paths that lead nowhere, twice to one file, or to several kinds say so", {
  withr::local_dir(sales_folder())
  dir.create("none")
  file.create("none/x.log")
  deliver(data.frame(a = 1), "x.parquet")
  expect_snapshot(error = TRUE, {
    load_table("*.tsv")
    load_table("none")
    load_table(c("a.csv", "./a.csv"))
    quiet(load_table("."))
    load_table("x.parquet", delimiter = ";")
  })
  expect_error(load_table(character()), class = "hinterfeld_error_argument")
})

test_that("folders in a folder, and the same content twice, are named", {
  folder <- withr::local_tempdir()
  writeLines(c("day,amount", "2026-03-02,1"), file.path(folder, "a.csv"))
  dir.create(file.path(folder, "2025"))
  file.copy(file.path(folder, "a.csv"), file.path(folder, "2025", "b.csv"))
  expect_message(load_table(folder), "1 folder is not looked into: \"2025\"")
  expect_identical(load_table(file.path(folder, "*", "*.csv"))$amount, 1)
  unlink(file.path(folder, "a.csv"))
  expect_error(load_table(folder), "It holds \"2025\"", class = "hinterfeld_error_file")
  inside <- file.path(folder, "2025")
  file.link(file.path(inside, "b.csv"), file.path(inside, "c.csv"))
  writeLines(c("day,amount", "2026-03-02,2"), file.path(inside, "d.csv"))
  expect_message(lines <- load_table(inside), "\"b.csv\" and \"c.csv\" have the same content")
  expect_identical(nrow(lines), 3L)
})

test_that("two stars are all folders, and files of one name are told by their folders", {
  folder <- withr::local_tempdir()
  for (year in c("2025", "2026/new")) {
    dir.create(file.path(folder, year), recursive = TRUE)
    writeLines(c("day,product,revenue", sprintf("%s-03-02,a,%s", substr(year, 1, 4), substr(year, 4, 4)), "x,a,1"),
               file.path(folder, year, "sales.csv"))
  }
  writeLines(c("day,product,revenue", "2024-03-02,a,4"), file.path(folder, "old.csv"))
  writeLines("a note", file.path(folder, "2025", "note.md"))
  writeLines(c("other,names", "1,2"), file.path(folder, "2026", "towns.tsv"))
  expect_snapshot(error = TRUE, load_table(file.path(folder, "**")), transform = function(x) {
    gsub(folder, "FOLDER", x, fixed = TRUE)
  })
  unlink(file.path(folder, "2026", "towns.tsv"))
  read <- function(pattern) quiet(load_table(file.path(folder, pattern)))
  expect_identical(read("**")$revenue, c(5, 1, 6, 1, 4))
  expect_identical(read("**/*.csv")$revenue, c(5, 1, 6, 1, 4))
  expect_identical(read("**/new/*.csv")$revenue, c(6, 1))
  expect_identical(read("20*/**/s?les.csv")$revenue, c(5, 1, 6, 1))
  expect_error(read("**/none*.csv"), class = "hinterfeld_error_file")
  aside <- set_aside(quiet(daybook(read("**"), day, revenue, product, on_bad = "set_aside")))
  expect_identical(aside$file, c("2025/sales.csv", "2026/new/sales.csv"))
  expect_identical(lines_behind(totals(quiet(daybook(read("**"), day, revenue, product, on_bad = "set_aside"))),
                                1)$file,
                   c("2025/sales.csv", "2026/new/sales.csv", "old.csv"))
})

test_that("a last line without its end is told", {
  folder <- withr::local_tempdir()
  cat("a,b\n1,2\n3,10", file = file.path(folder, "cut.csv"))
  cat("a,b\n1,2\n", file = file.path(folder, "whole.csv"))
  expect_message(load_table(file.path(folder, "cut.csv")), "The last line of \"cut.csv\" has no line end")
  expect_message(load_table(folder), "\"cut.csv\"")
  expect_no_message(load_table(file.path(folder, "whole.csv")))
})
