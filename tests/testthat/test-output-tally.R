saved <- function(..., env = parent.frame()) {
  save_tally(tally_of(kilnmoor_book(), ...), withr::local_tempfile(fileext = ".tally", .local_envir = env))
}

test_that("a tally that was saved goes on as if it had not been", {
  measures <- list("revenue", high = largest_of(revenue), orders = count_distinct(order))
  book <- kilnmoor_book()
  tally <- tally_of(book, by = c(category, region), every = "quarter", measures = measures)
  path <- saved(by = c(category, region), every = "quarter", measures = measures)
  again <- load_tally(path)
  expect_identical(whole_table(again), whole_table(tally))
  expect_identical(whole_table(merge_tallies(again, of_other_lines(tally))),
                   whole_table(merge_tallies(tally, of_other_lines(again))))
  none <- saved(every = NULL)
  expect_identical(whole_table(load_tally(none))$revenue, totals(book)$revenue)
  expect_identical(readBin(path, "raw", 16), charToRaw("hinterfeld tally"))
})

test_that("a damaged, foreign, cut or later file is refused", {
  path <- saved(by = region)
  bytes <- readBin(path, "raw", file.size(path))
  write_bytes <- function(bytes) {
    writeBin(bytes, path)
    path
  }
  withr::local_seed(3)
  for (at in c(25, sample(30:length(bytes), 30))) {
    expect_error(load_tally(write_bytes(replace(bytes, at, xor(bytes[at], as.raw(4))))),
                 class = "hinterfeld_error_file")
  }
  hide <- function(lines) gsub(basename(path), "FILE", lines, fixed = TRUE)
  expect_snapshot(error = TRUE, transform = hide, {
    load_tally(write_bytes(replace(bytes, length(bytes) - 40, as.raw(255))))
    load_tally(write_bytes(utils::head(bytes, -1)))
    load_tally(write_bytes(replace(bytes, 17, as.raw(9))))
  })
  expect_snapshot(error = TRUE, load_tally(demo_files()[["towns"]]))
  expect_error(load_tally("nowhere.tally"), class = "hinterfeld_error_file")
})

test_that("a tally says what it is", {
  expect_snapshot(tally_of(kilnmoor_book(), by = c(category, region), every = "month",
                           measures = c("revenue", "units")))
})
