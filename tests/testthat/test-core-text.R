test_that("text reads as a value without regard to case and spaces", {
  expect_identical(reads_as(c("Paid", " PAID ", "un paid", NA), "paid"), c(TRUE, TRUE, FALSE, NA))
  expect_identical(reads_as(c("Van  round", "van round\t"), "Van Round"), c(TRUE, TRUE))
})
