test_that("random hostile files are read as two other readers say, whatever the size of blocks", {
  # tools/hostile-files plays any number.
  withr::local_seed(as.integer(Sys.Date()))
  expect_identical(hostile_differences(rounds(40, 200)), character())
})

test_that("large files come whole, in any number of threads and any size of block, and columns in any order", {
  withr::local_seed(8)
  n <- 40000
  words <- c("a", "", " b", "Glaze 12", "Glaze 13", "two\nlines", "a,b", "say \"so\"", "cr\rin", "\u00e9\u00e8",
             strrep("long ", 40), paste("Kiln", seq_len(9000)))
  cells <- data.frame(text = sample(words, n, TRUE), number = sample(c("", "0.5", "-12.25", "7"), n, TRUE),
                      day = sample(c("2024-02-29", "2025-12-31", ""), n, TRUE),
                      other = sample(c("x", "y z", "\u4e16", strrep("z", 200), ""), n, TRUE))
  written <- vapply(cells, function(x) {
    ifelse(grepl("[,\"\r\n]", x) | stats::runif(n) < 0.01, paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\""), x)
  }, character(n))
  ends <- sample(c("\n", "\r\n", "\n\n"), n, TRUE, c(9, 1, 1))
  lines <- paste0(written[, 1], ",", written[, 2], ",", written[, 3], ",", written[, 4], ends)
  path <- text_at(paste0("text,number,day,other\n", paste(lines, collapse = "")))
  blank <- function(x) replace(x, x == "", NA)
  expected <- list(other = blank(cells$other), day = as.Date(blank(cells$day)), text = blank(cells$text),
                   number = as.numeric(blank(cells$number)))
  for (setting in list(c(2, 2^25), c(5, 2^25), c(1, 50000))) {
    withr::local_options(hinterfeld.threads = setting[1], hinterfeld.block = setting[2])
    stretches <- hinterfeld:::scan_delimited(path, list())$stretches
    if (setting[1] > 1) expect_gt(length(stretches$offset), 1)
    read <- load_table(path, c(other, day, text, number))
    # Whichever thread is the first to have a text.
    expect_identical(stats::na.omit(hinterfeld:::distinct_codes(read$text)$labels),
                     stats::na.omit(unique(expected$text)), ignore_attr = TRUE)
    expect_identical(lapply(read, function(x) x[seq_len(n)]), expected, label = toString(setting))
    expect_identical(load_table(path, text)$text[seq_len(n)], expected$text)
    expect_identical(load_table(path, number)$number, expected$number)
  }
})

test_that("values find room whatever the length of the records before", {
  widths <- rep(c(1, 300), each = 2000)
  for (width in list(widths, rev(widths), rep(9, 4000))) {
    text <- vapply(width, strrep, "", x = "k")
    path <- text_at(paste0("text,day,n\n", paste0(text, ",2024-02-29,", seq_along(text), "\n", collapse = "")))
    for (block in c(700, 9000)) {
      withr::local_options(hinterfeld.block = block)
      read <- load_table(path)
      expect_identical(as.list(read), list(text = text, day = rep(as.Date("2024-02-29"), 4000), n = as.double(1:4000)),
                       ignore_attr = TRUE)
      # R may write into what it got, and keep what it had.
      other <- read
      other$n[4000] <- 0
      expect_identical(c(read$n[4000], other$n[4000]), c(4000, 0))
      expect_identical(unserialize(serialize(read$n, NULL)), as.double(1:4000))
      by_day <- daybook(read, day, as.numeric(day), text, decimals = 0)
      expect_identical(lines_of(by_day)$revenue, rep(19782, 4000))
    }
  }
})

test_that("numbers are what they are, whatever the size and the decimals of those that come later", {
  values <- sprintf("%.2f", seq(-20, by = 0.25, length.out = 3000))
  for (late in c("0.125", "30000000.5", "999999999999999", "", "1e5", "2147483.647", "-21474836.48")) {
    for (at in c(2, 2500)) {
      path <- text_at(paste0("n,k\n", paste0(replace(values, at, late), ",", seq_along(values), "\n", collapse = "")))
      expected <- as.double(replace(values, at, late))
      for (block in c(700, 2^25)) {
        withr::local_options(hinterfeld.block = block)
        read <- load_table(path, types = c(n = "number"))
        expect_identical(list(sum(read$n, na.rm = TRUE), read$n[c(NA, 4000, at)]),
                         list(sum(expected, na.rm = TRUE), expected[c(NA, 4000, at)]), label = late)
        lines <- lines_of(daybook(read, as.Date("2026-01-01") + k, n, k, units = n, decimals = 3, on_bad = "set_aside"))
        kept <- expected[!is.na(expected) & expected < 1e14]
        expect_identical(list(lines$revenue, lines$units), list(kept, kept), label = late)
        expect_identical(read$n, expected, label = late)
      }
    }
  }
})

test_that("plain numbers and days need no second look, and come as the others do", {
  x <- c("0", "0.05", "-3", "999999999999999", "12.5", "2.25", "", "-0.1")
  path <- text_at(paste0("n,d\n", paste0(x, ",2024-02-29\n", collapse = "")))
  scan <- hinterfeld:::scan_delimited(path, list())
  expect_identical(unname(hinterfeld:::plan_delimited(list(scan), c("n", "d"), list())), c("number", "day"))
  expect_identical(load_table(path)$n, as.double(c(x[1:6], NA, x[8])))
  odd <- c("00", "01", "+1", "1.", ".5", "-0", "-0.0", "1e3", "1234567890123456", "1,5", " 1", "1 ")
  for (one in odd) {
    scan <- hinterfeld:::scan_delimited(text_at(sprintf("n;k\n2;x\n%s;y\n", one)), list())
    expect_identical(unname(hinterfeld:::plan_delimited(list(scan), "n", list())), "open", label = one)
  }
  two <- text_at("n,k\n1.10,x\n1.1,y\n")
  expect_identical(unname(hinterfeld:::plan_delimited(list(hinterfeld:::scan_delimited(two, list())), "n", list())),
                   "open")
})

test_that("a file that is changed while it is read gives no table", {
  path <- text_at(paste0("a,b\n", strrep("1,2\n", 5000)))
  withr::local_options(hinterfeld.block = 1000)
  source <- hinterfeld:::open_files(path, rlang::quo(NULL), list())
  n <- 0
  read <- function() hinterfeld:::each_chunk(source, function(table) {
    n <<- n + 1
    if (n == 2) cat("3,4\n", file = path, append = TRUE)
  })
  expect_error(read(), "was changed while it was read", class = "hinterfeld_error_file")
  # As many bytes, and other fields or no text at all.
  for (bytes in list(charToRaw(strrep("1,2\n1,2,3,4,5,6\n", 1000)), as.raw(rep(c(0x31, 0x2c, 0xff, 0x0a), 4000)))) {
    path <- text_at(paste0("a,b\n", strrep("1,x\n", 5000)))
    source <- hinterfeld:::open_files(path, rlang::quo(NULL), list())
    writeBin(c(charToRaw("a,b\n"), bytes, as.raw(rep(0x0a, 20000 - length(bytes)))), path)
    expect_error(hinterfeld:::read_source(source), "was changed while it was read", class = "hinterfeld_error_file")
  }
  unlink(path)
  expect_error(read(), class = "hinterfeld_error_file")
})

test_that("plain numbers are the nearest doubles", {
  withr::local_seed(12)
  texts <- vapply(seq_len(5000), function(i) {
    digits <- sample(15, 1)
    behind <- sample(0:(digits - 1), 1)
    text <- paste(c(sample(1:9, 1), sample(0:9, digits - 1, TRUE)), collapse = "")
    before <- substr(text, 1, digits - behind)
    paste0(if (stats::runif(1) < 0.3) "-", if (stats::runif(1) < 0.1 && behind > 0) "0" else before,
           if (behind > 0) paste0(".", substr(text, digits - behind + 1, digits)))
  }, "")
  for (mark in c(".", ",")) {
    path <- text_at(paste(c("n;x", paste0(sub(".", mark, texts, fixed = TRUE), ";a")), collapse = "\r\n"))
    read <- load_table(path, types = c(n = "number"), decimal_mark = mark)$n
    # R reads a text by itself with more than the precision of a double and may be off by its last bit.
    expect_identical(sprintf("%.15g", read), sprintf("%.15g", as.numeric(texts)))
    expect_identical(read, as.double(jsonlite::parse_json(sprintf("[%s]", toString(texts)), simplifyVector = TRUE)))
  }
})

test_that("headings are read in the file's encoding, with columns chosen by them", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeBin(iconv("Gr\u00f6\u00dfe;St\u00fcck\n1;2\n", "UTF-8", "latin1", toRaw = TRUE)[[1]], path)
  lines <- load_table(path, columns = "Gr\u00f6\u00dfe", encoding = "latin1")
  expect_identical(names(lines), "Gr\u00f6\u00dfe")
})
