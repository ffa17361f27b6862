test_that("the demo's audit runs from the file to the kept lines", {
  expect_snapshot(audit(kilnmoor_book()))
  expect_snapshot(error = TRUE, audit(mtcars))
})
