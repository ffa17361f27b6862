test_that("the lines that a step took away are those that are missing after it", {
  brief <- read_brief(demo_brief())
  desk <- quiet(brief_desk(brief))
  answer <- desk_answer(desk, desk_state(
    measures = list("revenue"), keep = list("region %in% c(\"Vale\", \"Highfen\")"), leave_out = list("units > 3")
  ))
  trail <- answer$facts$trail
  gone <- which(trail$lines_after < trail$lines_before)
  expect_gt(length(gone), 8)
  for (step in gone) {
    lines <- left_out_lines(desk, answer, step)
    expect_identical(as.double(nrow(lines)), trail$lines_before[step] - trail$lines_after[step],
                     info = paste(trail$what[step], trail$why[step]))
    expect_true(all(c("file", "row") %in% names(lines)))
  }
  expect_match(html_text(left_out_tags(desk, answer)), "data-step=\"21\"|data-step=\"[0-9]+\"")
})

test_that("whether the table adds up is said", {
  words <- function(...) adds_up_words(desk_answer(a_desk(), desk_state(...)))
  expect_identical(words(by = list("region"), measures = list("revenue")),
                   "It adds up to the lines that count: 3 367 098.86.")
  expect_match(words(by = list("product"), measures = list("revenue"), pick = list(best_sellers = list(n = 3L))),
               "^Only some rows are shown; they hold [0-9 .]+ of 3 367 098.86.$")
  expect_match(words(by = list("product"), measures = list(list(orders = list(count_distinct = "order")))),
               "Nothing in it adds up")
})

test_that("lines that were left out before the desk was opened are not at hand, and it is said", {
  answer <- desk_answer(a_desk(), desk_state(measures = list("revenue")))
  step <- which(answer$facts$trail$what == "keep")
  expect_error(left_out_lines(a_desk(), answer, step), "before the desk was opened")
})
