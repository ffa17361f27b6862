# What the README shows is there: its blocks of R run when they are pasted in order, and its links lead somewhere.

readme <- readLines(test_path("..", "..", "README.md"), encoding = "UTF-8")

test_that("the blocks of R run in order", {
  withr::local_dir(withr::local_tempdir())
  begins <- grep("^```r$", readme)
  ends <- vapply(begins, function(at) grep("^```$", readme)[grep("^```$", readme) > at][1], 0L)
  expect_gt(length(begins), 1)
  place <- new.env(parent = globalenv())
  for (i in seq_along(begins)) {
    block <- parse(text = readme[(begins[i] + 1):(ends[i] - 1)], keep.source = FALSE)
    utils::capture.output(for (call in block) {
      expect_no_error(quiet(print(eval(call, place))))
    })
  }
})

test_that("the links to files lead somewhere", {
  links <- unlist(regmatches(readme, gregexpr("(?<=\\]\\()[^)#]+", readme, perl = TRUE)))
  links <- grep("^https?:", links, value = TRUE, invert = TRUE)
  expect_gt(length(links), 10)
  expect_identical(links[!file.exists(test_path("..", "..", links))], character())
})
