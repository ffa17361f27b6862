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

test_that("groups are found again by their codes, missing and totals too", {
  withr::local_seed(12)
  draw <- function(n, size) sample(c(-1L, 0L, seq_len(size)), n, TRUE)
  among <- list(draw(60000, 300), draw(60000, 900))
  codes <- list(draw(5000, 300), draw(5000, 900))
  expected <- match(paste(codes[[1]], codes[[2]]), paste(among[[1]], among[[2]]))
  expect_gt(sum(is.na(expected)), 100)
  expect_identical(hinterfeld:::find_groups(codes, among, c(300, 900)), expected)
  # A key space beyond 64 bits is matched another way.
  expect_identical(hinterfeld:::find_groups(codes, among, c(2^40, 2^40)), expected)
  expect_identical(hinterfeld:::find_groups(list(), list(), integer()), 1L)
  none <- list(integer(), integer())
  expect_identical(hinterfeld:::find_groups(none, among, c(300, 900)), integer())
  expect_identical(hinterfeld:::find_groups(codes, none, c(300, 900)), rep(NA_integer_, 5000))
})

test_that("groups are numbered by first appearance, with their first line", {
  keys <- list(hinterfeld:::new_key("a", c(2L, NA, 2L, 1L, NA), 1:2),
               hinterfeld:::new_key("b", c(1L, 1L, 1L, 3L, 1L), 1:3))
  groups <- hinterfeld:::group_lines(5, keys)
  expect_identical(groups$codes, c(1L, 2L, 1L, 3L, 2L))
  expect_identical(groups$first, c(1L, 2L, 4L))
  expect_identical(groups$parts, list(c(2L, 0L, 1L), c(1L, 1L, 3L)))
  expect_identical(groups$count, 3L)
  wide <- hinterfeld:::new_key("c", c(5e6L, 1L, 5e6L, 1L, 1L), seq_len(5e6))
  groups <- hinterfeld:::group_lines(5, c(keys, list(wide)))
  expect_identical(groups$first, c(1L, 2L, 4L))
  expect_identical(groups$parts[[3]], c(5000000L, 1L, 1L))
})

test_that("threads agree in every kind of space and measure", {
  withr::local_seed(13)
  n <- 160000
  a <- sample(c(NA, 1:700), n, TRUE)
  b <- sample(900, n, TRUE)
  units <- list(whole = sample(-500:500, n, TRUE), double = sample(c(NA, 1e9, -3e9, 7), n, TRUE))
  mask <- sample(c(TRUE, FALSE, NA), n, TRUE)
  keys <- list(
    small = list(hinterfeld:::new_key("a", a %% 7L + 1L, 1:7)),
    large = list(hinterfeld:::new_key("a", a, 1:700), hinterfeld:::new_key("b", b, 1:900)),
    sparse = list(hinterfeld:::new_key("a", a, seq_len(7e6)), hinterfeld:::new_key("b", b, seq_len(9e6)))
  )
  new <- hinterfeld:::new_amount
  amounts <- list(
    list(x = new("sum", units$whole, counts = FALSE)), list(x = new("count", counts = FALSE)),
    list(x = new("sum", units$double, mask), y = new("smallest", units$whole), z = new("largest", units$double, mask))
  )
  for (key in keys) {
    for (amount in amounts) {
      by_threads <- lapply(c(1, 3), function(threads) {
        withr::local_options(hinterfeld.threads = threads)
        result <- hinterfeld:::tally_lines(n, key, amount)
        order <- do.call(order, result$codes)
        rapply(result, function(x) x[order], how = "list")
      })
      expect_identical(by_threads[[2]], by_threads[[1]])
    }
    # Groups in the order of their first lines.
    codes <- lapply(key, function(one) replace(one$codes, is.na(one$codes), 0L))
    pairs <- Reduce(function(before, code) before * 1e7 + code, codes)
    for (threads in 1:2) {
      withr::local_options(hinterfeld.threads = threads)
      groups <- hinterfeld:::group_lines(n, key)
      expect_identical(groups$codes, match(pairs, unique(pairs)))
      expect_identical(groups$first, which(!duplicated(pairs)))
    }
  }
  # The first of them, against base R.
  sums <- rowsum(units$whole, paste(ifelse(is.na(a), 0, a), b))
  result <- hinterfeld:::tally_lines(n, keys$large, amounts[[1]])
  expect_identical(result$values$x, as.double(sums[paste(result$codes[[1]], result$codes[[2]]), 1]))
})

test_that("sums of two threads that do not fit together are an error", {
  withr::local_options(hinterfeld.threads = 2)
  half <- 110000
  units <- rep(c(6e13, 6e13), each = half)
  expect_error(tally(list(rep(1, 2 * half)), 1, units), class = "hinterfeld_error_overflow")
})

test_that("days outside a key's lookup belong to no period", {
  days <- as.integer(as.Date("2026-01-01")) + c(-1L, 0L, 31L, 40L, 59L, NA)
  key <- hinterfeld:::new_key("month", days, 1:2, lookup = rep(1:2, c(31, 28)),
                              first = as.integer(as.Date("2026-01-01")))
  result <- hinterfeld:::tally_lines(6, list(key), list(x = hinterfeld:::new_amount("count")))
  expect_identical(result$codes[[1]], 0:2)
  expect_identical(result$values$x, c(3, 1, 2))
})

test_that("units come back as currency, of all rows or some, integers and doubles", {
  units <- c(105L, NA, -7L, 0L)
  expect_identical(hinterfeld:::from_minor(units, 2L), c(1.05, NA, -0.07, 0))
  expect_identical(hinterfeld:::from_minor(as.double(units), 2L, c(3L, 3L, 1L)), c(-0.07, -0.07, 1.05))
  expect_identical(hinterfeld:::from_minor(2^50, 0L), 2^50)
  expect_identical(hinterfeld:::from_minor(NA, 2L), NA_real_)
  expect_identical(hinterfeld:::from_minor(double(), 2L), double())
  withr::local_seed(4)
  many <- sample(1e9, 120000)
  rows <- sample(120000L)
  expect_identical(hinterfeld:::from_minor(many, 2L, rows), many[rows] / 100)
})

test_that("codes of a column come back from its labels", {
  key <- hinterfeld:::new_key("k", NULL, c("b", "Total", "not given"))
  labels <- list(total = "Total of all", not_given = "not given, blank")
  expect_identical(hinterfeld:::label_codes(key, c("Total", "Total of all", "not given, blank", "not given", NA,
                                                   "other"), labels), c(2L, -1L, 0L, 3L, 0L, NA))
  numbers <- hinterfeld:::new_key("k", NULL, c(9, 10, 100))
  expect_identical(hinterfeld:::label_codes(numbers, c("100", "Total of all", "9"), labels), c(3L, -1L, 1L))
})
