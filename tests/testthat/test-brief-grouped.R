# Orders, lines and items with difficulties, in a database whose numbers are exact.
fill_shop <- function(con, seed, lines = 400) {
  withr::local_seed(seed)
  n <- 250
  orders <- data.frame(order_id = seq_len(n), day = as.character(as.Date("2025-01-01") + sample(500, n, TRUE)),
                       status = sample(c("paid", "Paid ", "open", NA, "", "p\u00e9nding"), n, TRUE))
  orders$day[c(3, 9)] <- c("soon", NA)
  sales <- data.frame(
    order_id = sample(c(1:(n - 10), n + 1:3, NA), lines, TRUE),
    item = sample(c(letters[1:9], NA, "", " "), lines, TRUE), quantity = sample(c(-2:9, NA), lines, TRUE),
    unit_price = sample(c(round(stats::runif(30, 0, 90), 2), NA), lines, TRUE),
    discount = sample(c(0, 0.05, 0.125, 0.25, 0.99), lines, TRUE),
    place = sample(c("Vale", "vale", "Highfen"), lines, TRUE)
  )
  sales[c(7, 8), ] <- NA
  items <- data.frame(item = letters[1:10], category = sample(c("A", "B"), 10, TRUE),
                      name = c("Bowl", "Bowl", "Cup", "Jug", "Mug", "Pot", "Tile", "Vase", "Wheel", "Kiln"))
  types <- list(sales = c(order_id = "int4", item = "text", quantity = "int4", unit_price = "numeric(12,2)",
                          discount = "numeric(5,3)", place = "varchar"),
                orders = c(order_id = "int4", day = "text", status = "text"), items = NULL)
  tables <- list(sales = sales, orders = orders, items = items)
  for (name in names(tables)) {
    DBI::dbWriteTable(con, name, tables[[name]], overwrite = TRUE, field.types = types[[name]])
  }
  items
}

shop_brief <- function(folder, ..., items = "{database: SHOP, table: items}") {
  path <- file.path(folder, "shop.yaml")
  changed <- list(...)
  writeLines(c(
    "brief: 1", "data:", "  lines: {database: SHOP, table: sales}", "  attach:",
    "    - {table: {database: SHOP, table: orders}, by: order_id, need: any}",
    sprintf("    - {table: %s, by: item, need: any}", items),
    sprintf("daybook: {day: day, product: name, revenue: '%s', units: quantity, order: order_id, %s}",
            changed$revenue %||% "unit_price", changed$daybook %||% "on_bad: set_aside"),
    "restrict:", sprintf("  - {keep: '%s', why: counted}", changed$keep %||% "reads_as(status, \"paid\", \"open\")"),
    "tables:", "  daily: {by: product, every: day, measures: [revenue, units, lines]}",
    "  monthly:", "    by: [category, place]", "    every: month", "    subtotals: true",
    "    add: [{change: {versus: period_before}}, {share: {}}]", "    measures:", "      - revenue",
    "      - {mean: {mean_of: revenue}}", "      - {low: {smallest_of: revenue}}",
    "      - {high: {largest_of: units}}",
    "      - {best: {largest_of: revenue, per: day}}", "      - {orders: {count_distinct: order}}",
    "      - {price: {ratio_of: revenue, to: units}}", "      - {a: {mean_of: units, where: 'category == \"A\"'}}",
    sprintf("      - {more: %s}", changed$more %||% "{median_of: revenue, per: order}"),
    "  grid:", "    by: [category, product]", "    leave_out: ['product == \"Cup\"']",
    "    crosstab: {rows: product, columns: category}",
    "outputs: {tables: [csv, json]}"
  ), path)
  if (isTRUE(changed$without_orders)) {
    text <- sub(", order: order_id", "", readLines(path), fixed = TRUE)
    writeLines(text[!grepl("count_distinct: order|per: order", text)], path)
  }
  path
}

# A run that groups whatever it can: its record, and what was said of that.
run_there <- function(path) {
  withr::local_options(hinterfeld.grouped = TRUE)
  said <- character()
  record <- withCallingHandlers(run_brief(path, into = file.path(dirname(path), "there"), again = TRUE),
                                hinterfeld_message = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleMessage")
  })
  list(record = record, said = grep("Grouping .* in the database|are fetched", said, value = TRUE))
}

# Is what is grouped that which is fetched?
expect_same_run <- function(path) {
  run <- run_there(path)
  expect_match(run$said, "in the database", all = FALSE)
  expect_no_match(run$said, "are fetched")
  there <- run$record
  withr::local_options(hinterfeld.grouped = FALSE)
  here <- quiet(run_brief(path, into = file.path(dirname(path), "here"), again = TRUE))
  expect_identical(there$lines, here$lines)
  expect_identical(there$audit[names(there$audit) != "why"], here$audit[names(here$audit) != "why"])
  expect_identical(sub(", grouped in the database", "", there$audit$why), here$audit$why)
  expect_match(there$audit$why[1], "grouped in the database")
  hashes <- lapply(list(there, here), function(run) {
    vapply(run$outputs, function(output) paste(output$file, output$sha256), "")
  })
  expect_identical(hashes[[1]], hashes[[2]])
}

test_that("lines that a database groups give the bytes of lines that are fetched", {
  server <- local_postgres()
  con <- connect_postgres(server)
  withr::local_envvar(SHOP = server$address, TZ = "UTC")
  folder <- withr::local_tempdir()
  for (seed in seeds(1, 1, 2)) {
    items <- fill_shop(con, seed)
    utils::write.csv(items, file.path(folder, "items.csv"), row.names = FALSE)
    expect_same_run(shop_brief(folder))
    DBI::dbExecute(con, "UPDATE orders SET day = NULL WHERE day = 'soon'")
    DBI::dbExecute(con, "ALTER TABLE orders ALTER day TYPE date USING day::date")
    others <- list(
      list(daybook = "on_bad: set_aside, decimals: 4"), list(without_orders = TRUE),
      list(without_orders = TRUE, keep = "status != \"open\""),
      list(without_orders = TRUE, keep = "place == \"Vale\" | status == \"open\""),
      # A table that is attached here, by a key that the database groups by.
      list(items = "items.csv"),
      # Another amount with its decimals, and a condition on one that is not added up.
      list(daybook = "on_bad: set_aside, decimals: {discount: 3}", more = "{sum_of: discount}"),
      list(keep = "discount < 0.5 | status == \"p\u00e9nding\"")
    )
    for (other in others[some_of(7, 1)]) expect_same_run(rlang::exec(shop_brief, folder, !!!other))
    # Columns that are called as their roles.
    DBI::dbExecute(con, "ALTER TABLE sales RENAME quantity TO units")
    DBI::dbExecute(con, "ALTER TABLE sales RENAME unit_price TO revenue")
    path <- shop_brief(folder, revenue = "revenue")
    writeLines(sub("units: quantity", "units: units", readLines(path), fixed = TRUE), path)
    expect_same_run(path)
  }
})

# A table whose days are divided between two other databases.
divided_sales <- function(con, env = parent.frame()) {
  columns <- "(day date NOT NULL, product text, region text, revenue numeric(12, 2), units integer)"
  run <- function(con, ...) DBI::dbExecute(con, sprintf(...))
  run(con, "CREATE EXTENSION postgres_fdw")
  run(con, "CREATE TABLE sales %s PARTITION BY RANGE (day)", columns)
  cuts <- c("2025-01-01", "2025-07-01", "2026-01-01")
  for (i in 1:2) {
    other <- local_postgres(env)
    run(connect_postgres(other, env = env), "CREATE TABLE half %s", columns)
    run(con, "CREATE SERVER other_%d FOREIGN DATA WRAPPER postgres_fdw
        OPTIONS (host '127.0.0.1', port '%d', dbname '%s', async_capable 'true')", i, other$port, other$name)
    run(con, "CREATE USER MAPPING FOR tests SERVER other_%d OPTIONS (user 'tests', password 's3cret')", i)
    run(con, "CREATE FOREIGN TABLE sales_%d PARTITION OF sales FOR VALUES FROM ('%s') TO ('%s') SERVER other_%d
        OPTIONS (table_name 'half')", i, cuts[i], cuts[i + 1], i)
  }
  n <- 3000
  DBI::dbAppendTable(con, "sales", data.frame(
    day = as.Date("2025-01-01") + sample(0:364, n, TRUE), product = sample(c(letters[1:5], "", NA), n, TRUE),
    region = sample(c("Vale", "Highfen", NA), n, TRUE), revenue = sample(c(-500:9999, NA), n, TRUE) / 100,
    units = sample(1:9, n, TRUE)
  ))
  for (table in c("sales_1", "sales_2", "sales")) run(con, "ANALYZE %s", table)
  run(con, "CREATE TABLE whole AS SELECT * FROM sales")
}

test_that("a table that is divided between servers is grouped on them, at once, and known not to tell what changed", {
  server <- local_postgres()
  con <- connect_postgres(server)
  withr::local_envvar(SHOP = server$address, TZ = "UTC")
  withr::local_seed(41)
  divided_sales(con)
  folder <- withr::local_tempdir()
  job <- function(table) {
    path <- file.path(folder, "shop.yaml")
    writeLines(c("brief: 1", sprintf("data: {lines: {database: SHOP, table: %s}}", table),
                 "daybook: {day: day, product: product, revenue: revenue, units: units, on_bad: set_aside}", "tables:",
                 "  daily: {by: [product, region], every: day, measures: [revenue, units, lines]}",
                 "  best: {by: region, measures: [revenue, {best: {largest_of: revenue, per: day}}]}"), path)
    path
  }
  expect_same_run(job("sales"))
  outputs <- function(table) vapply(run_there(job(table))$record$outputs, function(output) output$sha256, "")
  expect_identical(outputs("sales"), outputs("whole"))
  asked <- new.env()
  ask <- all_rows
  # The plan of the question that is asked.
  utils::assignInNamespace("all_rows", function(con, sql, ...) {
    asked$plan <- DBI::dbGetQuery(con, paste("EXPLAIN (VERBOSE)", sql))[[1]]
    ask(con, sql, ...)
  }, "hinterfeld")
  withr::defer(utils::assignInNamespace("all_rows", ask, "hinterfeld"))
  run_there(job("sales"))
  expect_length(grep("Async Foreign Scan", asked$plan), 2)
  expect_length(grep("Remote SQL: SELECT .*sum.* GROUP BY", asked$plan), 2)
  expect_true(has_versions(con, "whole"))
  expect_false(has_versions(con, "sales"))
})

test_that("what the database cannot do exactly, or line by line, is fetched, and why is said", {
  server <- local_postgres()
  con <- connect_postgres(server)
  withr::local_envvar(SHOP = server$address, TZ = "UTC")
  folder <- withr::local_tempdir()
  fill_shop(con, 5)
  why <- function(pattern, ...) {
    said <- run_there(shop_brief(folder, ...))$said
    expect_match(grep("fetched", said, value = TRUE), pattern)
  }
  reasons <- list(
    list("looks at the revenue of each line", keep = "revenue > 0"),
    list("looks at the units of each line", keep = "units > 0"),
    list("every single value", more = "{median_of: revenue}"),
    list("computed line by line", more = "{sum_of: revenue - units}"),
    list("computed line by line", revenue = "quantity * unit_price"),
    list("more decimals than are kept", revenue = "discount"),
    list("does not name `discount`", more = "{sum_of: discount}"),
    list("added up in two ways", revenue = "quantity")
  )
  for (reason in reasons[some_of(8, 1)]) rlang::exec(why, !!!reason)
  DBI::dbExecute(con, "UPDATE sales SET unit_price = 'NaN' WHERE quantity = 3")
  why("is not a number")
  DBI::dbExecute(con, "ALTER TABLE sales ALTER unit_price TYPE numeric")
  why("is numeric; only an integer or a numeric of at most 15 digits")
  DBI::dbExecute(con, "ALTER TABLE sales ALTER unit_price TYPE double precision")
  why("is double precision; only")
  DBI::dbExecute(con, "UPDATE sales SET unit_price = 3 WHERE quantity = 3")
  DBI::dbExecute(con, "ALTER TABLE sales ALTER unit_price TYPE numeric(12,2)")
  DBI::dbExecute(con, "INSERT INTO items VALUES ('a', 'B', 'Bowl')")
  expect_error(quiet(run_brief(shop_brief(folder), into = file.path(folder, "none"))),
               class = "hinterfeld_error_run")
  # The transaction goes on after a question that failed.
  DBI::dbExecute(con, "DELETE FROM items WHERE ctid = (SELECT max(ctid) FROM items)")
  expect_same_run(shop_brief(folder))
  # Groups of a line or two are not worth it, unless they are asked for.
  brief <- shop_brief(folder)
  expect_message(expect_message(run_brief(brief, into = file.path(folder, "few")), "expects about"), "Table daily")
})

test_that("lines that fall out leave the days, the blanks and the keys of what is attached here as they are", {
  server <- local_postgres()
  con <- connect_postgres(server)
  withr::local_envvar(SHOP = server$address, TZ = "UTC")
  folder <- withr::local_tempdir()
  items <- fill_shop(con, 7)
  utils::write.csv(items, file.path(folder, "items.csv"), row.names = FALSE)
  DBI::dbExecute(con, "UPDATE orders SET day = NULL WHERE day = 'soon'")
  DBI::dbExecute(con, "ALTER TABLE orders ALTER day TYPE date USING day::date")
  # The first and the last day are those of lines that cannot be used, the next ones of lines that are left out.
  DBI::dbExecute(con, "INSERT INTO orders VALUES (901, '2020-01-01', 'open'), (902, '2030-01-01', 'open'),
                       (903, '2021-05-05', 'open'), (904, '2029-05-05', NULL)")
  DBI::dbExecute(con, "INSERT INTO sales VALUES (901, NULL, 1, 5, 0, 'Vale'), (902, 'a', NULL, 5, 0, 'Vale'),
                       (903, 'a', 1, 5, 0, 'Vale'), (904, 'b', 1, 5, 0, 'Vale')")
  conditions <- c("reads_as(status, \"paid\")", "is.na(status) | status == \"paid\"", "!is.na(status)")
  for (keep in conditions[some_of(3, 1)]) expect_same_run(shop_brief(folder, without_orders = TRUE, keep = keep))
  # The item is attached here, and is the product as well; or the product is a number.
  for (product in c("item", "order_id")[some_of(2, 1)]) {
    path <- shop_brief(folder, without_orders = TRUE, keep = conditions[2], items = "items.csv")
    writeLines(sub("product: name", paste("product:", product), readLines(path), fixed = TRUE), path)
    expect_same_run(path)
  }
})
