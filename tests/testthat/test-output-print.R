withr::local_options(cli.width = 80)

test_that("a daybook and its totals print what they are and what was left out", {
  book <- kilnmoor_book()
  expect_snapshot(book)
  expect_snapshot(totals(book, by = product, every = "day"))
  expect_snapshot(print(totals(book, by = c(region, category), every = "month"), n = 3))
  expect_snapshot(totals(a_book()))
})
