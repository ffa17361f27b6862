test_that("two folders exchange their names", {
  folder <- withr::local_tempdir()
  one <- file.path(folder, "one")
  other <- file.path(folder, "other")
  dir.create(one)
  dir.create(other)
  writeLines("1", file.path(one, "f"))
  expect_true(hinterfeld:::exchange_kernel(one, other))
  expect_identical(list.files(one), character())
  expect_identical(readLines(file.path(other, "f")), "1")
  expect_false(hinterfeld:::exchange_kernel(one, file.path(folder, "none")))
  # Where a system cannot, two renamings do.
  expect_true(hinterfeld:::replace_folder(other, one))
  expect_identical(readLines(file.path(one, "f")), "1")
  expect_identical(list.files(folder), "one")
})

test_that("an output folder that cannot be is an error", {
  path <- brief_folder()
  writeLines("in the way", file.path(dirname(path), "out"))
  expect_snapshot(error = TRUE, quiet(run_brief(path)), transform = function(lines) gsub("\".*/out\"", "\"out\"", lines))
  expect_identical(readLines(file.path(dirname(path), "out")), "in the way")
})
