test_that("the demo's audit runs from the file to the kept lines", {
  expect_snapshot(audit(demo_daybook()))
  expect_snapshot(error = TRUE, audit(mtcars))
})
