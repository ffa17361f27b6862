write_file <- function(text, ext = ".csv", env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ext, .local_envir = env)
  writeBin(charToRaw(enc2utf8(text)), path)
  path
}

test_that("delimiters, quotes, byte order mark and gzip are read", {
  expected <- tibble::tibble(name = c("Slip, blue", "Bat"), price = c(1.5, 2))
  for (mark in c(",", ";", "\t", "|")) {
    text <- paste(c(paste0("name", mark, "price"), paste0("\"Slip, blue\"", mark, "1.5"), paste0("Bat", mark, "2"), ""),
                  collapse = "\n")
    expect_identical(load_table(write_file(text)), expected, ignore_attr = TRUE)
    expect_identical(load_table(write_file(paste0("\ufeff", text))), expected, ignore_attr = TRUE)
  }
  zipped <- withr::local_tempfile(fileext = ".csv.gz")
  con <- gzfile(zipped, "w")
  writeLines(text, con)
  close(con)
  expect_identical(load_table(zipped), expected, ignore_attr = TRUE)
})

test_that("a decimal comma is an option", {
  path <- write_file("name;price\nBat;1.234,50\nWire;2,25\n")
  expect_identical(load_table(path)$price, c("1.234,50", "2,25"))
  expect_identical(load_table(path, decimal_mark = ",", types = c(price = "number"))$price, c(1234.5, 2.25))
})

test_that("a column is typed only when every value fits", {
  path <- write_file("a,b,c,d,e,f\n1,2026-01-02,007,TRUE,n/a,\n2,2026-01-03,8,FALSE,3,\n")
  table <- load_table(path)
  expect_identical(vapply(table, function(x) class(x)[1], ""), c(
    a = "numeric", b = "Date", c = "character", d = "logical", e = "character", f = "character"
  ))
  expect_identical(load_table(path, blank = "n/a")$e, c(NA, 3))
  expect_identical(load_table(path, types = c(a = "text"))$a, c("1", "2"))
})

test_that("text keeps its case and spaces", {
  expect_identical(load_table(write_file("s\n Paid\nPAID \n"))$s, c(" Paid", "PAID "))
})

test_that("files that cannot be read say why", {
  dir <- withr::local_tempdir()
  withr::local_dir(dir)
  file.create("empty.csv")
  writeLines("a,b", "heading.csv")
  writeLines(c("a,b", "1,2,3"), "wide.csv")
  writeLines(c("a,a", "1,2"), "twice.csv")
  writeLines(c("price", "1", "two"), "types.csv")
  writeBin(as.raw(c(0x61, 0x0a, 0xe9, 0x0a)), "latin.csv")
  expect_snapshot(error = TRUE, load_table("emty.csv"))
  expect_snapshot(error = TRUE, load_table("empty.csv"))
  expect_snapshot(load_table("heading.csv"))
  expect_snapshot(error = TRUE, load_table("wide.csv"))
  expect_snapshot(error = TRUE, load_table("twice.csv"))
  expect_snapshot(error = TRUE, load_table("types.csv", types = c(price = "number")))
  expect_snapshot(error = TRUE, load_table("types.csv", types = c(cost = "number")))
  expect_snapshot(error = TRUE, load_table("types.csv", types = c(price = "money")))
  expect_snapshot(error = TRUE, load_table("latin.csv"))
  expect_identical(load_table("latin.csv", encoding = "latin1")$a, "\u00e9")
  expect_snapshot(error = TRUE, load_table("types.csv", delimiter = ":"))
})
