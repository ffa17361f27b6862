test_that("a brief is read and sketched", {
  path <- withr::local_tempfile(fileext = ".yaml")
  expect_snapshot(read_brief(demo_brief()), transform = function(lines) lines[!grepl("into:|kilnmoor-out", lines)])
  expect_identical(read_brief(demo_brief())$content$daybook$currency, "Mk")
})

test_that("only true and false are logical, and 12:30 is text", {
  brief <- read_brief(brief_folder(paste0(small_brief, "report:\n  title: no\n  words: 12:30\n")))
  expect_identical(brief$content$report, list(title = "no", words = "12:30"))
})

test_that("what is no YAML, twice there or not there says the line", {
  expect_snapshot({
    check_brief(brief_folder("brief: 1\ndata: {lines: a.csv\n"))
    check_brief(brief_folder("brief: 1\ndata:\n  lines: a\n  lines: b\n"))
    check_brief(brief_folder("# nothing\n"))
    check_brief(brief_folder("hello\n"))
  })
  expect_error(read_brief("nowhere.yaml"), class = "hinterfeld_error_file")
  path <- brief_folder()
  writeBin(c(charToRaw("title: "), as.raw(0xe4)), path)
  expect_error(read_brief(path), class = "hinterfeld_error_encoding")
  expect_snapshot(error = TRUE, read_brief(brief_folder(sub("day: day", "dya: day", small_brief))))
})

test_that("tags of the text are never run", {
  marker <- withr::local_tempfile()
  brief <- sub("sales.csv", sprintf("!expr file.create(\"%s\")", marker), small_brief)
  expect_gt(nrow(check_brief(brief_folder(brief))), 0)
  expect_false(file.exists(marker))
})

test_that("a brief that stands for too much, or is none, is refused at once", {
  with_text <- function(text) {
    path <- withr::local_tempfile(fileext = ".yaml", .local_envir = parent.frame())
    writeBin(if (is.raw(text)) text else charToRaw(text), path)
    path
  }
  bomb <- paste0("a0: &a0 [x, x]\n",
                 paste(sprintf("a%d: &a%d [%s]\n", 1:9, 1:9,
                               vapply(0:8, function(i) paste(rep(sprintf("*a%d", i), 9), collapse = ", "),
                                      "")), collapse = ""))
  started <- Sys.time()
  expect_error(read_brief(with_text(bomb)), "more than 20 times", class = "hinterfeld_error_brief")
  expect_error(read_brief(with_text(paste0("a: ", strrep("[", 500), strrep("]", 500), "\n"))), "nested more than 20",
               class = "hinterfeld_error_brief")
  expect_error(read_brief(with_text(paste0(small_brief, "---\nbrief: 1\n"))), "more than one YAML document",
               class = "hinterfeld_error_brief")
  expect_error(read_brief(with_text(c(charToRaw(small_brief), as.raw(0), charToRaw("tables: {}\n")))), "NUL byte",
               class = "hinterfeld_error_encoding")
  expect_error(read_brief(with_text(strrep("# much\n", 2e5))), "larger than", class = "hinterfeld_error_brief")
  expect_lt(as.numeric(Sys.time() - started, units = "secs"), 10)
  # What stands in quotes, and what is multiplied, is no repetition.
  expect_identical(read_brief(brief_folder(sub("revenue: revenue", "revenue: \"units *price\"",
                                               small_brief)))$content$daybook$revenue, "units *price")
  for (marked in c("---\n",
                   "# a brief\n\n---\n")) expect_s3_class(
                     read_brief(brief_folder(paste0(marked, small_brief, "...\n"))), "hinterfeld_brief"
                   )
  expect_error(read_brief(with_text(paste0(small_brief, "...\nmore: 1\n"))), "more than one YAML document")
})
