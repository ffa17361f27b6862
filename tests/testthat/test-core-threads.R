big_book <- function(n = 300000) {
  lines <- a_sale(product = rep(sprintf("p%d", 1:50), length.out = n), revenue = seq_len(n) / 100)
  daybook(lines, day, revenue, product)
}

test_that("after a fork totals answer", {
  skip_on_os("windows")
  book <- big_book()
  withr::local_options(hinterfeld.threads = 2)
  here <- totals(book, by = product)
  job <- parallel::mcparallel(totals(book, by = product)$revenue)
  found <- parallel::mccollect(job, timeout = 60)[[1]]
  expect_identical(found, here$revenue)
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

test_that("kernels let no row or code in that is not there, and threads stop together", {
  expect_error(hinterfeld:::take_rows(list(1:3), c(1L, NA)), "out of range")
  expect_error(hinterfeld:::take_rows(list(1:3), 4L), "out of range")
  expect_error(hinterfeld:::lazy_rows_kernel(list(1:3), 0L, 1L), "out of range")
  expect_error(hinterfeld:::recode_kernel(c(1L, 3L), c(TRUE, FALSE), NA, 1L), "without a label")
  expect_error(hinterfeld:::labels_kernel(c(1, 2), c(1L, 3L), 1:2, 1L), "out of range")
  withr::local_options(hinterfeld.threads = 2)
  large <- daybook(a_sale(product = rep("p", 200000), revenue = rep(1e7, 200000)), day, revenue, product,
                   decimals = 6) |>
    tryCatch(error = identity)
  expect_s3_class(large, "hinterfeld_error_overflow")
})

test_that("columns that are gathered later are what they would be at once", {
  book <- big_book(1000)
  kept <- keep_lines(book, product %in% c("p3", "p7"))
  rows <- which(as.character(book$columns$product) %in% c("p3", "p7"))
  for (name in names(book$columns)) {
    expect_identical(kept$columns[[name]][3:5], book$columns[[name]][rows[3:5]])
    expect_identical(unserialize(serialize(kept$columns[[name]], NULL)), book$columns[[name]][rows])
    expect_identical(kept$columns[[name]], book$columns[[name]][rows])
  }
  twice <- leave_out(keep_lines(book, product %in% c("p3", "p7")), product == "p3")
  expect_identical(lines_of(twice)$product, rep("p7", 20))
})
