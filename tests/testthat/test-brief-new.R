test_that("a starter brief of the demo's files is in order, and says what was guessed", {
  folder <- withr::local_tempdir()
  file.copy(demo_files(), folder)
  files <- file.path(folder, c("order_lines.csv", "orders.csv", "products.csv", "towns.csv"))
  starter <- starter_brief(files, folder)
  # An editor finds the form of briefs by the first line.
  expect_true(file.exists(sub("^.*[$]schema=", "", starter[1])))
  expect_snapshot(writeLines(starter[-1]))
  writeLines(starter, file.path(folder, "new.yaml"))
  expect_identical(nrow(check_brief(file.path(folder, "new.yaml"))), 0L)
})

test_that("one file, odd names and no likely columns still make a brief", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "odd.csv")
  writeLines(c("when: date,the item,Net amount", "2026-03-02,Sieve,4"), path)
  starter <- starter_brief(path, folder)
  expect_true(any(grepl("day: \"when: date\"", starter, fixed = TRUE)))
  expect_true(any(grepl("revenue: \"`Net amount`\"", starter, fixed = TRUE)))
  writeLines(c("a,b", "x,y"), path)
  expect_true(any(grepl("revenue: a .*no column looks like it", starter_brief(path, folder))))
  dir.create(file.path(folder, "z", "q"), recursive = TRUE)
  away <- starter_brief(path, file.path(folder, "z", "q"))
  expect_true(any(grepl(paste0("../../", basename(path)), away, fixed = TRUE)))
})

# A starter brief that delivers its tables as CSV, and nothing else.
tables_only <- function(brief) {
  brief <- grep("^  (figures|workbook):", brief, value = TRUE, invert = TRUE)
  brief[seq_along(brief) < match("figures:", brief) | seq_along(brief) >= match("outputs:", brief)]
}

test_that("headings of several words and days as people write them make a brief that runs", {
  folder <- withr::local_tempdir()
  write <- function(days) {
    writeLines(c("Order Date,Product Name,Total (EUR)", sprintf("%s,%s,%d", days, c("Cup", "Jug"), 3:4)),
               file.path(folder, "lines.csv"))
    starter_brief(file.path(folder, "lines.csv"), folder)
  }
  job <- file.path(folder, "job.yaml")
  writeLines(brief <- write(c("15.01.2026", "02.02.2026")), job)
  expect_match(brief, "day_format: \"%d.%m.%Y\"  # CHECK: how the days are written$", all = FALSE)
  expect_identical(nrow(check_brief(job)), 0L)
  writeLines(tables_only(brief), job)
  quiet(run_brief(job))
  expect_identical(utils::read.csv(file.path(folder, "job-out", "monthly_revenue.csv"))$revenue, c(3, 4, 7))
  writeLines("Order Date,Product Name,Total (EUR)", empty <- file.path(folder, "empty.csv"))
  expect_no_match(starter_brief(empty, folder), "day_format")
  # Both orders of day and month read these.
  expect_match(write(c("05/01/2026", "02/02/2026")), "\"%d/%m/%Y\".*; it could also be %m/%d/%Y", all = FALSE)
  writeLines(gsub("\"?`\"?", "", brief), job)
  expect_match(check_brief(job)$hint, "put its name in backticks: '`Total (EUR)`'.", fixed = TRUE)
})

test_that("what comes from data stays what it is in a starter brief", {
  folder <- withr::local_tempdir()
  names <- c("day\nrestrict: [{keep: 'revenue < 0'}]", "product\u2028x", "revenue", "a: b # c", "\u0085y")
  rows <- rbind(names, c("2026-01-01", "cell\u2028restrict:\u0085- keep: FALSE", "1", "\"x\"", "z"))
  quote <- function(x) paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\"")
  writeLines(enc2utf8(apply(rows, 1, function(row) paste(quote(row), collapse = ","))), file.path(folder, "sales.csv"),
             useBytes = TRUE)
  brief <- starter_brief(file.path(folder, "sales.csv"), folder)
  expect_false(any(grepl("[\u0085\u2028]|\n", brief)))
  writeLines(enc2utf8(brief), file.path(folder, "job.yaml"), useBytes = TRUE)
  content <- yaml::read_yaml(file.path(folder, "job.yaml"))
  expect_null(content$restrict)
  expect_true(content$daybook$day %in% names)
  expect_identical(content$daybook$product, names[2])
})

test_that("a folder and the tables of a database make a brief that is in order", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "sales"))
  writeLines(small_sales, file.path(folder, "sales", "a.csv"))
  brief <- file.path(folder, "job.yaml")
  writeLines(starter_brief(file.path(folder, "sales"), folder), brief)
  expect_match(readLines(brief), "^  lines: sales/$", all = FALSE)
  expect_identical(nrow(check_brief(brief)), 0L)
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  DBI::dbWriteTable(con, "sales", as.data.frame(load_table(file.path(folder, "sales"), types = c(day = "text"))))
  DBI::dbWriteTable(con, "places", data.frame(region = c("Vale", "Highfen"), island = "main"))
  DBI::dbDisconnect(con)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  writeLines(starter_brief(c("sales", "places"), folder, database = "SHOP"), brief)
  expect_match(readLines(brief), "lines: {database: SHOP, table: sales}", fixed = TRUE, all = FALSE)
  expect_identical(nrow(check_brief(brief)), 0L)
  writeLines(tables_only(readLines(brief)), brief)
  quiet(run_brief(brief))
  expect_true(file.exists(file.path(folder, "job-out", "daily_product_revenue.csv")))
})
