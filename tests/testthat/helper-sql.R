# The independent calculation: SQLite over the raw files, in integer arithmetic.

# A database with data frames as tables.
sql_database <- function(..., env = parent.frame()) {
  db <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(db), envir = env)
  tables <- list(...)
  for (name in names(tables)) DBI::dbWriteTable(db, name, tables[[name]])
  db
}

sql <- function(db, ...) {
  DBI::dbGetQuery(db, paste(...))
}

raw_table <- function(name) {
  utils::read.csv(demo_files()[[name]], colClasses = "character", na.strings = "", strip.white = FALSE)
}

# Completed sales of the demo with revenue in whole cents: a view `sales`. `lines` are those of its daybook.
demo_database <- function() {
  made_once("database", new_demo_database())
}

new_demo_database <- function() {
  db <- sql_database(
    orders = raw_table("orders"), order_lines = raw_table("order_lines"), products = raw_table("products"),
    lines = sql_lines(lines_of(kilnmoor_book())), env = globalenv()
  )
  DBI::dbExecute(db, "
    CREATE VIEW sales AS
    SELECT *, CASE WHEN quantity < 0 THEN -1 ELSE 1 END * ((abs(quantity) * cents * keep + 500) / 1000) AS units
    FROM (
      SELECT o.order_day AS day, o.status, o.channel, o.customer_id, o.region, o.town, o.order_id,
        p.product, p.category, p.subcategory, CAST(l.quantity AS INTEGER) AS quantity,
        CAST(replace(l.unit_price, '.', '') AS INTEGER) AS cents,
        CAST(round(1000 - 1000 * CAST(l.discount AS REAL)) AS INTEGER) AS keep
      FROM order_lines l JOIN orders o ON o.order_id = l.order_id JOIN products p ON p.product_id = l.product_id
      WHERE lower(trim(o.status)) IN ('delivered', 'collected')
        AND date(o.order_day, '+0 days') = o.order_day
        AND l.unit_price GLOB '[0-9]*' AND length(l.unit_price) < 15
    )")
  db
}
