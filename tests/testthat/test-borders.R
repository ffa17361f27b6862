# A part of what tools/borders plays in any number.
source(test_path("..", "campaign", "borders.R"), local = TRUE)

test_that("addresses, folders, lengths, options and copies hold at random", {
  set.seed(2026)
  some <- rounds(4L, 40L)
  run <- function(args) run_cli(args)$status
  expect_length(play_addresses(3L * some, serve_answers()), 0)
  expect_length(play_folders(some), 0)
  expect_length(play_lengths(5L * some), 0)
  expect_length(play_options(some, run), 0)
  expect_length(play_forks(1L), 0)
})
