test_that("a daybook with few columns still has a report", {
  book <- daybook(a_sale(product = c("Sieve", "Rib"), day = as.Date("2026-03-02") + 0:1, revenue = c(3, 0)), day,
                  revenue, product)
  path <- withr::local_tempfile(fileext = ".html")
  quiet(suppressWarnings(sales_report(book, path)))
  html <- paste(readLines(path), collapse = "\n")
  heads <- gsub("<[^>]*>", "", regmatches(html, gregexpr("(?s)<th .*?</th>", html, perl = TRUE))[[1]])
  expect_no_match(heads, "_|pct|^level$")
  expect_match(html, "id=\"pareto\"", fixed = TRUE)
  expect_no_match(html, "id=\"unsold\"", fixed = TRUE)
  expect_no_match(html, "DOES NOT ADD UP", fixed = TRUE)
})

test_that("sections are those asked for, in that order", {
  path <- withr::local_tempfile(fileext = ".html")
  quiet(sales_report(kilnmoor_book(), path, sections = c("weekdays", "headline", "methods")))
  html <- readLines(path)
  found <- regmatches(html, regexpr("(?<=<section id=\")[a-z_]+", html, perl = TRUE))
  expect_identical(found, c("weekdays", "headline", "methods"))
})

test_that("what cannot be reported says why", {
  book <- kilnmoor_book()
  path <- withr::local_tempfile(fileext = ".html")
  expect_snapshot(error = TRUE, sales_report(1, path))
  expect_snapshot(error = TRUE, sales_report(book, "report.pdf"))
  expect_snapshot(error = TRUE, sales_report(book, "nowhere/report.html"))
  expect_snapshot(error = TRUE, sales_report(book, path, region = "regoin"))
  expect_snapshot(error = TRUE, sales_report(book, path, sections = c("trend", "trned")))
  expect_false(file.exists(path))
})

test_that("a headline that cannot be compared says why, and has no percentage", {
  late <- keep_lines(kilnmoor_book(), day >= as.Date("2025-01-15"))
  page <- function(book) {
    path <- quiet(sales_report(book, withr::local_tempfile(fileext = ".html"), sections = "headline"))
    gsub("<[^>]*>", "", paste(readLines(path, encoding = "UTF-8"), collapse = "\n"))
  }
  expect_match(page(late), "Not comparable: the data cover 2025 only from 2025-01-15")
  expect_match(page(kilnmoor_book()), "The last year compares 2026-01-01 to 2026-09-17 with 2025-01-01 to 2025-09-17.")
})
