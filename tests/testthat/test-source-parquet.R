some_sales <- function(n = 500) {
  withr::local_seed(5)
  data.frame(day = as.Date("2026-01-01") + sample(0:200, n, TRUE), product = sample(c("a", "b", "c"), n, TRUE),
             revenue = round(stats::runif(n, -5, 100), 2), units = sample(1:9, n, TRUE))
}

with_flip <- function(path, at, bit = 1) {
  bytes <- readBin(path, "raw", file.size(path))
  bytes[at] <- xor(bytes[at], as.raw(bit))
  writeBin(bytes, path)
}

test_that("no flipped bit of a file of ours changes a number or ends the process", {
  path <- deliver(some_sales(), withr::local_tempfile(fileext = ".parquet"))
  sound <- load_table(path)
  expect_identical(sound$revenue, some_sales()$revenue)
  flipped <- withr::local_tempfile(fileext = ".parquet")
  withr::local_seed(9)
  for (at in sample(file.size(path), rounds(8, 25))) {
    file.copy(path, flipped, overwrite = TRUE)
    with_flip(flipped, at, 2^sample(0:7, 1))
    read <- tryCatch(load_table(flipped), hinterfeld_error = function(cnd) cnd)
    expect_true(inherits(read, "hinterfeld_error_file") || identical(read$revenue, sound$revenue))
  }
  file.copy(path, flipped, overwrite = TRUE)
  with_flip(flipped, 200)
  expect_error(load_table(flipped), "Its checksum does not fit its contents", class = "hinterfeld_error_file")
})

test_that("what was read is held against the counts and ranges that a writer noted", {
  path <- withr::local_tempfile(fileext = ".parquet")
  x <- data.frame(revenue = c(1, NA, 100), units = c(3L, 2L, NA), day = as.Date("2026-01-01") + c(0, NA, 9))
  nanoparquet::write_parquet(x, path, compression = "uncompressed")
  expect_equal(as.data.frame(load_table(path)), transform(x, units = as.double(units)), ignore_attr = TRUE)
  at <- grepRaw(writeBin(100, raw(), endian = "little"), readBin(path, "raw", file.size(path)), fixed = TRUE)
  with_flip(path, at + 6, 4)
  expect_error(load_table(path), "`revenue` does not have the smallest and largest value",
               class = "hinterfeld_error_file")
  expect_identical(load_table(path, columns = units)$units, c(3, 2, NA))
})

# A number of 32 bits as Thrift's compact protocol writes it.
thrift_number <- function(x) {
  x <- if (x < 0) -2 * x - 1 else 2 * x
  out <- raw()
  repeat {
    more <- x >= 128
    out <- c(out, as.raw(x %% 128 + if (more) 128 else 0))
    if (!more) return(out)
    x <- x %/% 128
  }
}

test_that("a page is held against the checksum that its header has", {
  path <- withr::local_tempfile(fileext = ".parquet")
  x <- data.frame(units = seq(10, 400, 10))
  nanoparquet::write_parquet(x, path, compression = "uncompressed")
  bytes <- readBin(path, "raw", file.size(path))
  # The page's header begins behind the four bytes of the mark and ends before its 320 bytes of numbers; a checksum is
  # its fourth field.
  fifth <- 4 + grepRaw(as.raw(0x2c), bytes[-(1:4)])
  data <- grepRaw(writeBin(10, raw(), endian = "little"), bytes, fixed = TRUE) - 1
  sum <- digest::digest(bytes[data + 1:320], "crc32", serialize = FALSE)
  sum <- formatC(sum, width = 8, flag = "0")
  crc <- sum(strtoi(c(substr(sum, 1, 4), substr(sum, 5, 8)), 16) * c(65536, 1))
  crc <- if (crc >= 2^31) crc - 2^32 else crc
  sealed <- c(bytes[seq_len(fifth - 1)], as.raw(0x15), thrift_number(crc), as.raw(0x1c), bytes[-seq_len(fifth)])
  # The chunk is longer by as much, in its description too.
  size <- data - 4 + 320
  more <- length(sealed) - length(bytes)
  for (at in grepRaw(thrift_number(size), sealed, fixed = TRUE, offset = data + 320, all = TRUE)) {
    sealed[at + 0:1] <- thrift_number(size + more)
  }
  writeBin(sealed, path)
  expect_identical(load_table(path)$units, x$units)
  with_flip(path, data + length(sealed) - length(bytes) + 100, 16)
  expect_error(load_table(path), "A page of column `units` is not what its checksum says",
               class = "hinterfeld_error_file")
})
