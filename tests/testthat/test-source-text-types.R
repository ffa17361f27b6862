test_that("means and shares of our own files read back as the numbers that they were", {
  t <- add_share(totals(kilnmoor_book(), by = c(region, product), measures = list("revenue", m = mean_of(revenue))))
  path <- deliver(t, withr::local_tempfile(fileext = ".csv"))
  back <- load_table(path)
  expect_identical(back$m, t$m)
  expect_identical(back$revenue_share, t$revenue_share)
  expect_type(load_table(withr::local_tempfile(fileext = ".csv", lines = c("a", "1234567890123456789")))$a, "character")
})

test_that("a number that no double is is refused, never read as one near it", {
  folder <- withr::local_tempdir()
  read <- function(text) {
    path <- file.path(folder, "n.csv")
    writeLines(c("x", text), path)
    load_table(path, types = c(x = "number"))$x
  }
  for (text in c("1e309", "-1e309", "1e-400", "9007199254740993", "-9007199254740993", "123456789012345678")) {
    expect_error(read(text), "should be number", class = "hinterfeld_error_type", label = text)
    bad <- daybook(a_sale(product = c("a", "b"), revenue = c("1", text)), day, revenue, product, on_bad = "set_aside")
    expect_identical(set_aside(bad)$reason, "revenue not a number", label = text)
  }
  expect_identical(read(c("9007199254740992", "0e-400", "1e20", "-0", "0.33333333333333333333", "1e-300")),
                   c(2^53, 0, 1e20, 0, 1 / 3, 1e-300))
})
