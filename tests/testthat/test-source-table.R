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
  plain <- text_at("n,d\n-999,2024-01-01\n3,1900-01-01\n")
  nothing <- load_table(plain, blank = c("-999", "1900-01-01"))
  expect_identical(as.list(nothing), list(n = c(NA, 3), d = as.Date(c("2024-01-01", NA))), ignore_attr = TRUE)
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
  expect_snapshot(error = TRUE, {
    load_table("emty.csv")
    load_table("empty.csv")
  })
  expect_snapshot(load_table("heading.csv"))
  expect_snapshot(error = TRUE, {
    load_table("wide.csv")
    load_table("twice.csv")
    load_table("types.csv", types = c(price = "number"))
    load_table("types.csv", types = c(cost = "number"))
    load_table("types.csv", types = c(price = "money"))
    load_table("latin.csv")
  })
  expect_identical(load_table("latin.csv", encoding = "latin1")$a, "\u00e9")
  expect_snapshot(error = TRUE, load_table("types.csv", delimiter = ":"))
})

text_file <- function(..., ending = ".csv", env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ending, .local_envir = env)
  writeLines(c(...), file)
  file
}

test_that("long digits and different texts of one number are names and stay text", {
  file <- text_file("day,product,order,revenue,shelf", "2024-01-01,1234567890123456001,1.10,3,100000",
                    "2024-01-02,1234567890123456002,1.1,4,200000")
  expect_message(lines <- load_table(file), "\"1.10\", \"1.1\", which would become one number")
  expect_identical(vapply(lines, function(x) class(x)[1], "", USE.NAMES = FALSE),
                   c("Date", "character", "character", "numeric", "numeric"))
  t <- totals(daybook(lines, day, revenue, product, order = order), by = product,
              measures = list("revenue", n = count_distinct(order)))
  expect_identical(t$product, c("1234567890123456002", "1234567890123456001"))
  orders <- data.frame(order = c("1.10", "1.1"), place = c("x", "y"))
  expect_identical(quiet(attach_table(lines, orders, order))$place, c("x", "y"))
  path <- deliver(totals(daybook(lines, day, revenue, product), by = shelf, subtotals = TRUE),
                  withr::local_tempfile(fileext = ".csv"))
  expect_identical(readLines(path),
                   c("shelf,level,revenue", "200000,shelf,4.00", "100000,shelf,3.00", "Total,Total,7.00"))
  expect_identical(load_table(text_file("a,b", "1e5,007", "2e5,12"))$a, c("1e5", "2e5"))
})

test_that("the day that was written counts, and a day that does not exist is told", {
  lines <- load_table(text_file("day,product,revenue", "2026-03-31T23:30:00-05:00,a,1",
                                "2026-04-30T23:30:00-05:00,a,2"))
  expect_identical(totals(daybook(lines, day, revenue, product), every = "month")$month,
                   as.Date(c("2026-03-01", "2026-04-01")))
  lines <- load_table(text_file("day,product,revenue", "2026-02-30,a,1", "2026-02-28,a,2", "2026-02-27,a,2"))
  aside <- set_aside(daybook(lines, day, revenue, product, on_bad = "set_aside"))
  expect_identical(unlist(aside[c("reason", "day")], use.names = FALSE), c("day not readable", "2026-02-30"))
  dates <- load_table(text_file("day,product,revenue", "2026-03-01,a,1", "2026-02-02,a,2"))
  expect_snapshot(error = TRUE, daybook(dates, day, revenue, product, day_format = "%Y-%d-%m"))
  typed <- load_table(text_file("day,product,revenue", "2026-03-01,a,1", "2026-02-02,a,2"), types = c(day = "text"))
  expect_identical(lines_of(daybook(typed, day, revenue, product, day_format = "%Y-%d-%m"))$day,
                   as.Date(c("2026-01-03", "2026-02-02")))
  short <- data.frame(day = "01/02/26", product = "a", revenue = 1)
  expect_snapshot(error = TRUE, daybook(short, day, revenue, product, day_format = "%d/%m/%Y"))
  expect_identical(lines_of(daybook(short, day, revenue, product, day_format = "%d/%m/%y"))$day, as.Date("2026-02-01"))
})

test_that("a mark between thousands counts only where it groups by three, and two readings are an error", {
  rows <- c("2026-03-01;a;1.234", "2026-02-02;a;1.234,56", "2026-02-07;a;2")
  lines <- load_table(text_file("day;product;revenue", rows), decimal_mark = ",")
  expect_identical(lines_of(daybook(lines, day, revenue, product))$revenue, c(1234, 1234.56, 2))
  one <- function(x, ...) load_table(text_file("revenue;k", paste0(x, ";k")), types = c(revenue = "number"),
                                     ...)$revenue
  expect_identical(one("1,500", decimal_mark = "."), 1500)
  expect_identical(one("1,500", decimal_mark = ","), 1.5)
  expect_error(one("1,5"), class = "hinterfeld_error_type")
  expect_error(one("12.34.567", decimal_mark = ","), class = "hinterfeld_error_type")
  expect_error(one("1,500"), "can be read in two ways")
  expect_snapshot(error = TRUE,
                  daybook(data.frame(day = "2026-03-01", product = "a", revenue = "1,500"), day, revenue, product))
})

test_that("a row of tabs only is a row of blanks", {
  lines <- load_table(text_file("day\tproduct\trevenue", "2024-01-01\ta\t1", "\t\t", "2024-01-02\tb\tx",
                                "2024-01-02\tc\t\"\t\"", ending = ".tsv"))
  expect_identical(nrow(lines), 4L)
  aside <- set_aside(daybook(lines, day, revenue, product, on_bad = "set_aside"))
  expect_identical(aside$row, 2:4)
  expect_identical(aside$reason, c("blank row", "revenue not a number", "no revenue"))
})
