figure_answer <- function(...) quiet(desk_answer(a_desk(), desk_state(...)))

test_that("each bar of a picture has a mark that lies on it and leads to its row", {
  answer <- figure_answer(by = list("region", "product"), measures = list("revenue"),
                          pick = list(best_sellers = list(n = 3L, within = list("region"))))
  drawn <- drawn_figure(answer_figure(answer), answer)
  expect_setequal(drawn$marks$row, seq_len(nrow(answer$table)))
  # All panels have one scale: a mark is as wide as its bar's revenue, and the better stands higher.
  scale <- drawn$marks$width / answer$table$revenue[drawn$marks$row]
  expect_lt(diff(range(scale)) / mean(scale), 0.001)
  within <- split(drawn$marks$top[order(drawn$marks$row)], answer$table$region)
  expect_false(any(vapply(within, is.unsorted, NA)))
  expect_true(all(drawn$marks$left > 0 & drawn$marks$left + drawn$marks$width < 100))
})

test_that("a figure that was chosen is drawn while it suits, and else the first that does", {
  state <- new_state(list(by = list("region"), measures = list("revenue"), add = list(list(share = NULL))),
                                  figure = "ranking")
  answer <- desk_answer(a_desk(), state)
  expect_identical(attr(answer_figure(answer), "kind of figure"), "ranking")
  answer$state$figure <- "trend"
  expect_identical(attr(answer_figure(answer), "kind of figure"), "share")
  expect_false("places" %in% possible_figures(answer))
  expect_error(answer_figure(figure_answer(measures = list("revenue"))), class = "hinterfeld_error_figure")
})
