# The kernels on their own: nothing but codes and units.

tally <- function(codes, sizes, units, kind = "sum", mask = NULL, lines = length(units)) {
  keys <- Map(function(code, size) hinterfeld:::new_key(NULL, as.integer(code), seq_len(size)), codes, sizes)
  hinterfeld:::tally_lines(lines, keys, list(x = hinterfeld:::new_amount(kind, as.double(units), mask)))
}

test_that("groups, sums and counts equal base R in dense and in sparse key spaces", {
  withr::local_seed(5)
  n <- 20000
  units <- sample(-1000:1000, n, replace = TRUE)
  for (sizes in list(c(7, 11), c(3000, 4000))) {
    a <- sample(c(NA, seq_len(sizes[1])), n, replace = TRUE)
    b <- sample(c(NA, seq_len(sizes[2])), n, replace = TRUE)
    result <- tally(list(a, b), sizes, units)
    id <- paste(ifelse(is.na(a), 0, a), ifelse(is.na(b), 0, b))
    expected <- rowsum(units, id)
    at <- match(paste(result$codes[[1]], result$codes[[2]]), rownames(expected))
    expect_identical(length(at), nrow(expected))
    expect_equal(result$values$x, expected[at, 1], ignore_attr = TRUE)
    expect_equal(result$counted$x, c(table(id))[rownames(expected)][at], ignore_attr = TRUE)
  }
})

test_that("smallest, largest, masks and missing units are right", {
  codes <- list(c(1, 1, 2, 2, 2))
  units <- c(5, -3, NA, 8, 2)
  expect_identical(tally(codes, 2, units, "smallest")$values$x, c(-3, 2))
  expect_identical(tally(codes, 2, units, "largest")$values$x, c(5, 8))
  masked <- tally(codes, 2, units, "largest", mask = c(FALSE, FALSE, TRUE, NA, TRUE))
  expect_identical(masked$values$x, c(NA, 2))
  expect_identical(tally(codes, 2, units, "sum", mask = c(FALSE, FALSE, TRUE, NA, TRUE))$values$x, c(0, 2))
})

test_that("no key is one group, no line is none", {
  expect_identical(tally(list(), integer(), c(1, 2))$values$x, 3)
  expect_identical(tally(list(integer()), 3, double())$values$x, double())
})

test_that("a sum beyond 64 bits and a total beyond exactness are errors", {
  expect_error(tally(list(rep(1, 20000)), 1, rep(9e14, 20000)), class = "hinterfeld_error_overflow")
  expect_error(tally(list(rep(1, 3)), 1, rep(9e14, 3)), class = "hinterfeld_error_overflow")
  expect_identical(tally(list(rep(1, 2)), 1, rep(9e14, 2))$values$x, 1.8e15)
})

test_that("a million products on ten thousand days need no table of all their pairs", {
  withr::local_seed(6)
  n <- 2e5
  a <- sample(1e6, n, replace = TRUE)
  b <- sample(1e4, n, replace = TRUE)
  result <- tally(list(a, b), c(1e6, 1e4), rep(1, n))
  expect_identical(sum(result$values$x), n)
  expect_identical(length(result$values$x), nrow(unique(cbind(a, b))))
})
