test_that("random hostile files are read as two other readers say, whatever the size of blocks", {
  withr::local_seed(as.integer(Sys.Date()))
  for (round in 1:150) {
    file <- hostile_file()
    path <- text_at(file$text)
    withr::local_options(hinterfeld.block = sample(c(16, 60, 2^25), 1))
    records <- strict_records(file$text, file$mark)
    expected <- matrix(as.character(unlist(records[-1])), ncol = length(file$names), byrow = TRUE)
    expect_identical(records[[1]], file$names)
    expect_identical(unname(expected), unname(file$cells), label = deparse(file$text))
    all_text <- stats::setNames(rep("text", length(file$names)), file$names)
    read <- quiet(load_table(path, delimiter = file$mark, types = all_text))
    given <- matrix(as.character(unlist(lapply(read, as.character))), nrow(read), ncol(read))
    expect_identical(given, unname(replace(expected, expected == "", NA)), label = deparse(file$text))
    # Types are those that all texts of a column have.
    typed <- quiet(load_table(path, delimiter = file$mark))
    for (j in seq_along(typed)) {
      texts <- trimws(given[, j])
      found <- quiet(hinterfeld:::found_type(replace(texts, texts %in% c("", "NA"), NA), "x", NULL, "file"))
      expect_identical(c(typed[[j]]), c(found %||% given[, j]), label = deparse(given[, j]), ignore_attr = TRUE)
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
  unlink(path)
  expect_error(read(), class = "hinterfeld_error_file")
})

test_that("the fast reader and writer of text are called from one file each, and nothing else of their package", {
  withr::local_options(keep.source = FALSE)
  sources <- lapply(as.list(asNamespace("hinterfeld"), all.names = TRUE), function(x) if (is.function(x)) deparse(x))
  calls <- unlist(lapply(sources, function(lines) regmatches(lines, gregexpr("data[.]table:::?[A-Za-z_.]+", lines))))
  expect_setequal(calls, c("data.table::fread", "data.table::fwrite"))
  users <- names(Filter(function(lines) any(grepl("data.table::", lines, fixed = TRUE)), sources))
  expect_setequal(users, c("read_block", "write_delimited"))
  expect_identical(Filter(function(import) identical(import[[1]], "data.table"), getNamespaceImports("hinterfeld")),
                   list(), ignore_attr = TRUE)
})
