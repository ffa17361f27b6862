test_that("an inquiry is added to a brief, whose other lines stay as they are", {
  folder <- withr::local_tempdir()
  file.copy(dirname(demo_brief()), folder, recursive = TRUE)
  path <- file.path(folder, basename(dirname(demo_brief())), basename(demo_brief()))
  before <- readLines(path)
  state <- desk_state(by = list("region"), every = list("year"), measures = list("revenue"),
                      keep = list("channel %in% \"Web\""), add = list(list(change = NULL)))
  add_to_brief(path, state, "web years")
  after <- readLines(path)
  expect_identical(setdiff(before, after), character())
  expect_identical(nrow(check_brief(path)), 0L)
  content <- read_brief(path)$content
  expect_identical(state_text(content$tables[["web years"]]), state_text(state$table))
  expect_error(add_to_brief(path, state, "web years"), "has a table `web years` already")
  state$table$every <- list("month")
  add_to_brief(path, state, "web years", replace = TRUE)
  expect_identical(length(readLines(path)), length(after))
  # One that stands first is replaced where it stands.
  first <- names(content$tables)[1]
  add_to_brief(path, state, first, replace = TRUE)
  expect_identical(names(read_brief(path)$content$tables), c(names(content$tables)))
  expect_identical(sort(list.files(dirname(path))), sort(list.files(dirname(demo_brief()))))
})

test_that("a brief that is written in another way stays as it is", {
  path <- withr::local_tempfile(fileext = ".yaml", lines = c(
    "brief: 1", "data: {lines: x.csv}", "daybook: {day: d, product: p, revenue: r}", "tables: {a: {by: p}}"))
  before <- readLines(path)
  state <- desk_state(by = list("product"), measures = list("revenue"))
  expect_error(add_to_brief(path, state, "b"), "cannot safely be added|has 1 mistake|YAML",
               class = "hinterfeld_error_brief")
  expect_identical(readLines(path), before)
})
