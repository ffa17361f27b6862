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

test_that("after a fork totals answer too if another package used threads first", {
  skip_on_os("windows")
  code <- "library(data.table); setDTthreads(2); x <- data.table(a = runif(3e6)); invisible(x[order(a)])
    one <- function(i) {
      suppressPackageStartupMessages(library(hinterfeld))
      options(hinterfeld.threads = 2)
      lines <- data.frame(day = '2026-01-01', product = rep(c('a', 'b'), 1e5), revenue = 1.5)
      totals(daybook(lines, day, revenue, product))$revenue
    }
    cat(unlist(parallel::mclapply(1:2, one, mc.cores = 2)))"
  said <- processx::run(file.path(R.home("bin"), "Rscript"), c("-e", code), timeout = 60)
  expect_identical(said$stdout, "3e+05 3e+05")
})

test_that("threads stop together", {
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
