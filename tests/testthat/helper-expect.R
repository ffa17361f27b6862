# testthat's own evaluate their object twice, which for a run of a brief is a run too many, and look long at what is the
# same.

expect_match <- function(object, regexp, ...) {
  label <- rlang::as_label(rlang::enexpr(object))
  force(object)
  testthat::expect_match(object, regexp, ..., label = label)
}

expect_no_match <- function(object, regexp, ...) {
  label <- rlang::as_label(rlang::enexpr(object))
  force(object)
  testthat::expect_no_match(object, regexp, ..., label = label)
}

# What is the same needs no search for differences.
expect_identical <- function(object, expected, ..., label = NULL) {
  if (identical(object, expected)) {
    return(invisible(testthat::succeed()))
  }
  testthat::expect_identical(object, expected, ...,
                             label = label %||% rlang::as_label(rlang::enexpr(object)))
}
