# A file with its checksum made anew: whatever was changed in it fits.
resealed <- function(bytes) {
  body <- utils::head(bytes, -32)
  c(body, digest::digest(body, algo = "sha256", serialize = FALSE, raw = TRUE))
}

tally_file <- function(tally, env = parent.frame()) {
  path <- save_tally(tally, withr::local_tempfile(fileext = ".tally", .local_envir = env))
  list(path = path, bytes = readBin(path, "raw", file.size(path)))
}

small_tally <- function() {
  sales <- a_sale(day = as.Date("2024-01-01") + 0:5, product = c("a", "b", NA, "a", "c", "b"),
                  revenue = c(1, 20, 3, 4, -5, 6), n = c(1.5, 2, NA, 2, 3, 1 / 3))
  tally_of(daybook(sales[!is.na(sales$product), ], day, revenue, product), by = c(product, n), every = "month",
           measures = list("revenue", orders = count_distinct(product), peak = largest_of(revenue, per = "day"),
                           mean = mean_of(revenue)))
}

# Loads what may be damaged: TRUE when it was refused as damaged, FALSE when it is a tally that totals.
refused <- function(path) {
  tally <- tryCatch(load_tally(path), hinterfeld_error_file = function(cnd) NULL)
  if (is.null(tally)) {
    return(TRUE)
  }
  found <- tryCatch(quiet(whole_table(merge_tallies(tally, of_other_lines(tally)))),
                    hinterfeld_error = function(cnd) NULL)
  if (!is.null(found)) testthat::expect_s3_class(found, "tbl_df")
  FALSE
}

test_that("files that were changed and sealed again are refused or total, and never end R", {
  file <- tally_file(small_tally())
  withr::local_seed(6)
  played <- rounds(40, 400)
  bytes <- file$bytes
  n <- length(bytes)
  refusals <- 0
  for (i in seq_len(played)) {
    changed <- switch(sample(5, 1),
      replace(bytes, sample(17:(n - 32), sample(3, 1)), as.raw(sample(0:255, 1))),
      replace(bytes, sample(17:24, 1), as.raw(sample(0:255, 1))),
      bytes[-sample(17:(n - 32), sample(20, 1))],
      append(bytes, as.raw(sample(0:255, sample(9, 1))), sample(17:(n - 32), 1)),
      utils::head(bytes, sample(40:n, 1))
    )
    writeBin(if (i %% 5 == 0) changed else resealed(changed), file$path)
    refusals <- refusals + refused(file$path)
  }
  expect_gt(refusals, played / 2)
})

test_that("sizes, codes and counts that cannot be are refused by name", {
  file <- tally_file(small_tally())
  start <- 24 + readBin(file$bytes[21:24], "integer", 1, endian = "little")
  with_words <- function(old, new) {
    words <- rawToChar(file$bytes[25:start])
    stopifnot(grepl(old, words, fixed = TRUE))
    words <- charToRaw(sub(old, new, words, fixed = TRUE))
    writeBin(resealed(c(file$bytes[1:20], writeBin(length(words), raw(), endian = "little"), words,
                        utils::tail(file$bytes, -start))), file$path)
    file$path
  }
  with_body <- function(at, values) {
    writeBin(resealed(replace(file$bytes, start + at + seq_along(values) - 1, values)), file$path)
    file$path
  }
  expect_error(load_tally(with_words("\"groups\":[5]", "\"groups\":[500000]")), "sizes are",
               class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"groups\":[5]", "\"groups\":[-1]")), class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"groups\":[5]", "\"groups\":[1e300]")), class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"decimals\":[2]", "\"decimals\":[99]")), class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"month\"", "\"fortnight\"")), class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"a\"", "\"b\"")), "labels are", class = "hinterfeld_error_file")
  expect_error(load_tally(with_words("\"kind\":[\"sum\"]", paste0("\"kind\":", strrep("[", 1e5), strrep("]", 1e5)))),
               "brackets are", class = "hinterfeld_error_file")
  expect_error(load_tally(with_body(1, as.raw(c(0xff, 0xff, 0xff, 0x7f)))), "codes are",
               class = "hinterfeld_error_file")
  expect_error(load_tally(with_body(1, as.raw(c(0, 0, 0, 0x80)))), "codes are", class = "hinterfeld_error_file")
})

test_that("kernels let no code in that has no label", {
  key <- hinterfeld:::new_key("k", c(1L, 7L), c("a", "b"))
  expect_error(hinterfeld:::tally_lines(2, list(key), list(hinterfeld:::new_amount("count"))), "without a label")
  expect_error(hinterfeld:::group_lines(3, list(replace(key, "codes", list(1:2)))), "one code for each line")
  expect_error(hinterfeld:::tally_lines(5, list(hinterfeld:::new_key("k", rep(1L, 5), "a")),
                                        list(hinterfeld:::new_amount("sum", 1:2))), "fewer values")
})

test_that("keys of every type come back as they were", {
  at <- as.POSIXct("2026-01-01 08:00", tz = "Pacific/Auckland") + c(0, 0.5, 3600)
  sales <- a_sale(product = c("a", "b", "c"), at = at, number = c(Inf, -Inf, 0.1),
                  long = c("1234567890123456001", "1234567890123456002", "1.10"),
                  on = as.Date("2026-01-01") + c(0, 0.5, 1), large = c(2^53, 2^53 - 1, 123456789012345680))
  book <- daybook(sales, day, revenue, product)
  for (key in c("at", "number", "long", "on", "large")) {
    expected <- as.list(tibble::as_tibble(totals(book, by = tidyselect::all_of(key))))
    tally <- tally_of(book, by = tidyselect::all_of(key), every = NULL)
    expect_identical(as.list(whole_table(load_tally(save_tally(tally, withr::local_tempfile())))), expected,
                     label = key)
    expect_identical(as.list(whole_table(merge_tallies(tally, of_other_lines(tally))))[[key]], expected[[key]],
                     label = key)
  }
})

test_that("a tally whose orders are all blank reads back", {
  book <- daybook(a_sale(revenue = 1:3, ticket = ""), day, revenue, product, order = ticket)
  tally <- tally_of(book)
  again <- load_tally(save_tally(tally, withr::local_tempfile()))
  expect_identical(audit(again), audit(tally))
})
