test_that("an answer carries what was said while it was made, and counts each condition once", {
  desk <- new_desk(demo_daybook())
  state <- desk_state(by = list("town"), measures = list("revenue"),
                      keep = list("region %in% c(\"Vale\", \"Highfen\")"))
  answer <- desk_answer(desk, state)
  book <- keep_lines(demo_daybook(), region %in% c("Vale", "Highfen"))
  expect_identical(as.data.frame(answer$table), as.data.frame(totals(book, by = town)))
  expect_length(desk$counted, 1)
  desk_answer(desk, desk_state(measures = list("revenue"), keep = state$table$keep))
  expect_length(desk$counted, 1)
})

test_that("rows are highlighted that rose, fell, are best or hold a text", {
  marked <- function(rows, ..., by = "region") {
    state <- new_state(list(by = list(by), every = list("year"), measures = list("revenue"),
                                         add = list(list(change = NULL))), mark = list(rows = rows, ...))
    answer <- desk_answer(a_desk(), state)
    answer$table[marked_rows(answer), ]
  }
  t <- tibble::as_tibble(add_change(totals(demo_daybook(), by = town, every = "year")))
  for (way in list(list("up", t$revenue_change > 0), list("down", t$revenue_change < 0))) {
    expected <- t[way[[2]] %in% TRUE, ]
    expect_gt(nrow(expected), 5)
    found <- tibble::as_tibble(quiet(marked(way[[1]], by = "town")))
    expect_setequal(paste(found$year, found$town), paste(expected$year, expected$town))
  }
  expect_identical(sort(quiet(marked("best", n = 2L))$revenue, decreasing = TRUE),
                   sort(totals(demo_daybook(), by = region, every = "year")$revenue, decreasing = TRUE)[1:2])
  expect_identical(unique(quiet(marked("text", text = "VALE"))$region), "Vale")
})

test_that("what nobody could read is refused before it takes minutes", {
  ask <- function(...) desk_answer(a_desk(), desk_state(by = list("customer_id", "product"), ...))
  expect_error(ask(measures = list("revenue"), crosstab = list(rows = list("product"), columns = list("customer_id"))),
               "1 271 columns across cannot be read; at most 400 are shown")
  expect_error(answer_figure(ask(measures = list("revenue"))), "would have 1 271 panels")
})

test_that("a brief whose lines memory does not hold is asked by way of a tally, which is kept", {
  folder <- stored_brief(tables = "  shops: {by: shop, measures: [revenue, units], keep: ['status != \"x\"']}")
  path <- file.path(folder, "job.yaml")
  writeLines(c(readLines(path), "store: kept"), path)
  for (i in 1:3) write_part(folder, sprintf("%d.csv", i), i)
  quiet(run_brief(path))
  whole <- quiet(brief_desk(read_brief(path)))
  states <- list(
    desk_state(by = list("region", "product"), measures = list("revenue", "units"),
               pick = list(best_sellers = list(n = 2L, within = list("region")))),
    desk_state(by = list("shop"), measures = list(list(best = list(largest_of = "revenue", per = "day")))),
    desk_state(by = list("shop"), every = list("month"), measures = list("revenue"), keep = list("region == \"Vale\""),
               add = list(list(change = list(versus = "period_before"))))
  )
  same <- function(desk) {
    for (state in states) {
      answers <- lapply(list(desk, whole), function(one) quiet(desk_answer(one, state)))
      expect_identical(tibble::as_tibble(answers[[1]]$table), tibble::as_tibble(answers[[2]]$table))
    }
  }
  withr::local_options(hinterfeld.in_memory = 1)
  expect_message(desk <- brief_desk(read_brief(path)), "the desk uses a tally per day by product, region")
  expect_s3_class(desk$facts, "hinterfeld_tally")
  same(desk)
  # What the run and the desk keep of the same parts does not push each other out.
  said <- testthat::capture_messages({
    same(brief_desk(read_brief(path)))
    run_brief(path, again = TRUE)
  })
  expect_identical(unique(trimws(grep("to read", said, value = TRUE))), "3 parts are kept, 0 to read.")
  writeLines(grep("^store", readLines(path), invert = TRUE, value = TRUE), path)
  expect_message(desk <- brief_desk(read_brief(path)), "Add `store` to the brief")
  same(desk)
})

test_that("a table that would keep other readers waiting is refused with its number of rows", {
  withr::local_options(hinterfeld.desk_rows = 300)
  state <- function(...) desk_state(by = list("product"), measures = list("revenue"), ...)
  expect_identical(nrow(desk_answer(a_desk(), state(every = list("year")))$table), 287L)
  expect_identical(nrow(desk_answer(a_desk(), state(every = list("year"), fill = TRUE))$table), 292L)
  expect_error(desk_answer(a_desk(), state(every = list("month"))), "This would be a table of 3 048 rows",
               class = "hinterfeld_error_argument")
  expect_error(desk_answer(a_desk(), state(every = list("month"), fill = TRUE)), "a table of 3 285 rows",
               class = "hinterfeld_error_argument")
})
