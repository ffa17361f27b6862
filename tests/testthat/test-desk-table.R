test_that("a page of the table holds its rows, with exact values, totals in their place and a head that sorts", {
  state <- desk_state(by = list("region", "product"), measures = list("revenue"), subtotals = TRUE,
                      sort = list("-revenue"))
  answer <- desk_answer(a_desk(), state)
  html <- html_text(answer_table_tags(answer, 2))
  t <- sort_rows(totals(demo_daybook(), by = c(region, product), subtotals = TRUE), down(revenue))
  rows <- regmatches(html, gregexpr("<tr data-row=\"[0-9]+\"[^>]*>", html))[[1]]
  class <- if (total_rows(t)[101]) " class=\"total\"" else ""
  expect_identical(rows[1], sprintf("<tr data-row=\"101\"%s>", class))
  expect_length(rows, 100)
  found <- regmatches(html, gregexpr("data-column=\"revenue\" class=\"number\" data-value=\"[^\"]*", html))[[1]]
  expect_identical(as.numeric(sub("^.*\"", "", found)), t$revenue[101:200])
  expect_match(html, "aria-sort=\"descending\"")
  expect_match(html, sprintf("101 to 200 of %s rows", nrow(t)))
})

test_that("changes stand with a true minus sign", {
  state <- desk_state(by = list("region"), every = list("year"), measures = list("revenue"),
                      add = list(list(change = NULL)))
  html <- html_text(answer_table_tags(desk_answer(a_desk(), state)))
  expect_match(html, "\u2212[0-9]")
  expect_no_match(html, ">-[0-9]")
})

test_that("names that look alike are told apart by quotes wherever readers see them, and labels stay as they are", {
  lines <- data.frame(day = as.Date("2025-01-01") + 0:3, product = c("A_1", "A_1 ", "b", "b"),
                      region = c("Vale", "Vale ", "Vale", "Vale "), revenue = 1:4)
  book <- daybook(lines, day, revenue, product)
  desk <- new_desk(book)
  state <- desk_state(by = list("product", "region"), measures = list("revenue"), add = list(list(share = NULL)),
                      crosstab = list(rows = list("region"), columns = list("product"),
                                      of = list("revenue", "revenue_share")))
  html <- html_text(answer_table_tags(desk_answer(desk, state)))
  for (text in c(">A_1 revenue<", ">&quot;A_1 &quot; revenue share<", ">&quot;Vale &quot;<", ">Vale<")) {
    expect_match(html, text, fixed = TRUE)
  }
  several <- crosstab(add_share(totals(book, by = c(region, product))), region, product,
                      of = c("revenue", "revenue_share"))
  names(several)[2] <- "b"
  expect_identical(hinterfeld:::heading_words(several)[2:3], c("b", "b revenue share"))
  t <- crosstab(totals(book, by = c(region, product)), region, product)
  expect_match(format(t), "^region +b +\"A_1 \" +A_1", all = FALSE)
  expect_true("\"A_1 \"" %in% unlist(ggplot2::ggplot_build(figure_crosstab(t))$layout$panel_params[[1]]$x$get_labels()))
  page <- withr::local_tempfile(fileext = ".md")
  deliver(t, page)
  expect_match(readLines(page), "\"Vale \"", fixed = TRUE, all = FALSE)
})
