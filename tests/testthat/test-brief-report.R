test_that("a brief's report has its sections, its own words, tables and figures", {
  text <- paste0(
    small_brief, "  tables: [csv]\nfigures:\n  shares: {draw: share, table: regions}\n",
    "report:\n  file: march.html\n  title: March\n  words: \"A **good** month.\"\n  sections:\n    - headline\n",
    "    - {heading: Our regions, words: \"By *region*.\", table: regions, figure: shares}\n    - checks\n"
  )
  path <- brief_folder(text)
  quiet(run_brief(path))
  out <- file.path(dirname(path), "out")
  expect_setequal(list.files(out), c("march.html", "regions.csv", "shares.png", "run.json"))
  html <- paste(readLines(file.path(out, "march.html")), collapse = "\n")
  for (part in c("<title>March</title>", "A <strong>good</strong> month.", "By <em>region</em>.",
                 "<h2 id=\"own-2-heading\">Our regions</h2>", "id=\"table-regions\"",
                 "Figure: Share of revenue")) {
    expect_match(html, part, fixed = TRUE)
  }
  # The report on its own is the same bytes.
  alone <- quiet(sales_report(path, file.path(dirname(path), "alone.html")))
  expect_identical(readLines(alone), readLines(file.path(out, "march.html")))
  expect_error(sales_report(brief_folder(sub("day: day", "day: dya", small_brief)), "x.html"),
               class = "hinterfeld_error_brief")
})

test_that("how long reading, counting and writing took stands in the record, and in the report when asked for", {
  path <- brief_folder(paste0(small_brief, "\nreport:\n  file: march.html\n  sections: [headline, times]\n"))
  record <- quiet(run_brief(path))
  expect_named(record$times, c("read", "count", "write"))
  expect_lte(sum(unlist(record$times)), record$seconds + 0.1)
  page <- paste(readLines(file.path(dirname(path), "out", "march.html")), collapse = "\n")
  read <- sprintf("data-value=\"5 lines\".{1,60}data-value=\"%s\"", format(record$times$read))
  expect_match(page, paste0("Read and check</td>.{1,20}", read))
  expect_error(sales_report(kilnmoor_book(), withr::local_tempfile(fileext = ".html"), sections = "times"),
               "Only a report made from a brief", class = "hinterfeld_error_argument")
})
