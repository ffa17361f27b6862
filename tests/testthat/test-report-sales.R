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

test_that("any daybook has a report, without a word of other packages, and its tables add up", {
  for (seed in seeds(411, 1, 15)) {
    path <- withr::local_tempfile(fileext = ".html")
    said <- testthat::capture_warnings(quiet(sales_report(any_daybook(seed), path)))
    expect_identical(grep("missing where the total", said, value = TRUE, invert = TRUE), character(), label = seed)
    expect_no_match(paste(readLines(path), collapse = "\n"), "DOES NOT ADD UP", fixed = TRUE)
  }
})

test_that("what cannot be drawn is said in its place", {
  book <- daybook(a_sale(product = c("Sieve", "Rib"), revenue = c(-3, 1), units = 1), day, revenue, product, units)
  path <- withr::local_tempfile(fileext = ".html")
  quiet(suppressWarnings(sales_report(book, path, sections = c("pareto", "causes"))))
  html <- paste(readLines(path), collapse = "\n")
  expect_match(html, "There are no shares to draw: the total is 0 or below.", fixed = TRUE)
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
  expect_snapshot(error = TRUE, {
    sales_report(1, path)
    sales_report(book, "report.pdf")
    sales_report(book, "nowhere/report.html")
    sales_report(book, path, region = "regoin")
    sales_report(book, path, sections = c("trend", "trned"))
  })
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

test_that("a report shows its targets, of the last period that has some, and says which it cannot show", {
  page <- function(targets, sections = "targets") {
    path <- withr::local_tempfile(fileext = ".html")
    quiet(sales_report(kilnmoor_book(), path, targets = targets, sections = sections))
    paste(readLines(path), collapse = "\n")
  }
  plan <- load_table(demo_files()[["targets"]])
  html <- page(plan)
  expect_match(html, "Against the targets", fixed = TRUE)
  expect_match(html, "What was planned for 2026, what is due of it, and what was reached", fixed = TRUE)
  expect_match(html, "310\\D{1,8}000[.]00")
  expect_match(page(data.frame(month = as.Date(c("2026-03-01", "2026-04-01")), target = 9e4)), "planned for 2026-04")
  expect_match(page(data.frame(period = c("2025-Q4", "2026-Q1"), target = 2e5)), "planned for 2026-Q1")
  # Nobody knows yet what comes of them.
  expect_no_match(page(data.frame(period = 2031, target = 1)), "Against the targets")
  expect_snapshot({
    page(data.frame(channel = "Web", year = 2026, target = 1))
    page(data.frame(region = "Vale", target = 1))
    page(data.frame(period = "spring", target = 1))
  }, error = TRUE)
})

test_that("a brief's report has its targets from a file, also by way of a store", {
  path <- brief_folder(paste0(small_brief, "report: {sections: [targets], targets: plan.csv}\n"))
  expect_match(check_brief(path)$problem, "There is no file \"plan.csv\"", fixed = TRUE)
  writeLines(c("region,month,target", "Vale,2026-03,100"), file.path(dirname(path), "plan.csv"))
  expect_identical(nrow(check_brief(path)), 0L)
  report <- function(...) {
    quiet(run_brief(path, again = TRUE, ...))
    readLines(file.path(dirname(path), "out", "report.html"))
  }
  plain <- report()
  expect_match(plain, "What was planned for 2026-03", fixed = TRUE, all = FALSE)
  expect_identical(report(store = withr::local_tempdir()), plain)
})
