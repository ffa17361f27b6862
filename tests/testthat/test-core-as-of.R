test_that("a tally of months is taken as of the end of a month, and of no other day", {
  tally <- tally_of(kilnmoor_book(), by = region, every = "month")
  asked <- function(facts, day) {
    add_change(totals(facts, by = region, every = "month"), as_of = day, like_for_like = FALSE)
  }
  expect_identical(as.data.frame(asked(tally, "2026-05-31")), as.data.frame(asked(kilnmoor_book(), "2026-05-31")))
  expect_error(asked(tally, "2026-05-30"), "kept per month", class = "hinterfeld_error_facts")
})
