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

test_that("a knitted document has tables, with names of periods and the number of rows that are not shown", {
  code <- c("```{r, include = FALSE}", "library(hinterfeld)", "book <- demo_daybook()", "```", "```{r, echo = FALSE}",
            "totals(book, by = region, every = \"year\")",
            "crosstab(totals(book, by = region, every = \"year\"), region, year)",
            "best_of_each(totals(book, by = c(region, product)), within = region)", "findings(book, n = 2)", "```")
  made <- withr::with_dir(withr::local_tempdir(), knitr::knit(text = code, quiet = TRUE))
  expect_snapshot(writeLines(made))
  # Ten rows, or as many as are asked for.
  t <- totals(kilnmoor_book(), by = product)
  rows <- function(...) sum(grepl("^[|] [^-p]", strsplit(knitr::knit_print(t, ...), "\n")[[1]]))
  expect_identical(c(rows(), rows(n = 3)), c(10L, 3L))
  expect_identical(withr::with_options(list(hinterfeld.knitted_rows = 5), rows()), 5L)
  expect_error(knitr::knit_print(t, n = -1), class = "hinterfeld_error_argument")
})
