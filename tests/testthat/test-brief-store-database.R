# A table of sales that changes, and a brief that keeps its parts.
kept_table <- function(con, folder, n = 120) {
  lines <- part_lines(1, n)
  lines$price <- as.numeric(replace(lines$price, lines$price == "?", "1.00"))
  lines$day <- as.character(as.Date("2025-11-18") + seq_len(n) %% 6)
  lines$product[is.na(lines$product)] <- "Bowl"
  lines$id <- seq_len(n) + 40
  lines$touched <- "2026-04-01 10:00:00"
  DBI::dbWriteTable(con, "sales", lines, row.names = FALSE)
}

# Lines come, change and go; `touch` marks a change where the database does not, each later than the one before.
play_change <- function(con, kind, touch) {
  run <- function(...) DBI::dbExecute(con, sprintf(...))
  days <- DBI::dbGetQuery(con, "SELECT DISTINCT day FROM sales ORDER BY day")$day
  day <- sample(days, 1)
  last <- DBI::dbGetQuery(con, "SELECT max(touched) AS last FROM sales")$last
  mark <- if (touch) sprintf(", touched = '%s'", format(as.POSIXct(last, tz = "UTC") + 60)) else ""
  switch(kind,
    new = run("INSERT INTO sales SELECT ticket, '2026-05-%02d', product, price, pieces, shop, status, id + 1000, touched
              FROM sales WHERE id %% 17 = 1", sample(28, 1)),
    product = run("UPDATE sales SET product = CASE product WHEN 'Cup' THEN 'Jug' ELSE 'Cup' END%s WHERE day = '%s'",
                  mark, day),
    swap = run("UPDATE sales SET pieces = pieces + CASE WHEN id %% 2 = 0 THEN 1 ELSE -1 END%s WHERE pieces > 1", mark),
    less = run("DELETE FROM sales WHERE day = '%s'", day),
    moved = run("UPDATE sales SET day = '%s'%s WHERE id IN (SELECT id FROM sales ORDER BY id LIMIT 2)", day, mark),
    shop = writeLines(sub("Vale", "Highfen", readLines("shops.csv")), "shops.csv"),
    nothing = NULL
  )
}

# Some changes, one after another; in CI more of them.
expect_changes_kept <- function(con, folder, touch, kinds) {
  withr::local_dir(folder)
  first <- expect_as_fresh(folder)
  any_kind <- c("nothing", "new", "product", "swap", "less", "moved", "shop")
  for (kind in c(kinds, sample(any_kind, rounds(0, 4), TRUE))) {
    play_change(con, kind, touch)
    said <- expect_as_fresh(folder)
    if (kind == "nothing") testthat::expect_match(said, "kept, 0 to read", all = FALSE)
    if (kind == "less" && any(grepl("are days of", said))) testthat::expect_match(said, "gone and no longer",
                                                                                  all = FALSE)
  }
  first
}

test_that("days of a table are kept, and what changed is read again", {
  folder <- stored_brief(lines = "{database: SHOP, table: sales, changed: touched}")
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  withr::defer(DBI::dbDisconnect(con))
  kept_table(con, folder)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  withr::local_seed(3)
  first <- expect_changes_kept(con, folder, TRUE, c("nothing", c("new", "swap", "less")[some_of(3, 1)]))
  expect_match(first,
               "parts of sales are days of `day`, each recognised by its row count, its sums and its latest `touched`",
               all = FALSE)
  # Ranges of numbers, those below 0 too, and lines without one.
  DBI::dbExecute(con, "UPDATE sales SET id = NULL WHERE id % 31 = 0")
  DBI::dbExecute(con, "UPDATE sales SET id = 20 - id WHERE id % 3 = 0")
  job <- file.path(folder, "job.yaml")
  writeLines(sub("changed: touched", "changed: touched, parts: {id: 50}", readLines(job), fixed = TRUE), job)
  said <- expect_changes_kept(con, folder, TRUE, "moved")
  expect_match(said, "ranges of 50 of `id`", all = FALSE)
})

test_that("versions of rows tell what changed in PostgreSQL, and products are looked at too", {
  skip_on_cran()
  server <- local_postgres()
  con <- connect_postgres(server)
  folder <- stored_brief(lines = "{database: SHOP, table: sales}")
  kept_table(con, folder)
  DBI::dbExecute(con, "ALTER TABLE sales ALTER day TYPE date USING day::date, ALTER price TYPE numeric(9, 2),
                       ALTER id TYPE bigint")
  withr::local_envvar(SHOP = server$address)
  withr::local_seed(4)
  job <- file.path(folder, "job.yaml")
  first <- expect_changes_kept(con, folder, FALSE, c("product", "moved")[some_of(2, 1)])
  expect_match(first, "recognised by the versions of its rows", all = FALSE)
  # The shops in the same database: a change of theirs changes all.
  DBI::dbWriteTable(con, "shops", utils::read.csv(file.path(folder, "shops.csv")), row.names = FALSE)
  writeLines(sub("table: shops.csv", "table: {database: SHOP, table: shops}", readLines(job), fixed = TRUE), job)
  expect_as_fresh(folder, "0 parts are kept")
  expect_as_fresh(folder, "kept, 0 to read")
  DBI::dbExecute(con, "UPDATE shops SET region = 'Vale' WHERE shop = 'Ebbwick'")
  expect_as_fresh(folder, "0 parts are kept")
  # Who watches sees that rows were written; the counts come a little later.
  seen <- watched_stamps(job)
  DBI::dbExecute(con, "UPDATE sales SET pieces = pieces + 1 WHERE id = 50")
  tries <- 0
  while (identical(watched_stamps(job), seen) && tries < 40) {
    Sys.sleep(0.25)
    tries <- tries + 1
  }
  expect_lt(tries, 40)
  if (thorough()) {
    # Written anew with the same lines.
    DBI::dbExecute(con, "VACUUM FULL sales")
    expect_as_fresh(folder, "0 parts are kept")
    writeLines(sub("table: sales", "table: sales, parts: {id: 30}", readLines(job), fixed = TRUE), job)
    said <- expect_changes_kept(con, folder, FALSE, "new")
    expect_match(said, "ranges of 30 of `id`", all = FALSE)
  }
})

test_that("rows of PostgreSQL are gone through again only when a transaction may have changed them", {
  skip_on_cran()
  server <- local_postgres()
  con <- connect_postgres(server)
  folder <- stored_brief()
  kept_table(con, folder)
  open <- function(known = NULL, changed = NULL) {
    source <- open_database_parts(con, "sales", rlang::quo(NULL), list(), c(id = 30), changed, known)
    source$close()
    source$listed
  }
  # Stamps that no row gives tell whether those that are known were taken. The server's own work may come between.
  taken <- function() {
    any(vapply(1:5, function(i) {
      known <- open()
      known$stamp[] <- "known"
      identical(open(known), known)
    }, NA))
  }
  expect_true(taken())
  known <- known_slots(lapply(slots_record(open()), function(x) x))
  expect_identical(known[c("slot", "n", "stamp")], open()[c("slot", "n", "stamp")])
  forged <- replace(open(), "stamp", list(rep("known", 4)))
  for (change in c("UPDATE sales SET pieces = pieces WHERE id = 50", "CHECKPOINT", "SET DateStyle TO german",
                   "CREATE TABLE other (n integer)")) {
    DBI::dbExecute(con, change)
    expect_false("known" %in% open(forged)$stamp)
    forged <- replace(open(), "stamp", list(rep("known", 4)))
  }
  # What a reader sees of such a table may hang on more than its rows.
  DBI::dbExecute(con, "ALTER TABLE sales ENABLE ROW LEVEL SECURITY")
  expect_false(taken())
  expect_null(open(changed = "touched")$moment)
  expect_null(slots_record(list(moment = "m", slot = c("1", "2 3"), n = c(1, 2), stamp = c("a", "b"))))
  expect_null(known_slots(list(moment = "m", slot = "1 2", n = "1", stamp = "a b")))
})

test_that("what cannot be kept is told, and a part of wrong lines is a part", {
  folder <- stored_brief(lines = "{database: SHOP, table: sales}")
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  withr::defer(DBI::dbDisconnect(con))
  lines <- part_lines(2, 40)
  lines$day <- rep(lines$day[1:5], 8)
  DBI::dbWriteTable(con, "sales", cbind(lines, touched = 1:40, bought = lines$day))
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  job <- file.path(folder, "job.yaml")
  put <- function(lines) writeLines(sub("lines: .*", paste("lines:", lines), readLines(job)), job)
  run <- function(into = "out", store = "kept") {
    run_brief(job, into = file.path(folder, into), store = file.path(folder, store))
  }
  put("{database: SHOP, table: sales, types: {price: text}}")
  expect_as_fresh(folder,
                  "No part of sales of SHOP is kept for the next run: no column tells when its lines last changed")
  put("{database: SHOP, table: 'SELECT *, day AS sold FROM sales', types: {price: text}, changed: touched}")
  DBI::dbExecute(con, "UPDATE sales SET day = 'soon' WHERE touched = 3")
  DBI::dbExecute(con, "UPDATE sales SET day = NULL WHERE touched = 4")
  # Set-aside lines are told by their part; the tables are those of all lines.
  quiet(run())
  quiet(run("fresh", "other"))
  expect_identical(unname(tools::md5sum(file.path(folder, "out", "set_aside.csv"))),
                   unname(tools::md5sum(file.path(folder, "fresh", "set_aside.csv"))))
  DBI::dbExecute(con, "UPDATE sales SET price = '5.00', touched = 500 WHERE touched = 3")
  quiet(run())
  quiet(run_brief(job, into = file.path(folder, "fresh"), again = TRUE))
  for (table in c("monthly.csv", "best.csv")) {
    expect_identical(readLines(file.path(folder, "out", table)), readLines(file.path(folder, "fresh", table)))
  }
  put("{database: SHOP, table: sales, changed: touched, parts: pieces}")
  expect_error(quiet(run()), "cannot divide the table by day", class = "hinterfeld_error_type")
  put("{database: SHOP, table: sales, changed: touched, parts: {pieces: 0}}")
  expect_error(quiet(run()), class = "hinterfeld_error_brief")
  put("{database: SHOP, table: sales, changed: touched}")
  DBI::dbExecute(con, "DELETE FROM sales")
  expect_error(quiet(run()), "\"sales\" has no lines", class = "hinterfeld_error_run")
})

test_that("a mistake in the columns that part a table is told when the brief is checked", {
  folder <- stored_brief(lines = "{database: SHOP, table: sales, parts: dya, changed: tuched}")
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  withr::defer(DBI::dbDisconnect(con))
  kept_table(con, folder)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  found <- check_brief(read_brief(file.path(folder, "job.yaml")))
  expect_identical(found$where, c("data > lines > parts", "data > lines > changed"))
  expect_match(found$hint, "Did you mean `(day|touched)`")
  job <- sub("table: shops.csv", "table: {database: SHOP, table: sales, changed: touched}",
             readLines(file.path(folder, "job.yaml")), fixed = TRUE)
  writeLines(sub(", parts: dya, changed: tuched", "", job), file.path(folder, "job.yaml"))
  found <- check_brief(read_brief(file.path(folder, "job.yaml")))
  expect_match(found$problem, "Only the sale lines can be divided into parts", all = FALSE)
})

if (thorough()) test_that("workers take the parts of a table in PostgreSQL, all as it was at one moment", {
  skip_on_cran()
  server <- local_postgres()
  con <- connect_postgres(server)
  folder <- stored_brief(lines = "{database: SHOP, table: sales}")
  job <- file.path(folder, "job.yaml")
  withr::local_envvar(SHOP = server$address)
  kept_table(con, folder)
  run <- function(workers, store = NULL) {
    record <- quiet(run_brief(job, into = file.path(folder, "out"), again = TRUE, workers = workers, store = store))
    record[c("lines", "audit", "headline", "outputs")]
  }
  alone <- run(NULL)
  # Lines that come while the workers read are not of this run.
  come <- FALSE
  withr::with_options(list(hinterfeld.block = 500), withCallingHandlers(
    run_brief(job, into = file.path(folder, "out"), again = TRUE, workers = 2, store = file.path(folder, "kept")),
    hinterfeld_message_progress = function(cnd) {
      if (!come && grepl("counted on", conditionMessage(cnd))) {
        come <<- DBI::dbExecute(con, "UPDATE sales SET pieces = pieces + 1") > 0
      }
      invokeRestart("muffleMessage")
    }
  )) |> quiet()
  expect_true(come)
  stored <- jsonlite::read_json(file.path(folder, "out", "run.json"))
  expect_identical(vapply(stored$outputs, function(x) x$sha256, ""), vapply(alone$outputs, function(x) x$sha256, ""))
  expect_said(folder, "0 parts are kept, 6 to read")
  # Numbers of lines without one, and what only one process can read.
  DBI::dbExecute(con, "UPDATE sales SET id = NULL WHERE id < 50")
  text <- readLines(job)
  writeLines(sub("table: sales", "table: sales, parts: {id: 30}", text, fixed = TRUE), job)
  expect_identical(run(1)$outputs, run(NULL)$outputs)
  query <- "table: 'SELECT ticket, day AS at, product, price, pieces, shop, status FROM sales'"
  writeLines(sub("day: day", "day: at", sub("table: sales", query, text, fixed = TRUE)), job)
  expect_identical(run(1)$outputs, run(NULL)$outputs)
  # What only one process can read.
  lite <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  kept_table(lite, folder)
  DBI::dbDisconnect(lite)
  writeLines(text, job)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  expect_message(run_brief(job, into = file.path(folder, "out"), again = TRUE, workers = 1),
                 "sales of SHOP is read by this process, without workers: only tables of PostgreSQL") |> quiet()
})
