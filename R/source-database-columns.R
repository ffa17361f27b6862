# The columns of a table in a database, and how each is asked for so that every value arrives as it was stored.

# A data frame with a row per column: name; of PostgreSQL also its own type, the digits and decimals that a number is
# declared with, whether this user may read it, and whether texts are the same only if their bytes are.
database_columns <- function(con, table, from, call) {
  # An error of a promise would come as another where a method is chosen by it.
  force(from)
  if (!inherits(con, "PqConnection")) {
    first <- asked_database(DBI::dbGetQuery(con, sprintf("SELECT * FROM %s WHERE 1 = 0", from)), table, call)
    return(data.frame(name = names(first), type = NA_character_, digits = NA_integer_, decimals = NA_integer_,
                      readable = TRUE, bytewise = FALSE))
  }
  if (is_query(table)) {
    result <- asked_database(DBI::dbSendQuery(con, sprintf("SELECT * FROM %s WHERE 1 = 0", from)), table, call)
    about <- DBI::dbColumnInfo(result)
    DBI::dbClearResult(result)
    types <- query_rows(con, sprintf("SELECT id::oid::regtype::text AS type FROM unnest(ARRAY[%s]::int8[])
                                   WITH ORDINALITY AS o(id, place) ORDER BY place",
                                  paste(sprintf("%.0f", as.double(about$.oid)), collapse = ",")), table, call)$type
    return(data.frame(name = about$name, type = types, digits = NA_integer_, decimals = NA_integer_, readable = TRUE,
                      bytewise = FALSE))
  }
  # A domain is asked for as the type under it. The modifier of a numeric holds its digits and decimals.
  columns <- query_rows(con, sprintf("
    SELECT a.attname::text AS name, coalesce(nullif(t.typbasetype, 0), t.oid)::regtype::text AS type,
      CASE WHEN a.atttypid = 'numeric'::regtype AND a.atttypmod <> -1
        THEN (((a.atttypmod - 4) >> 16) & 65535)::int END AS digits,
      CASE WHEN a.atttypid = 'numeric'::regtype AND a.atttypmod <> -1
        THEN ((((a.atttypmod - 4) & 2047) # 1024) - 1024)::int END AS decimals,
      has_column_privilege(a.attrelid, a.attnum, 'SELECT') AS readable,
      coalesce(o.collisdeterministic, true) AS bytewise
    FROM pg_catalog.pg_attribute a JOIN pg_catalog.pg_type t ON t.oid = a.atttypid
      LEFT JOIN pg_catalog.pg_collation o ON o.oid = a.attcollation
    WHERE a.attrelid = to_regclass(%s) AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum",
    DBI::dbQuoteString(con, from)), table, call)
  as.data.frame(columns)
}

# Whole numbers come as they are written, because they may have more digits than a double; times of day, lists and
# whatever else has no type in R are text too.
types_in_r <- c("smallint", "integer", "real", "double precision", "numeric", "money", "boolean", "text", "name",
                "character varying", "character", "date", "timestamp without time zone", "timestamp with time zone",
                "bytea")
day_types <- c("date", "timestamp without time zone", "timestamp with time zone")

# How each column is selected, by its name. `odd` columns hold values that have no number or day in R: they are text.
selected_sql <- function(con, columns, odd = character()) {
  sql <- vapply(columns$name, function(name) as.character(DBI::dbQuoteIdentifier(con, name)), "")
  as_text <- columns$name %in% odd | !is.na(columns$type) & !columns$type %in% types_in_r
  zoned <- as_text & columns$type %in% "timestamp with time zone"
  selected <- ifelse(columns$type %in% "money", sprintf("%s::numeric", sql), sql)
  selected <- ifelse(zoned, sprintf("%s AT TIME ZONE 'UTC'", sql), selected)
  selected <- ifelse(as_text, sprintf("CAST(%s AS text)", selected), selected)
  stats::setNames(ifelse(selected == sql, sql, paste(selected, "AS", sql)), columns$name)
}

# What is true of a value that R would have as another: a number of more than 15 digits, a day outside the years 1 to
# 9999. NULL if the column's type has no such value.
odd_sql <- function(con, column, sql, prototype = NULL) {
  if (column$type %in% day_types) {
    sprintf("(%1$s < '0001-01-01' OR %1$s >= '10000-01-01')", sql)
  } else if (column$type %in% "money" || column$type %in% "numeric" && !isTRUE(column$digits <= 15)) {
    sprintf("%1$s::numeric::float8::numeric IS DISTINCT FROM %1$s::numeric", sql)
  } else if (inherits(con, "SQLiteConnection") && is.numeric(prototype)) {
    sprintf("(typeof(%1$s) = 'integer' AND (%1$s >= 1000000000000000 OR %1$s <= -1000000000000000))", sql)
  }
}

# The aggregates, by column, that tell whether it holds such a value.
odd_columns_sql <- function(scan, names) {
  conditions <- lapply(stats::setNames(nm = names), function(name) {
    sql <- odd_sql(scan$con, scan$columns[scan$columns$name == name, ],
                   as.character(DBI::dbQuoteIdentifier(scan$con, name)), scan$prototype[[name]])
    if (!is.null(sql)) sprintf("max(CASE WHEN %s THEN 1 ELSE 0 END)", sql)
  })
  unlist(conditions)
}

# The scan with these columns as text.
with_odd <- function(scan, odd) {
  scan$select <- selected_sql(scan$con, scan$columns, odd)
  scan$prototype[odd] <- list(character())
  scan$odd <- odd
  scan
}

# `table` in its parts: shop.sales, or "my shop"."sales of ""2026""" with quotes where a part has a dot or a quote.
name_parts <- function(table) {
  parts_named <- regmatches(table, gregexpr("\"(?:[^\"]|\"\")*\"|[^.\"]+", table, perl = TRUE))[[1]]
  quoted <- startsWith(parts_named, "\"")
  if (!any(quoted) || !identical(paste(parts_named, collapse = "."), table)) {
    return(strsplit(table, ".", fixed = TRUE)[[1]])
  }
  ifelse(quoted, gsub("\"\"", "\"", substr(parts_named, 2, nchar(parts_named) - 1), fixed = TRUE), parts_named)
}

asked_database <- function(code, table, call) {
  tryCatch(code, error = function(cnd) {
    if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
    stop_because("database", sprintf("The database could not deliver %s.", quoted(table)),
                 x = gsub("\\s+", " ", conditionMessage(cnd)),
                 i = "Check that the server is running and the query is correct.", call = call)
  })
}

is_query <- function(text) {
  grepl("^\\s*(SELECT|WITH)\\b", text, ignore.case = TRUE)
}

# The answer to a query; the query is built first, because building it may fail.
query_rows <- function(con, sql, table, call) {
  force(sql)
  asked_database(DBI::dbGetQuery(con, sql), table, call)
}
