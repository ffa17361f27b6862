
test_that("lines that would vanish are told with their line", {
  lost <- c(
    `a quote that swallows lines` = "day,name,n\nd,\"5in pot,20\ne,Sieve,3\nf,\"Rib\",1\n",
    `a quote inside` = "day,name,n\nd,\"Rib 5\" long\",20\ne,x,1\n",
    `a quote in a bare field` = "day,name,n\nd,5\" pot,20\n",
    `a quote that nothing closes` = "day,name,n\nd,a,1\ne,\"b,2\n",
    `a last line without its last field` = "day,name,n\nd,a,1\ne,b",
    `a last field that is cut` = "a,b\n1,2\n3",
    `a row too long` = "a,b\n1,2,3\n", `a row of spaces` = "a,b\n1,2\n   \n3,4\n"
  )
  for (kind in names(lost)) {
    expect_error(load_table(text_at(lost[[kind]])), class = "hinterfeld_error_shape", label = kind)
  }
  expect_snapshot(error = TRUE, load_table(text_at(lost[[1]])),
                  transform = function(x) gsub("file[0-9a-f]+", "FILE", x))
  expect_snapshot(error = TRUE, load_table(text_at(lost[[5]])),
                  transform = function(x) gsub("file[0-9a-f]+", "FILE", x))
})

test_that("what is right is read whole, and rows count as they stand in the file", {
  fine <- list(
    list("a,b\n1,\"x,\ny\"\n2,\"say \"\"so\"\"\"\n", 2), list("a,b\r\n1,x\r\n\r\n2,y\r\n", 2), list("a,b\n1,x\n2,y", 2),
    list("a,b\n\n\n1,\n\n2,\"\"\n", 2),
    list("a\n1\n2\n", 2), list("a,b\n", 0)
  )
  for (one in fine) expect_identical(nrow(quiet(load_table(text_at(one[[1]])))), as.integer(one[[2]]),
                                     label = deparse(one[[1]]))
  path <- text_at("\nday,product,revenue\n\n2026-01-01,a,1\n\n\nsoon,b,2\n2026-01-02,,3\n")
  expect_identical(set_aside(daybook(load_table(path), day, revenue, product, on_bad = "set_aside"))$row, c(5L, 6L))
  expect_error(daybook(load_table(path), day, revenue, product), "row 5")
  expect_error(load_table(path, types = c(day = "date")), "Row 5 holds \"soon\"")
})

test_that("the count is the same in any number of threads and any size of block, and that of base R", {
  withr::local_seed(5)
  scan <- function(lines, threads, size) {
    path <- text_at(paste(lines, collapse = "\n"))
    hinterfeld:::text_stretches_kernel(path, ",", ".", NULL, NULL, size, threads)
  }
  for (round in seq_len(rounds(1, 4))) {
    n <- 30000
    cell <- sample(c("1", "abc", "\"a,b\"", "\"two\nlines\"", "\"say \"\"so\"\"\"", "", strrep("long ", 30)),
                   3 * n, TRUE, prob = c(5, 5, 1, 1, 1, 2, 4))
    rows <- apply(matrix(cell, n), 1, paste, collapse = ",")
    lines <- c("x,y,z", replace(rows, sample(n, 50), ""))
    counts <- Map(scan, list(lines), c(1, 2, 5, 2), c(2^25, 2^25, 2^25, 5000))
    for (other in counts[-1]) {
      expect_identical(other[names(other) != "stretches"], counts[[1]][names(other) != "stretches"])
      expect_identical(sum(other$stretches$records), counts[[1]]$records - 1)
    }
    # Small files are not worth a second thread.
    expect_gt(length(counts[[3]]$stretches$offset), 2)
    expect_identical(counts[[1]]$records, as.double(sum(nzchar(lines))))
    expect_identical(counts[[1]]$empty, as.double(which(!nzchar(lines))))
    expect_identical(counts[[1]]$misfits$count, 0)
    odd <- sample(which(nzchar(lines))[-1], 4)
    bad <- replace(lines, odd, "1,2")
    places <- cumsum(1 + lengths(regmatches(bad, gregexpr("\n", bad)))) - lengths(regmatches(bad, gregexpr("\n", bad)))
    for (size in c(2^25, 3000)) {
      found <- scan(bad, 4, size)
      expect_identical(found$misfits$count, 4)
      expect_setequal(found$misfits$line, places[odd])
    }
  }
})

test_that("a gzip file is checked by its own length and checksum, and may not grow without end", {
  rows <- paste0("a,b\n", paste(sprintf("%d,%d\n", 1:5000, 5000:1), collapse = ""))
  path <- withr::local_tempfile(fileext = ".csv.gz")
  con <- gzfile(path, "wb")
  writeBin(charToRaw(rows), con)
  close(con)
  bytes <- readBin(path, "raw", file.size(path))
  expect_identical(nrow(load_table(path)), 5000L)
  # Several members in one file are one text.
  con <- gzfile(path, "ab")
  writeBin(charToRaw("7,7\n"), con)
  close(con)
  expect_identical(nrow(load_table(path)), 5001L)
  for (keep in c(10, 100, length(bytes) - 9,
                 length(bytes) - 1)) expect_error(load_table(text_at(utils::head(bytes, keep), ".csv.gz")),
                                                  class = "hinterfeld_error_file")
  for (at in c(length(bytes) - 7, length(bytes) - 2)) {
    expect_error(load_table(text_at(replace(bytes, at, xor(bytes[at], as.raw(1))), ".csv.gz")), "damaged")
  }
  expect_gt(hinterfeld:::unpacked_bytes(path), nchar(rows) / 2)
  expect_lt(hinterfeld:::unpacked_bytes(path), nchar(rows) * 2)
  withr::local_options(hinterfeld.unpacked_limit = 1000)
  expect_error(load_table(path), "more than 1 000 bytes")
  # A small file may be much text: it is counted in chunks.
  dense <- withr::local_tempfile(fileext = ".csv.gz")
  con <- gzfile(dense, "wb")
  writeLines(c("a,b", rep("1,2", 1e5)), con)
  close(con)
  withr::local_options(hinterfeld.in_memory = 3e5)
  expect_lt(5 * file.size(dense), 3e5)
  expect_true(hinterfeld:::is_large(list(path = dense)))
})

test_that("every encoding is converted or refused with its line, and ends nothing", {
  vale <- function(encoding) iconv("name,n\nVall\u00e9e,1\n", "UTF-8", encoding, toRaw = TRUE)[[1]]
  for (encoding in c("latin1", "windows-1252", "CP1252", "UTF-16", "UTF-16LE", "UTF-16BE", "UTF-8")) {
    expect_identical(load_table(text_at(vale(encoding)), encoding = encoding)$name, "Vall\u00e9e", label = encoding)
  }
  expect_identical(load_table(text_at(vale("UTF-16")))$name, "Vall\u00e9e")
  hostile <- c(charToRaw("name,n\na,1\nb"), as.raw(c(0x81, 0x20)), charToRaw("c,2\n"))
  for (encoding in c("windows-1252", "CP1252", "ASCII", "SHIFT_JIS", "UTF-8")) {
    expect_error(load_table(text_at(hostile), encoding = encoding), "Line 3 of", class = "hinterfeld_error_encoding",
                 label = encoding)
  }
  expect_error(load_table(text_at(vale("UTF-16LE"))), "UTF-16LE", class = "hinterfeld_error_encoding")
  expect_error(load_table(text_at("a,b\n1,2\n"), encoding = "latin77"), "There is no encoding",
               class = "hinterfeld_error_encoding")
  for (bytes in list(c(0xc0, 0x80), c(0xed, 0xa0, 0x80), c(0xf5, 0x80, 0x80, 0x80), c(0xe2, 0x82), 0xff,
                     c(0xe0, 0x80, 0x80))) {
    expect_error(load_table(text_at(c(charToRaw("a\n"), as.raw(bytes), charToRaw("\n")))),
                 class = "hinterfeld_error_encoding")
  }
})

test_that("the heading is read of every file as the table is", {
  rows <- paste0("d\u00e9;b\n", paste(rep("1;2\n", 20000), collapse = ""))
  for (encoding in c("UTF-8", "UTF-16", "UTF-16LE", "latin1")) {
    path <- text_at(iconv(rows, "UTF-8", encoding, toRaw = TRUE)[[1]])
    expect_identical(hinterfeld:::source_columns(path, encoding = encoding), c("d\u00e9", "b"))
    expect_named(load_table(path, encoding = encoding), c("d\u00e9", "b"))
  }
  # Empty lines before it do not hide its delimiter.
  expect_named(load_table(text_at("\n\r\na;b\n1;2\n")), c("a", "b"))
})

test_that("headings that are none, and files that are no files, are refused", {
  expect_error(load_table(text_at(paste0(strrep("x", 2e5), "\n1\n"))), "longer than", class = "hinterfeld_error_shape")
  expect_error(load_table(text_at("a,...\n1,2\n")), class = "hinterfeld_error_shape")
  expect_error(load_table(text_at("a,..1\n1,2\n")), class = "hinterfeld_error_shape")
  expect_error(load_table(text_at(as.raw(c(0x61, 0, 0x0a, 0x31)))), "NUL", class = "hinterfeld_error_encoding")
  fifo <- withr::local_tempfile()
  processx::run("mkfifo", fifo)
  for (path in c(fifo, "/dev/zero")) expect_error(load_table(path), "is not a regular file",
                                                  class = "hinterfeld_error_file")
})

test_that("empty lines before the heading are counted, in whatever block they are", {
  path <- text_at("\n\r\n\nday,product,revenue\n2026-01-01,a,1\n\nsoon,b,2\n")
  for (size in c(2^25, 16, 3, 1)) {
    withr::local_options(hinterfeld.block = size)
    book <- daybook(load_table(path), day, revenue, product, on_bad = "set_aside")
    expect_identical(set_aside(book)$row, 3L, label = size)
  }
})

test_that("UTF-16 that ends inside a character was cut short", {
  file <- withr::local_tempfile(fileext = ".csv")
  for (encoding in c("UTF-16LE", "UTF-16BE")) {
    lines <- "day,product,revenue\n2026-03-02,Sieve,1.50\n2026-03-03,\U1F600"
    text <- iconv(lines, "UTF-8", encoding, toRaw = TRUE)[[1]]
    mark <- if (encoding == "UTF-16LE") c(0xff, 0xfe) else c(0xfe, 0xff)
    for (lost in 1:3) {
      writeBin(c(as.raw(mark), utils::head(text, -lost)), file)
      expect_error(load_table(file), "ends in the middle of a character", class = "hinterfeld_error_encoding")
      expect_error(load_table(file, columns = product), "ends in the middle", class = "hinterfeld_error_encoding")
    }
  }
})
