test_that("findings are sentences, each with the code of the table that shows it", {
  book <- demo_daybook()
  f <- findings(book, by = c(product, region, category), n = 7)
  expect_snapshot(print(f))
  expect_identical(nrow(f), 7L)
  expect_false(is.unsorted(-abs(f$amount)))
  place <- rlang::env(book = book)
  for (code in f$shown_by) {
    eval(parse(text = code), place)
    expect_s3_class(place$t, "hinterfeld_totals")
  }
  share <- f[f$kind == "share" & f$column == "region", ][1, ]
  eval(parse(text = share$shown_by), place)
  now <- place$t$revenue[place$t$region == share$member] / sum(place$t$revenue)
  expect_match(share$finding, sprintf("^%.1f %% of revenue comes from %s", 100 * now, share$member))
  expect_match(in_words(f), "What stands out in revenue", all = FALSE)
  path <- deliver(f, withr::local_tempfile(fileext = ".csv"))
  expect_identical(nrow(load_table(path)), 7L)
})

test_that("thresholds are the caller's, and wrong ones are refused", {
  book <- demo_daybook()
  all <- findings(book, by = region, n = 100, points = 0.001)
  few <- findings(book, by = region, n = 100, points = 0.2)
  expect_gt(sum(all$kind == "share"), sum(few$kind == "share"))
  expect_snapshot(error = TRUE, {
    findings(mtcars)
    findings(book, n = 0)
    findings(book, of = "revenu")
    findings(book, points = -1)
    findings(book, by = regoin)
  })
})

test_that("the report opens with them, and a brief says how many; the command line prints them", {
  path <- brief_folder(paste0(small_brief, "report: {file: r.html, findings: 2, sections: [headline, findings]}\n"))
  page <- function() {
    quiet(run_brief(path, again = TRUE))
    paste(readLines(file.path(dirname(path), "out", "r.html"), encoding = "UTF-8"), collapse = "\n")
  }
  expect_match(page(), "No period|id=\"headline\"")
  book <- demo_daybook()
  file <- withr::local_tempfile(fileext = ".html")
  html <- function(sections, ...) {
    quiet(sales_report(book, file, sections = sections, ...))
    gsub("\u00a0", " ", paste(readLines(file, encoding = "UTF-8"), collapse = "\n"))
  }
  page <- html(c("findings", "causes"))
  expect_match(page, "<h2 id=\"findings-heading\">What happened</h2>", fixed = TRUE)
  expect_match(page, findings(book, n = 1, by = product)$finding, fixed = TRUE)
  expect_match(page, "href=\"#causes\"", fixed = TRUE)
  expect_no_match(html("findings", findings = 0), "What happened")
  run <- run_cli("findings", path, "--n", "3")
  expect_identical(run$status, 0L)
  expect_match(run$stdout, "What stands out in revenue")
  expect_match(run_cli("findings", path, "--n", "0")$stderr, "--n must be a whole number, 1 or more")
})
