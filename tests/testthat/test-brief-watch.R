test_that("a watched brief runs again when its lines change, says what came, and goes on after a mistake", {
  path <- brief_folder()
  folder <- dirname(path)
  out <- file.path(folder, "out")
  lines <- readLines(file.path(folder, "sales.csv"))
  told <- character()
  looks <- 0
  # Before each look something happens to the lines.
  go_on <- function() {
    looks <<- looks + 1
    if (looks == 2) writeLines(c(lines, lines[2]), file.path(folder, "sales.csv"))
    if (looks == 3) writeLines(c(lines, "no,line"), file.path(folder, "sales.csv"))
    if (looks == 4) writeLines(c(lines, lines[2:3]), file.path(folder, "sales.csv"))
    looks < 5
  }
  quiet(watch_brief(path, out, function(again) run_brief(path, into = out, again = again),
                    function(lines) told <<- c(told, lines), seconds = 0.05, go_on = go_on))
  expect_match(told, "Watching", all = FALSE)
  expect_match(told, "Change in lines \\+1, in revenue \\+", all = FALSE)
  expect_match(told, "^hinterfeld: The run failed", all = FALSE)
  expect_match(utils::tail(told, 3), "lines \\+1,", all = FALSE)
  expect_match(told, "\"sales.csv\" is different", all = FALSE)
})

test_that("a database that is written to is noticed", {
  path <- brief_folder()
  folder <- dirname(path)
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "sales", utils::read.csv(file.path(folder, "sales.csv")))
  writeLines(sub("sales.csv", "{database: SHOP, table: sales}", readLines(path), fixed = TRUE), path)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  look <- function() watched_stamps(path)
  before <- look()
  expect_identical(look(), before)
  DBI::dbExecute(con, "DELETE FROM sales WHERE rowid = 1")
  Sys.sleep(0.05)
  expect_false(identical(look(), before))
})

test_that("a part that arrives during the first run, or just after it, is run too", {
  path <- brief_folder()
  folder <- dirname(path)
  lines <- readLines(file.path(folder, "sales.csv"))
  told <- character()
  runs <- 0
  run <- function(again) {
    runs <<- runs + 1
    # The first run finds its lines changed; right behind the second one more comes.
    if (runs == 1) {
      writeLines(c(lines, lines[2]), file.path(folder, "sales.csv"))
      stop_because("file", "sales.csv changed while the brief ran.")
    }
    record <- run_brief(path, again = again)
    if (runs == 2) writeLines(c(lines, lines[2:3]), file.path(folder, "sales.csv"))
    record
  }
  looks <- 0
  go_on <- function() (looks <<- looks + 1) < 5
  quiet(watch_brief(path, file.path(folder, "out"), run, function(lines) told <<- c(told, lines), 0.05, go_on))
  expect_identical(runs, 3)
  expect_match(told, "changed while the brief ran", all = FALSE)
  expect_equal(quiet(run_brief(path))$lines, quiet(run_brief(path, into = file.path(folder, "fresh")))$lines)
  expect_error(watch_brief(path, folder, function(again) stop_because("brief", "No brief."), identity), "No brief",
               class = "hinterfeld_error_brief")
})
