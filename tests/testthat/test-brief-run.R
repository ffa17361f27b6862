test_that("tables equal those of the functions, and a second run does nothing", {
  path <- brief_folder()
  expect_snapshot(run <- run_brief(path), transform = function(lines) gsub("\".*/", "\"", lines))
  out <- file.path(dirname(path), "out")
  expect_setequal(list.files(out), c("regions.csv", "run.json"))
  sales <- load_table(file.path(dirname(path), "sales.csv"))
  book <- keep_lines(daybook(sales, day, revenue, product), status == "paid", "paid orders")
  by_hand <- deliver(add_share(totals(book, by = region)), file.path(dirname(path), "hand.csv"))
  expect_identical(readLines(file.path(out, "regions.csv")), readLines(by_hand))
  expect_identical(run$lines, list(read = 5, kept = 4, left_out = 1, unclear = 0, set_aside = 0))
  expect_message(again <- run_brief(path), class = "hinterfeld_message_unchanged")
  expect_identical(again$outputs[[1]]$sha256, run$outputs[[1]]$sha256)
  # Forced, it makes the same bytes; changed data or outputs make it run.
  forced <- quiet(run_brief(path, again = TRUE))
  expect_identical(forced$outputs, run$outputs)
  cat("2026-03-09,Sieve,Vale,paid,1.00\n", file = file.path(dirname(path), "sales.csv"), append = TRUE)
  expect_identical(quiet(run_brief(path))$lines$kept, 5)
  # What somebody has changed is not reverted without a word.
  writeLines("tampered", file.path(out, "regions.csv"))
  expect_error(quiet(run_brief(path)), class = "hinterfeld_error_run")
  expect_identical(readLines(file.path(out, "regions.csv")), "tampered")
  unlink(file.path(out, "regions.csv"))
  quiet(run_brief(path))
  expect_match(readLines(file.path(out, "regions.csv"))[1], "region")
})

test_that("the record tells inputs, steps and outputs", {
  path <- brief_folder()
  quiet(run_brief(path))
  folder <- dirname(path)
  record <- jsonlite::read_json(file.path(folder, "out", "run.json"))
  expect_identical(vapply(record$inputs, function(input) input$file, ""), c("job.yaml", "sales.csv"))
  expect_identical(record$inputs[[2]]$xxh128, rlang::hash_file(file.path(folder, "sales.csv")))
  expect_identical(record$inputs[[2]]$bytes, nchar(small_sales))
  expect_identical(record$outputs[[1]][c("file", "rows")], list(file = "regions.csv", rows = 3L))
  expect_identical(record$audit[[3]]$why, "paid orders")
  expect_identical(record$audit[[3]]$revenue_after, 53.25)
  # A copy of the process hashes much output.
  files <- c(withr::local_tempfile(lines = rep(strrep("x", 1e5), 101)), path)
  expect_identical(vapply(hinterfeld:::output_records(files, NULL), `[[`, "", "sha256"),
                   vapply(files, digest::digest, "", algo = "sha256", file = TRUE, USE.NAMES = FALSE))
})

test_that("a failed run names the part and leaves the former output whole", {
  path <- brief_folder()
  quiet(run_brief(path))
  out <- file.path(dirname(path), "out")
  before <- tools::md5sum(list.files(out, full.names = TRUE))
  # Text among numbers is no mistake that a heading could show.
  writeLines(sub("      - share:", "      - share: {name: share}\n      - share: {name: share}", small_brief,
                 fixed = TRUE), path)
  expect_snapshot(error = TRUE, quiet(run_brief(path)),
                  transform = function(lines) gsub("\".*/out\"", "\"out\"", lines))
  expect_identical(tools::md5sum(list.files(out, full.names = TRUE)), before)
  expect_identical(list.files(dirname(path), all.files = TRUE, pattern = "part"), character())
})

test_that("a run whose files change, or get another beside them, gives nothing", {
  path <- brief_folder(sub("sales.csv", "sales", small_brief, fixed = TRUE))
  folder <- file.path(dirname(path), "sales")
  dir.create(folder)
  for (name in c("a.csv", "b.csv")) {
    file.copy(file.path(dirname(path), "sales.csv"), file.path(folder, "a.csv"))
    write_it <- function(cnd) {
      if (grepl("^Table", conditionMessage(cnd))) writeLines(small_sales, file.path(folder, name))
      invokeRestart("muffleMessage")
    }
    expect_error(withCallingHandlers(run_brief(path), message = write_it), "[ab].csv\" changed while the brief ran",
                 class = "hinterfeld_error_run")
    expect_false(dir.exists(file.path(dirname(path), "out")))
  }
})

test_that("files that no run has made stay, and are not written over", {
  path <- brief_folder()
  out <- file.path(dirname(path), "out")
  dir.create(file.path(out, "deep"), recursive = TRUE)
  writeLines("note", file.path(out, "deep", "note.txt"))
  quiet(run_brief(path))
  expect_identical(readLines(file.path(out, "deep", "note.txt")), "note")
  # A table that is no longer asked for goes; its neighbour stays.
  writeLines(sub("  regions:", "  areas:", small_brief, fixed = TRUE), path)
  quiet(run_brief(path))
  expect_setequal(list.files(out), c("areas.csv", "deep", "run.json"))
  writeLines("mine", file.path(out, "towns.csv"))
  writeLines(sub("  regions:", "  towns:", small_brief, fixed = TRUE), path)
  expect_error(quiet(run_brief(path)), class = "hinterfeld_error_run")
  expect_identical(readLines(file.path(out, "towns.csv")), "mine")
})

test_that("a run killed at any moment leaves the former output, whole, or the new one", {
  path <- brief_folder(sub("  folder: out", "  folder: out\n  tables: [csv, json, md, xlsx]", small_brief,
                           fixed = TRUE))
  folder <- dirname(path)
  out <- file.path(folder, "out")
  quiet(run_brief(path))
  whole <- function() {
    record <- jsonlite::read_json(file.path(out, "run.json"))
    files <- vapply(record$outputs, function(output) output$file, "")
    sums <- vapply(record$outputs, function(output) output$sha256, "")
    found <- vapply(file.path(out, files), function(file) digest::digest(file = file, algo = "sha256"), "",
                    USE.NAMES = FALSE)
    identical(found, sums) && setequal(list.files(out), c(files, "run.json"))
  }
  expect_true(whole())
  withr::local_seed(20)
  # Each run writes other bytes, and is killed at a moment between its start and its end.
  code <- paste("library(hinterfeld); cat('ready\n');",
                "for (i in 1:1000) suppressMessages(run_brief(commandArgs(TRUE)[1], again = TRUE))")
  for (i in seq_len(rounds(2, 8))) {
    cat(sprintf("2026-03-%02d,Sieve,Vale,paid,%d.00\n", i, i), file = file.path(folder, "sales.csv"), append = TRUE)
    process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code, path), stdout = "|",
                                     env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
    process$poll_io(20000)
    Sys.sleep(stats::runif(1, 0, 0.6))
    process$kill()
    process$wait()
    expect_true(whole())
  }
  # What the killed ones left is cleared away by the next.
  quiet(run_brief(path, again = TRUE))
  expect_identical(list.files(folder, all.files = TRUE, pattern = "part"), character())
})
