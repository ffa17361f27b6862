# A server of files, in a process of its own; every request is noted.
serve_files <- function(folder, env = parent.frame()) {
  port <- 20000 + sample(10000, 1)
  code <- sprintf("httpuv::runServer('127.0.0.1', %d, list(call = function(req) {
    cat(req$PATH_INFO, '\\n', file = file.path('%2$s', 'requests'), append = TRUE)
    file <- file.path('%2$s', utils::URLdecode(basename(req$PATH_INFO)))
    if (!file.exists(file)) return(list(status = 404L, headers = list(), body = 'no'))
    list(status = 200L, headers = list('Content-Type' = 'text/csv'), body = readBin(file, 'raw', file.size(file)))
  }))", port, folder)
  process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code), cleanup_tree = TRUE)
  withr::defer(process$kill(), env)
  address <- sprintf("http://127.0.0.1:%d/", port)
  for (i in 1:100) {
    if (!inherits(try(suppressWarnings(readLines(paste0(address, "requests"), warn = FALSE)), silent = TRUE),
                  "try-error")) break
    Sys.sleep(0.1)
  }
  address
}

requests <- function(folder, file) sum(grepl(file, readLines(file.path(folder, "requests")), fixed = TRUE))

test_that("an address is a source like a path, in R, in a brief and on the command line, and is fetched once a run", {
  path <- brief_folder()
  folder <- dirname(path)
  plain <- quiet(run_brief(path, into = file.path(folder, "plain")))
  tables <- function(into) lapply(list.files(file.path(folder, into), "csv$", full.names = TRUE), readLines)
  address <- serve_files(folder)
  file.copy(file.path(folder, "sales.csv"), file.path(folder, "may sales.csv"))
  lines <- quiet(load_table(paste0(address, "may%20sales.csv?year=2026")))
  expect_equal(as.data.frame(lines), as.data.frame(quiet(load_table(file.path(folder, "sales.csv")))),
               ignore_attr = TRUE)
  writeLines(sub("sales.csv", paste0(address, "sales.csv"), readLines(path), fixed = TRUE), path)
  expect_identical(nrow(check_brief(path)), 0L)
  before <- requests(folder, "sales.csv")
  record <- quiet(run_brief(path, into = file.path(folder, "fetched")))
  expect_identical(requests(folder, "sales.csv"), before + 1L)
  expect_identical(tables("fetched"), tables("plain"))
  own <- Filter(function(input) grepl("^http", input$file), record$inputs)[[1]]
  expect_identical(own[c("bytes", "xxh128")], plain$inputs[[2]][c("bytes", "xxh128")])
  # Nothing stays behind, and other lines there are noticed.
  expect_length(ls(hinterfeld:::fetched_files), 0)
  expect_message(run_brief(path, into = file.path(folder, "fetched")), "up to date")
  writeLines(readLines(file.path(folder, "sales.csv"))[-2], file.path(folder, "sales.csv"))
  quiet(run_brief(path, into = file.path(folder, "fetched")))
  expect_false(identical(tables("fetched"), tables("plain")))
  told <- run_cli("totals", paste0(address, "sales.csv"), "--by", "region", "--csv")
  expect_identical(told$stdout, run_cli("totals", file.path(folder, "sales.csv"), "--by", "region", "--csv")$stdout)
  expect_match(told$stderr, "Fetching http")
})

test_that("an address that gives nothing says why", {
  folder <- withr::local_tempdir()
  address <- serve_files(folder)
  expect_error(load_table(paste0(address, "lost.csv")), "cannot be fetched", class = "hinterfeld_error_file")
  expect_error(load_table("http://127.0.0.1:9/none.csv"), "cannot be fetched", class = "hinterfeld_error_file")
  path <- brief_folder(sub("sales.csv", paste0(address, "lost.csv"), small_brief, fixed = TRUE))
  problem <- check_brief(path)
  expect_match(problem$problem[1], "lost.csv\" cannot be fetched", fixed = TRUE)
  expect_match(problem$hint[1], "404")
})
