# What compiled code refuses, and orders, on its own.

test_that("rows are ordered inside scopes as base R orders them", {
  withr::local_seed(21)
  n <- 5000
  values <- list(
    whole = as.double(sample(-40:40, n, TRUE)), wide = floor(stats::runif(n, 0, 2^52)) * sample(c(-1, 1), n, TRUE),
    parts = stats::rnorm(n), missing = sample(c(NA, 0, -0, 1.5, Inf, -Inf), n, TRUE), same = rep(7, n)
  )
  scopes <- list(one = rep(1L, n), runs = sort(sample(9L, n, TRUE)), mixed = sample(60L, n, TRUE),
                 most = sample(n, n, TRUE))
  names <- sample(30L, n, TRUE)
  rank <- sample(30L)
  for (value in values) {
    for (scope in scopes) {
      for (highest in c(TRUE, FALSE)) {
        sign <- if (highest) -1 else 1
        ours <- hinterfeld:::order_kernel(scope, max(scope), value, names, rank, highest, 1L)
        expect_identical(ours, order(scope, sign * value, rank[names], seq_len(n)))
        # Rows that come in this order, and with two of them in the place of each other.
        for (rows in list(ours, replace(ours, c(70, 71), ours[c(71, 70)]))) {
          again <- hinterfeld:::order_kernel(scope[rows], max(scope), value[rows], names[rows], rank, highest, 1L)
          expect_identical(again, order(scope[rows], sign * value[rows], rank[names[rows]], seq_len(n)))
        }
      }
    }
  }
  plain <- hinterfeld:::order_kernel(scopes$mixed, 60L, NULL, names, NULL, TRUE, 1L)
  expect_identical(plain, order(scopes$mixed, names))
  expect_identical(hinterfeld:::order_kernel(integer(), 1L, double(), NULL, NULL, TRUE, 1L), integer())
})

test_that("missing names come after the others, and a total after all", {
  names <- c(-1L, 0L, 2L, NA, 1L, -1L)
  value <- c(99, 5, 5, 5, 5, NA)
  ours <- hinterfeld:::order_kernel(rep(1L, 6), 1L, value, names, c(2L, 1L), TRUE, 1L)
  expect_identical(ours, c(3L, 5L, 2L, 4L, 1L, 6L))
})

test_that("orders are the same in any number of threads", {
  withr::local_seed(22)
  n <- 240000
  for (scope in list(sample(700L, n, TRUE), sort(sample(700L, n, TRUE)), rep(1L, n))) {
    value <- as.double(sample(1000, n, TRUE))
    ours <- lapply(1:3, function(threads) hinterfeld:::order_kernel(scope, 700L, value, NULL, NULL, TRUE, threads))
    expect_identical(ours[[1]], order(scope, -value))
    expect_identical(ours[[2]], ours[[1]])
    expect_identical(ours[[3]], ours[[1]])
  }
})

test_that("very many rows of a scope are in order although threads share them", {
  withr::local_seed(23)
  n <- rounds(150000, 600000)
  values <- list(
    skewed = round(stats::rexp(n, 1e-3)), few = as.double(sample(3, n, TRUE)), same = rep(1, n),
    parts = c(Inf, -Inf, NA, NaN, -0, stats::rnorm(n - 5))
  )
  names <- sample(c(-1L, 0L, 1:50), n, TRUE)
  places <- ifelse(names > 0, names, 60L - names)
  for (value in values[some_of(4, 2)]) {
    for (scope in list(rep(1L, n), sample(2L, n, TRUE))) {
      for (highest in c(TRUE, FALSE)) {
        ours <- hinterfeld:::order_kernel(scope, max(scope), value, names, NULL, highest, 2L)
        key <- ifelse(names == -1L, NA, if (highest) -value else value)
        expect_identical(ours, order(scope, key, places, method = "radix"))
      }
    }
  }
})

test_that("a period, a position, a rule, a row or a code that is not there stops compiled code", {
  rules <- sales_calendar()$rules
  expect_error(hinterfeld:::period_bounds_kernel(1L, "fortnight", FALSE, rules), "unknown period")
  expect_error(hinterfeld:::position_kernel(1L, "fortnight", rules), "unknown position")
  expect_error(hinterfeld:::rank_kernel(1L, 1L, 1, "coin", 1L), "unknown rule")
  expect_error(hinterfeld:::pareto_kernel(2L, 1L, 1L, 1, 1), "out of range")
  expect_error(hinterfeld:::pareto_kernel(1L, 2L, 1L, 1, 1), "out of range")
  expect_error(hinterfeld:::take_rows(list(1:3), c(1L, NA)), "out of range")
  expect_error(hinterfeld:::take_rows(list(1:3), 4L), "out of range")
  expect_error(hinterfeld:::lazy_rows_kernel(list(1:3), 0L, 1L), "out of range")
  expect_error(hinterfeld:::recode_kernel(c(1L, 3L), c(TRUE, FALSE), NA, 1L), "without a label")
  expect_error(hinterfeld:::label_values_kernel(c(1, 2), c(1L, 3L), 1:2, 1L), "out of range")
})

test_that("a handle that was saved and read back holds nothing", {
  handle <- attr(totals(a_book(), by = product), "answer")$facts
  expect_type(handle, "externalptr")
  expect_null(hinterfeld:::handle_value_kernel(unserialize(serialize(handle, NULL))))
})

test_that("the threads are as many as the option, else as the environment says", {
  withr::local_options(hinterfeld.threads = 3)
  expect_identical(hinterfeld:::threads_wanted(), 3L)
  wanted <- function(...) {
    withr::local_envvar(...)
    run <- processx::run(file.path(R.home("bin"), "Rscript"), c("-e", "cat(hinterfeld:::threads_wanted())"))
    as.integer(run$stdout)
  }
  expect_identical(wanted(OMP_NUM_THREADS = "1"), 1L)
  expect_identical(wanted(OMP_THREAD_LIMIT = "1"), 1L)
})

test_that("ISO days are read strictly", {
  read <- function(x) hinterfeld:::read_iso_days_kernel(x)
  expect_identical(read(c("2024-02-29", "2023-02-29", "2024-2-9", "2024-13-01", "2024-00-10", "20240229", "2024-02-29x",
                          NA, "")),
                   c(19782L, rep(NA, 8)))
  days <- seq(as.Date("1899-12-25"), as.Date("2101-03-03"), by = 13)
  expect_identical(read(format(days)), as.integer(days))
})

test_that("two folders exchange their names", {
  folder <- withr::local_tempdir()
  one <- file.path(folder, "one")
  other <- file.path(folder, "other")
  dir.create(one)
  dir.create(other)
  writeLines("1", file.path(one, "f"))
  expect_true(hinterfeld:::swap_paths_kernel(one, other))
  expect_identical(list.files(one), character())
  expect_identical(readLines(file.path(other, "f")), "1")
  expect_false(hinterfeld:::swap_paths_kernel(one, file.path(folder, "none")))
})
