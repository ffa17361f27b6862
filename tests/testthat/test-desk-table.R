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
