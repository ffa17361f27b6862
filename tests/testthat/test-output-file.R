test_that("a disk that takes no more leaves every former file whole, in every format, and it is an error", {
  folder <- withr::local_tempdir()
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(c(
    "suppressPackageStartupMessages(library(hinterfeld))", "options(warn = -1)", sprintf("setwd('%s')", folder),
    "days <- as.Date('2024-01-01') + 0:999",
    "lines <- data.frame(day = days, product = sprintf('product %04d', 1:1000), revenue = (1:1000) / 100)",
    "book <- daybook(lines, day, revenue, product)",
    "t <- totals(book, by = product, every = 'day')",
    "figure <- figure_trend(totals(book, every = 'month'))",
    "refused <- function(cnd) 'refused'",
    "outcome <- function(code) {",
    "  tryCatch({ code; 'written' }, hinterfeld_error_file = refused, error = conditionMessage)",
    "}",
    "for (e in c('csv', 'tsv', 'json', 'md', 'parquet', 'xlsx')) cat(e, outcome(deliver(t, paste0('x.', e))), '\n')",
    "for (e in c('png', 'svg', 'pdf')) cat(e, outcome(deliver(figure, paste0('x.', e))), '\n')",
    "cat('tally', outcome(save_tally(tally_of(book, by = product, every = 'day'), 'x.tally')), '\n')",
    "cat('report', outcome(sales_report(book, 'x.html', sections = 'trend')), '\n')"
  ), script)
  kinds <- c("csv", "tsv", "json", "md", "parquet", "xlsx", "png", "svg", "pdf", "tally", "html")
  for (kind in kinds) writeLines("the former file", file.path(folder, paste0("x.", kind)))
  # No file may be larger than 2 048 bytes: writing past that fails as on a full disk.
  run <- processx::run("sh", c("-c", sprintf("trap '' XFSZ; ulimit -f 4; exec '%s' '%s'",
                                             file.path(R.home("bin"), "Rscript"), script)),
                       env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")), error_on_status = FALSE)
  told <- strsplit(trimws(strsplit(run$stdout, "\n")[[1]]), " ")
  expect_identical(vapply(told, function(x) x[1], ""), c(setdiff(kinds, "html"), "report"))
  expect_identical(vapply(told, function(x) x[2], ""), rep("refused", 11))
  expect_identical(unlist(lapply(file.path(folder, paste0("x.", kinds)), readLines)), rep("the former file", 11))
  expect_length(setdiff(list.files(folder, all.files = TRUE, no.. = TRUE), paste0("x.", kinds)), 0)
})

test_that("a brief whose outputs do not fit fails and leaves its folder as it was", {
  many <- paste0("day,product,region,status,revenue\n",
                 paste(sprintf("2026-03-02,product %04d,Vale,paid,1.00\n", 1:400), collapse = ""))
  path <- brief_folder(sub("by: region", "by: [region, product]", small_brief, fixed = TRUE), many)
  quiet(run_brief(path))
  out <- file.path(dirname(path), "out")
  before <- tools::md5sum(list.files(out, full.names = TRUE))
  cat("2026-03-03,one more,Vale,paid,1.00\n", file = file.path(dirname(path), "sales.csv"), append = TRUE)
  run <- processx::run("sh", c("-c", sprintf("trap '' XFSZ; ulimit -f 4; exec '%s' '%s' run '%s'",
                                             file.path(R.home("bin"), "Rscript"),
                                             system.file("cli", "hinterfeld", package = "hinterfeld"), path)),
                       env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")), error_on_status = FALSE)
  expect_identical(run$status, 1L)
  expect_match(run$stderr, "regions.csv\" could not be written")
  expect_identical(tools::md5sum(list.files(out, full.names = TRUE)), before)
})

test_that("standard output that takes nothing is an error", {
  skip_if_not(file.exists("/dev/full"))
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(small_sales, file, sep = "")
  run <- processx::run("sh",
                       c("-c", sprintf("'%s' '%s' totals '%s' --csv > /dev/full", file.path(R.home("bin"), "Rscript"),
                                             system.file("cli", "hinterfeld", package = "hinterfeld"), file)),
                       env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")), error_on_status = FALSE)
  expect_identical(run$status, 1L)
  expect_match(run$stderr, "Could not write to standard output")
})

test_that("what has nothing to do with the disk is told as it is", {
  figure <- figure_trend(totals(a_book(day = as.Date("2026-01-01") + 0:99),
                                every = "month")) + ggplot2::geom_point(ggplot2::aes(x = nowhere))
  cnd <- tryCatch(deliver(figure, withr::local_tempfile(fileext = ".png")), error = identity)
  expect_s3_class(cnd, "hinterfeld_error_file")
  expect_match(conditionMessage(cnd), "nowhere|could not be written")
  expect_false(any(grepl("Make room", conditionMessage(cnd))))
})

test_that("cut files are told by their ends", {
  t <- totals(a_book(), by = product)
  for (ending in c(".parquet", ".xlsx")) {
    path <- deliver(t, withr::local_tempfile(fileext = ending))
    expect_no_error(load_table(path))
    bytes <- readBin(path, "raw", file.size(path))
    writeBin(utils::head(bytes, -5), path)
    expect_error(load_table(path), class = "hinterfeld_error_file")
  }
})

test_that("a file keeps its rights, a link its place, and nothing but a file is written over", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  t <- data.frame(a = 1)
  writeLines("former", "own.csv")
  Sys.chmod("own.csv", "0600", use_umask = FALSE)
  deliver(t, "own.csv")
  expect_identical(format(file.mode("own.csv")), "600")
  dir.create("far")
  for (to in c("far/there.csv", "far/not-yet.csv")) {
    if (grepl("there", to)) writeLines("former", to)
    unlink("link.csv")
    file.symlink(to, "link.csv")
    file.symlink("link.csv", "again.csv")
    deliver(t, "again.csv")
    expect_identical(Sys.readlink("link.csv"), to)
    expect_identical(readLines(to), c("a", "1"))
    unlink("again.csv")
  }
  file.symlink("round.csv", "round.csv")
  dir.create("folder.csv")
  processx::run("mkfifo", "pipe.csv")
  for (path in c("round.csv", "folder.csv", "pipe.csv")) {
    expect_no_warning(expect_snapshot(error = TRUE, deliver(t, path)))
  }
  expect_identical(Sys.readlink("round.csv"), "round.csv")
  expect_true(file.exists("pipe.csv"))
})

test_that("a run's outputs keep the rights that were given to them", {
  path <- brief_folder()
  quiet(run_brief(path))
  out <- file.path(dirname(path), "out")
  of <- file.path(out, list.files(out, "[.]csv$"))
  Sys.chmod(of, "0600", use_umask = FALSE)
  quiet(run_brief(path))
  expect_identical(unique(format(file.mode(of))), "600")
})
