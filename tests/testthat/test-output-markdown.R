test_that("Markdown shows the table, its title and its sentences", {
  t <- add_change(totals(kilnmoor_book(), by = region, every = "year"))
  path <- deliver(t[t$region == "Vale", ], withr::local_tempfile(fileext = ".md"))
  expect_snapshot(cat(readLines(path), sep = "\n"))
  html <- commonmark::markdown_html(readLines(path), extensions = TRUE)
  expect_identical(lengths(gregexpr("<tr>", html)), 5L)
})

test_that("marks in the data are no marks of the table", {
  path <- deliver(data.frame(s = c("a|b", "*c*", "<b>", "x\ny")), withr::local_tempfile(fileext = ".md"))
  html <- commonmark::markdown_html(readLines(path), extensions = TRUE)
  expect_match(html, "<td>a|b</td>", fixed = TRUE)
  expect_match(html, "<td>*c*</td>", fixed = TRUE)
  expect_match(html, "<td>&lt;b&gt;</td>", fixed = TRUE)
  expect_match(html, "<td>x y</td>", fixed = TRUE)
})
