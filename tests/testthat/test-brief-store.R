test_that("parts that come, change and go in any order give the bytes of a fresh run", {
  folder <- stored_brief(light = FALSE)
  withr::local_seed(11)
  write_part(folder, "a.csv", 1)
  write_part(folder, "c.csv", 2)
  expect_said(folder, "0 parts are kept, 2 to read")
  write_part(folder, "b.csv", 3)
  expect_said(folder, "2 parts are kept, 1 to read: \"b.csv\"")
  # From here on tables alone.
  brief <- file.path(folder, "job.yaml")
  writeLines(c(grep("^(figures|  trend|report|outputs):", readLines(brief), invert = TRUE, value = TRUE),
               "outputs: {tables: [csv, json]}"), brief)
  unlink(file.path(folder, "fresh"), recursive = TRUE)
  expect_said(folder, "3 parts are kept, 0 to read")
  expect_said(folder)
  unlink(file.path(folder, "sales", "a.csv"))
  expect_said(folder, "\"a.csv\" is gone")
  for (step in seq_len(rounds(0, 6))) {
    name <- sprintf("%s.csv", sample(letters[1:5], 1))
    path <- file.path(folder, "sales", name)
    if (file.exists(path) && length(list.files(dirname(path))) > 1 && stats::runif(1) < 0.4) unlink(path) else
      write_part(folder, name, 200 + step, sample(c(1, 5, 80), 1))
    expect_as_fresh(folder)
  }
  # The type of a column is told by all parts: here one of digits has a word.
  lines <- part_lines(77)
  lines$ticket <- 1:120
  utils::write.csv(lines, file.path(folder, "sales", "e.csv"), row.names = FALSE, na = "")
  expect_as_fresh(folder)
  unlink(setdiff(list.files(file.path(folder, "sales"), full.names = TRUE), file.path(folder, "sales", "e.csv")))
  expect_as_fresh(folder)
})

test_that("two files that hold the same are two parts, and one that is renamed is another", {
  folder <- stored_brief()
  sales <- function(name) file.path(folder, "sales", name)
  for (i in 1:2) write_part(folder, sprintf("%d.csv", i), i)
  expect_as_fresh(folder)
  file.copy(sales("1.csv"), sales("1 again.csv"))
  expect_said(folder, "2 parts are kept, 1 to read: \"1 again.csv\"")
  file.rename(sales("1.csv"), sales("3.csv"))
  expect_said(folder, "2 parts are kept, 1 to read: \"3.csv\"")
  unlink(sales("3.csv"))
  expect_as_fresh(folder, "\"3.csv\" is gone")
})

test_that("what a part was counted by is noticed, and only what it touches is counted anew", {
  folder <- stored_brief(tables = "  # more")
  brief <- file.path(folder, "job.yaml")
  for (i in 1:3) write_part(folder, sprintf("%d.csv", i), i)
  expect_as_fresh(folder)
  change <- function(from, to, file = brief) {
    text <- readLines(file)
    stopifnot(any(grepl(from, text, fixed = TRUE)))
    writeLines(sub(from, to, text, fixed = TRUE), file)
  }
  # A table of what is held already, then one that asks for more, and one that only seems to be of the same.
  change("  # more", "  again: {by: region, every: year}\n  # more")
  expect_said(folder, "3 parts are kept, 0 to read")
  change("  # more", "  shops: {by: [shop, product], measures: [revenue, {units: {count_lines: true}}]}\n  # more")
  expect_said(folder, "asks for more than was kept")
  change("  # more", "  pieces: {by: shop, measures: [units]}\n  # more")
  expect_said(folder, "asks for more than was kept")
  change("  # more", paste("  vale: {by: [region, product], every: month, keep: ['region == \"Vale\"'],",
                           "add: [{change: {}}]}"))
  expect_as_fresh(folder, "3 parts are kept, 0 to read")
  change("Gullhythe,Saltcoast", "Gullhythe,Vale", file.path(folder, "shops.csv"))
  expect_said(folder, "0 parts are kept, 3 to read")
  change("2025-11-20", "2025-12-01")
  expect_said(folder, "0 parts are kept, 3 to read")
  # A part that was only touched is the same, and one without a line that counts is one too.
  Sys.setFileTime(file.path(folder, "sales", "1.csv"), Sys.time() + 100)
  writeLines(c(readLines(file.path(folder, "sales", "1.csv"), 1), "T1,2025-12-05,Bowl,3,1,Oldkiln,open"),
             file.path(folder, "sales", "4.csv"))
  expect_said(folder, "3 parts are kept, 1 to read: \"4.csv\"")
  unlink(file.path(folder, "sales", "2.csv"))
  expect_as_fresh(folder, "\"2.csv\" is gone and no longer counted")
})

test_that("what two briefs need of the same parts is kept for both, and less than was kept is no reason to read", {
  folder <- stored_brief(tables = "  # more")
  brief <- file.path(folder, "job.yaml")
  for (i in 2:3) write_part(folder, sprintf("%d.csv", i), i)
  text <- readLines(brief)
  by_shop <- sub("  # more", "  shops: {by: [shop, product], every: day, measures: [units]}", text, fixed = TRUE)
  writeLines(by_shop, brief)
  expect_said(folder, "0 parts are kept, 2 to read")
  # Less is asked for, also of a part that comes before the others.
  write_part(folder, "1.csv", 1)
  writeLines(text, brief)
  expect_said(folder, "2 parts are kept, 1 to read: \"1.csv\"")
  # Another brief that needs other things of the same lines does not take away what this one needs.
  other <- file.path(folder, "other.yaml")
  writeLines(sub("  # more", "  status: {by: status, measures: [units]}", text, fixed = TRUE), other)
  again <- function(path) {
    said <- testthat::capture_messages(run_brief(path, into = paste0(path, "-again"), again = TRUE,
                                                 store = file.path(folder, "kept")))
    grep("kept", said, value = TRUE)
  }
  said <- again(other)
  expect_match(said, "asks for more than was kept", all = FALSE)
  said <- again(brief)
  expect_match(said, "3 parts are kept, 0 to read", all = FALSE)
  said <- again(other)
  expect_match(said, "3 parts are kept, 0 to read", all = FALSE)
  expect_said(folder)
})

test_that("parts of which no line is set aside are found again together", {
  folder <- stored_brief()
  for (i in 1:2) {
    lines <- transform(part_lines(i), price = i, product = "Bowl")
    utils::write.csv(lines, file.path(folder, "sales", sprintf("%d.csv", i)), row.names = FALSE, na = "")
  }
  expect_as_fresh(folder)
  write_part(folder, "3.csv", 3)
  expect_said(folder, "2 parts are kept, 1 to read")
  # A part without a line that counts is kept too.
  utils::write.csv(transform(part_lines(4, 1), day = ""), file.path(folder, "sales", "4.csv"), row.names = FALSE)
  expect_said(folder, "3 parts are kept, 1 to read")
  unlink(file.path(folder, "sales", "3.csv"))
  expect_as_fresh(folder, "\"3.csv\" is gone")
})

test_that("kept files that are damaged, forged or of another form are read again", {
  folder <- stored_brief()
  for (i in 1:2) write_part(folder, sprintf("%d.csv", i), i)
  expect_as_fresh(folder)
  kept <- function() list.files(file.path(folder, "kept"), "[.]part$", full.names = TRUE)
  seed <- 100
  # Some of them here, all in CI.
  played <- some_of(7, 2)
  hurt <- function(change) {
    seed <<- seed + 1
    if (!(seed - 100) %in% played) return()
    for (path in kept()) {
      bytes <- change(readBin(path, "raw", file.size(path)))
      writeBin(bytes, path)
    }
    write_part(folder, "3.csv", seed)
    expect_said(folder, "0 parts are kept, 3 to read", hurt = TRUE)
  }
  # A hash that fits a body which was changed.
  signed <- function(body) c(body, digest::digest(body, "sha256", serialize = FALSE, raw = TRUE))
  hurt(function(bytes) utils::head(bytes, -40))
  hurt(function(bytes) replace(bytes, length(bytes) %/% 2, xor(bytes[length(bytes) %/% 2], as.raw(1))))
  hurt(function(bytes) replace(bytes, 17, as.raw(9)))
  hurt(function(bytes) signed(replace(utils::head(bytes, -32), 17, as.raw(9))))
  hurt(function(bytes) signed(utils::head(bytes, -200)))
  hurt(function(bytes) {
    size <- grepRaw("\"tallies\":\\{\"[0-9a-f]+\":\\[", bytes, value = TRUE)
    at <- grepRaw(size, bytes, fixed = TRUE) + length(size)
    signed(replace(utils::head(bytes, -32), at, charToRaw("9")))
  })
  hurt(function(bytes) raw())
  writeLines("{\"version\":1,\"files\":3}", file.path(folder, "kept", "index.json"))
  expect_as_fresh(folder)
  index <- file.path(folder, "kept", "index.json")
  sound <- readLines(index)
  texts <- c("not json", sub("xxh|hash|[0-9]{3}", "7", sound), strrep("[", 1e5), sub("^.", "[", sound), "")
  for (text in texts[some_of(5, 1)]) {
    writeLines(text, index)
    expect_as_fresh(folder)
  }
  expect_identical(nchar(readLines(index)), nchar(sound))
  unlink(index)
  dir.create(index)
  expect_as_fresh(folder)
  expect_message(run_brief(file.path(folder, "job.yaml"), store = file.path(folder, "kept"), again = TRUE),
                 "Some parts could not be kept")
})

test_that("a folder that cannot be kept in is refused, or the run goes on without", {
  folder <- stored_brief()
  write_part(folder, "1.csv", 1)
  brief <- file.path(folder, "job.yaml")
  writeLines("x", file.path(folder, "file"))
  expect_snapshot(run_brief(brief, store = file.path(folder, "file")), error = TRUE,
                  transform = function(x) gsub(folder, "FOLDER", x, fixed = TRUE))
  writeLines(c(readLines(brief), "store: ../elsewhere"), brief)
  expect_error(run_brief(brief), "is outside the brief's own folder", class = "hinterfeld_error_brief")
  # What it was called is answered with what it is called.
  writeLines(sub("^store:", "keep:", readLines(brief)), brief)
  expect_match(check_brief(brief)$hint, "It is called `store` now.", fixed = TRUE)
  expect_match(run_cli("run", brief, "--keep", "kept")$stderr, "--keep is called --store now", fixed = TRUE)
  expect_match(run_cli("keep", "kept")$stderr, "Did you mean \"store\"?", fixed = TRUE)
  expect_error(stored_parts(file.path(folder, "nowhere")), class = "hinterfeld_error_file")
})

test_that("kept parts are listed, and those that no brief uses are cleared", {
  folder <- stored_brief()
  for (i in 1:2) write_part(folder, sprintf("%d.csv", i), i)
  expect_as_fresh(folder)
  kept <- file.path(folder, "kept")
  expect_identical(sort(stored_parts(kept)$parts), c(1L, 1L, 2L))
  write_part(folder, "2.csv", 9)
  expect_as_fresh(folder)
  listed <- stored_parts(kept)
  expect_identical(sum(is.na(listed$brief)), 2L)
  expect_identical(nrow(stored_parts(kept, clear = TRUE)), 2L)
  expect_false(anyNA(stored_parts(kept)$brief))
  expect_said(folder)
  # Nobody clears it while a run uses it.
  run <- open_store(kept)
  said <- run_process("store", kept, "--clear")$stderr
  expect_match(said, "A run is using")
  close_store(run)
})

test_that("only what runs wrote into a store is removed from it, and only a store is cleared", {
  folder <- stored_brief()
  for (i in 1:2) write_part(folder, sprintf("%d.csv", i), i)
  expect_as_fresh(folder)
  write_part(folder, "2.csv", 9)
  expect_as_fresh(folder)
  kept <- file.path(folder, "kept")
  theirs <- file.path(kept, c("mine.part", "holiday.png", "plan.svg", "0a-1.part", "notes.txt"))
  writeLines("theirs", theirs[1])
  file.copy(theirs[1], theirs[-1])
  outside <- file.path(folder, "0a-1.part")
  writeLines("theirs", outside)
  # An index may be a stranger's, who names what is not of the store.
  index <- hinterfeld:::parsed_json(hinterfeld:::file_json(file.path(kept, "index.json"))$index)
  index$kept <- c(index$kept, "../0a-1.part", outside, "mine.part", "notes.txt", ".")
  text <- as.character(jsonlite::toJSON(index, auto_unbox = TRUE, null = "null", digits = NA))
  writeLines(jsonlite::toJSON(list(sha256 = hinterfeld:::sha256_text(text), index = text), auto_unbox = TRUE),
             file.path(kept, "index.json"))
  expect_identical(nrow(stored_parts(kept, clear = TRUE)), 2L)
  expect_true(all(file.exists(c(theirs, outside))))
  expect_said(folder)
  # A folder that never was a store, or whose index cannot be read.
  other <- withr::local_tempdir()
  files <- file.path(other, basename(theirs))
  file.copy(theirs, files)
  for (index in c(NA, "{}", "not JSON")) {
    if (!is.na(index)) writeLines(index, file.path(other, "index.json"))
    expect_error(stored_parts(other, clear = TRUE), "is not a store", class = "hinterfeld_error_file")
    expect_match(run_cli("store", other, "--clear")$stderr, "is not a\\s+store")
  }
  unlink(file.path(other, "index.json"))
  expect_error(run_brief(file.path(folder, "job.yaml"), store = other), "is a folder of other files, not a store")
  expect_setequal(list.files(other), basename(files))
})

test_that("a run that is killed at any step leaves what the next run gets right", {
  skip_on_os("windows")
  folder <- stored_brief()
  for (i in 1:2) write_part(folder, sprintf("%d.csv", i), i)
  # The steps are the writes: of each kept part, of all together, of the index. The process ends before the step, or
  # after half of its bytes.
  script <- file.path(folder, "killed.R")
  writeLines(c(
    "given <- commandArgs(TRUE)", "count <- 0", "plain <- hinterfeld:::write_bytes",
    "utils::assignInNamespace('write_bytes', function(bytes, path) {", "  count <<- count + 1",
    "  if (count == as.integer(given[2])) {",
    "    if (given[3] == 'half') writeBin(utils::head(bytes, length(bytes) / 2), path)",
    "    tools::pskill(Sys.getpid(), 9)", "  }", "  plain(bytes, path)", "}, 'hinterfeld')",
    "hinterfeld::run_brief(file.path(given[1], 'job.yaml'), into = file.path(given[1], 'out'),",
    "                      store = file.path(given[1], 'kept'))"
  ), script)
  for (kill in seq_len(rounds(1, 8))) {
    step <- (kill - 1) %% 4 + 1
    part <- c("half", "none")[(kill + (kill - 1) %/% 4) %% 2 + 1]
    end <- processx::run(file.path(R.home("bin"), "Rscript"), c(script, folder, step, part),
                         error_on_status = FALSE, env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
    expect_identical(end$status, -9L)
    expect_as_fresh(folder)
    write_part(folder, "2.csv", 300 + kill)
  }
})

test_that("days between two parts are ruled out by a condition as if all lines were read at once", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "sales"))
  for (year in c(2024, 2026)) {
    writeLines(c("day,product,revenue", sprintf("%d-%02d-05,a,%d", year, 1:12, 1:12)),
               file.path(folder, "sales", paste0(year, ".csv")))
  }
  brief <- file.path(folder, "job.yaml")
  writeLines(c("brief: 1", "data: {lines: sales/}", "daybook: {day: day, product: product, revenue: revenue}",
               "restrict: [{leave_out: year(day) == 2025, why: closed}]", "tables:",
               "  yearly: {every: year, add: [{change: {}}]}"), brief)
  yearly <- function(name, ...) {
    quiet(run_brief(brief, into = file.path(folder, name), ...))
    utils::read.csv(file.path(folder, name, "yearly.csv"))
  }
  fresh <- yearly("fresh")
  expect_identical(fresh$revenue_direction, c("unknown", "unknown"))
  expect_identical(yearly("stored", store = file.path(folder, "kept")), fresh)
  withr::local_options(hinterfeld.in_memory = 10)
  expect_identical(yearly("chunks"), fresh)
})
