test_that("an answer carries what was said while it was made, and counts each condition once", {
  desk <- hinterfeld:::new_desk(demo_daybook())
  state <- desk_state(by = list("town"), measures = list("revenue"),
                      keep = list("region %in% c(\"Vale\", \"Highfen\")"))
  answer <- hinterfeld:::desk_answer(desk, state)
  book <- keep_lines(demo_daybook(), region %in% c("Vale", "Highfen"))
  expect_identical(as.data.frame(answer$table), as.data.frame(totals(book, by = town)))
  expect_length(desk$counted, 1)
  hinterfeld:::desk_answer(desk, desk_state(measures = list("revenue"), keep = state$table$keep))
  expect_length(desk$counted, 1)
})

test_that("rows are highlighted that rose, fell, are best or hold a text", {
  marked <- function(rows, ...) {
    state <- hinterfeld:::new_state(list(by = list("region"), every = list("year"), measures = list("revenue"),
                                         add = list(list(change = NULL))), mark = list(rows = rows, ...))
    answer <- hinterfeld:::desk_answer(a_desk(), state)
    answer$table[hinterfeld:::marked_rows(answer), ]
  }
  expect_true(all(quiet(marked("up"))$revenue_change > 0))
  expect_true(all(quiet(marked("down"))$revenue_change < 0))
  expect_identical(sort(quiet(marked("best", n = 2L))$revenue, decreasing = TRUE),
                   sort(totals(demo_daybook(), by = region, every = "year")$revenue, decreasing = TRUE)[1:2])
  expect_identical(unique(quiet(marked("text", text = "VALE"))$region), "Vale")
})

test_that("what nobody could read is refused before it takes minutes", {
  ask <- function(...) hinterfeld:::desk_answer(a_desk(), desk_state(by = list("customer_id", "product"), ...))
  expect_error(ask(measures = list("revenue"), crosstab = list(rows = list("product"), columns = list("customer_id"))),
               "1 271 columns across cannot be read: 400 is the most")
  expect_error(hinterfeld:::answer_figure(ask(measures = list("revenue"))), "would have 1 271 panels")
})
