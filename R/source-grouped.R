# Lines that a database groups where they are: rows of equal keys come with how many lines they represent and with the
# sum, the smallest and the largest of each amount, in whole minor units. Nothing is asked of the database that it might
# see otherwise than R: keys are compared byte by byte, and amounts are exact as they are. What cannot be had so is
# refused by a condition of class "hinterfeld_ungrouped", and whoever asked fetches the lines.

stop_ungrouped <- function(...) {
  stop(structure(class = c("hinterfeld_ungrouped", "error", "condition"),
                 list(message = sprintf(...), call = NULL)))
}

text_types_sql <- c("text", "character varying")
key_types <- c("smallint", "integer", "bigint", "date", text_types_sql)

# A table of a database under an alias, with the types that the database has for its columns.
aliased_table <- function(con, table, alias, call = caller_env()) {
  if (DBI::dbGetInfo(con)$server.version < 130000) {
    stop_ungrouped("the server is too old to report the decimals of numbers.")
  }
  from <- query_source(con, table, call)
  columns <- database_columns(con, table, from, call)
  columns <- columns[columns$readable, ]
  if (nrow(query_rows(con, sprintf("SELECT 1 FROM %s LIMIT 1", from), table, call)) == 0) {
    stop_ungrouped("%s is empty.", table_short_name(table))
  }
  list(con = con, table = table, about = columns, name = table_short_name(table),
       from = paste(sub(" AS asked$", "", from), "AS", alias), alias = alias, names = columns$name,
       types = stats::setNames(columns$type, columns$name))
}

# A column, qualified; a blank text is none, as when it is read.
column_sql <- function(side, name) {
  column <- plain_column_sql(side, name)
  if (side$types[[name]] %in% text_types_sql) sprintf("nullif(%s COLLATE \"C\", '')", column) else column
}

# The column as it is, which other servers can group as well.
plain_column_sql <- function(side, name) {
  column <- sprintf("%s.%s", side$alias, DBI::dbQuoteIdentifier(side$con, name))
  bytewise <- side$about$bytewise[side$about$name == name]
  if (side$types[[name]] %in% text_types_sql && !bytewise) sprintf("%s COLLATE \"C\"", column) else column
}

# A column that is added up in the database: its declared type is exact, and has no more digits than a double shows nor
# more decimals than are `kept`, so that nothing is rounded on the way.
added_column <- function(side, name, kept) {
  about <- side$about[side$about$name %in% name, ]
  if (nrow(about) == 0) stop_ungrouped("`%s` is not a column of %s.", name, side$name)
  whole <- about$type %in% c("smallint", "integer")
  if (!whole && !isTRUE(about$type == "numeric" && about$digits <= 15)) {
    stop_ungrouped("`%s` is %s; only an integer or a numeric of at most 15 digits is added up there.", name, about$type)
  }
  decimals <- if (whole) 0L else about$decimals
  if (is.na(kept) && decimals > 0) stop_ungrouped("`decimals` does not name `%s`.", name)
  if (!is.na(kept) && decimals > kept) stop_ungrouped("`%s` has more decimals than are kept.", name)
  list(sql = sprintf("%s::numeric", column_sql(side, name)), decimals = if (is.na(kept)) 0L else kept)
}

# The lines grouped: `keys` and `amounts` by name, of which a line that is not blank has one; `extremes` asks for the
# smallest and largest amounts too. More than `most` groups, as the database expects them, are not worth it. Gives rows
# with keys, amounts in currency and how many lines each represents.
grouped_lines <- function(side, from, keys, amounts, extremes, odd, most = Inf, call = caller_env()) {
  con <- side$con
  k <- sprintf("k%d", seq_along(keys))
  a <- sprintf("a%d", seq_along(amounts))
  columns <- vapply(amounts, function(amount) amount$sql, "")
  inner <- paste(c(sprintf("%s AS %s", unlist(keys), k), sprintf("%s AS %s", columns, a),
                   sprintf("num_nonnulls(%s) > 0 AS g", paste(columns, collapse = ", "))), collapse = ", ")
  # The extremes are computed only where they are asked for.
  kinds <- if (extremes) c("sum", "min", "max") else "sum"
  units <- number_text(10^vapply(amounts, function(amount) as.double(amount$decimals), 0))
  sums <- sprintf("(%s(%s) * %s)::float8", kinds, rep(a, each = length(kinds)), rep(units, each = length(kinds)))
  sums <- sprintf("%s AS v%d", sums, seq_along(sums))
  flags <- c(k, sprintf("(%s IS NULL)", a), "g")
  asked <- paste(c(k, "count(*)::float8 AS times", "g", sums, paste(odd, "AS odd")), collapse = ", ")
  sql <- sprintf("SELECT %s FROM (SELECT %s FROM %s) AS the_lines GROUP BY %s", asked, inner, from,
                 paste(flags, collapse = ", "))
  expected <- if (is.finite(most)) expected_rows(con, sql, side$table, call) else 0
  if (expected > most) stop_ungrouped("the database expects about %s groups.", group_digits(expected))
  # Groups that fit into memory need no sorting on disk; the setting ends with the transaction.
  DBI::dbExecute(con, "SET LOCAL work_mem = '256MB'")
  # A table whose parts are on other servers is grouped there.
  DBI::dbExecute(con, "SET LOCAL enable_partitionwise_aggregate = on")
  rows <- all_rows(con, sql, side$table, call)
  if (any(rows$odd %in% TRUE)) stop_ungrouped("a column that is split by holds numbers or days that R would change.")
  n <- length(keys)
  values <- rows[n + 2 + seq_along(sums)]
  if (any(vapply(values, function(x) any(is.nan(x) | abs(x) >= 1e15, na.rm = TRUE), NA))) {
    stop_ungrouped("a sum has more digits than R can hold exactly, or is not a number.")
  }
  of <- function(which) {
    taken <- values[seq(which, length(values), length(kinds))]
    stats::setNames(lapply(unname(as.list(taken)), as.double), names(amounts))
  }
  currency <- Map(function(x, amount) from_minor(x, amount$decimals), of(1), amounts)
  grouped <- if (extremes) new_grouped(rows$times, of(2), of(3)) else new_grouped(rows$times)
  blank <- function(x) if (is.character(x)) replace(x, x %in% "", NA) else x
  list(keys = stats::setNames(lapply(unname(as.list(rows[seq_len(n)])), blank), names(keys)), amounts = currency,
       given = ifelse(rows$g, 1, NA), grouped = grouped)
}

# Whether a group has a key that R would have as another.
odd_keys_sql <- function(keys, sides) {
  found <- unlist(lapply(seq_along(keys), function(i) {
    owner <- Find(function(side) names(keys)[i] %in% side$names, sides)
    column <- owner$about[owner$names %in% names(keys)[i], ]
    if (!is.null(owner)) odd_sql(owner$con, column, sprintf("k%d", i))
  }))
  if (length(found)) paste(found, collapse = " OR ") else "FALSE"
}

# How many rows the database expects a question to give; many where it does not say.
expected_rows <- function(con, sql, table, call) {
  plan <- parsed_json(as.character(query_rows(con, paste("EXPLAIN (FORMAT JSON)", sql), table, call)[[1]][1]))
  expected <- plan[[1]]$Plan[["Plan Rows"]]
  if (is.numeric(expected)) expected else Inf
}

# In pieces, which take less room than one that grows.
all_rows <- function(con, sql, table, call, size = 5e5) {
  result <- asked_database(DBI::dbSendQuery(con, sql), table, call)
  on.exit(try(suppressWarnings(DBI::dbClearResult(result)), silent = TRUE))
  pieces <- list()
  repeat {
    piece <- asked_database(DBI::dbFetch(result, n = size), table, call)
    if (nrow(piece) == 0 && length(pieces)) break
    pieces <- c(pieces, list(piece))
    if (nrow(piece) < size) break
  }
  lapply(stats::setNames(nm = names(pieces[[1]])), function(name) do.call(c, lapply(pieces, function(x) x[[name]])))
}

# Attached tables that the database joins to the lines -----------------------------------------------------------------

# A table by its keys, with what the join found of it: whether each key stands there once, and the rows without a line.
# `sides` are the lines and what was joined before; `by` names keys as the lines have them.
joined_table <- function(con, table, by, sides, from, call = caller_env()) {
  side <- aliased_table(con, table, sprintf("t%d", length(sides)), call)
  pairs <- Map(function(ours, theirs) {
    owner <- Find(function(one) ours %in% one$names, sides)
    if (is.null(owner) || !theirs %in% side$names) stop_ungrouped("The key `%s` is not in the database.", ours)
    types <- c(owner$types[[ours]], side$types[[theirs]])
    if (types[1] != types[2] || !types[1] %in% key_types) {
      stop_ungrouped("The key `%s` is %s in the lines and %s in %s.", ours, types[1], types[2], side$name)
    }
    c(column_sql(owner, ours), column_sql(side, theirs))
  }, names(by), by)
  theirs <- vapply(pairs, function(pair) pair[2], "")
  key <- paste(theirs, collapse = ", ")
  twice <- query_rows(con, sprintf(
    "SELECT 1 FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1 LIMIT 1", side$from,
    paste(theirs, "IS NOT NULL", collapse = " AND "), key
  ), table, call)
  if (nrow(twice)) stop_ungrouped("%s has a key more than once.", side$name)
  on <- paste(vapply(pairs, paste, "", collapse = " = "), collapse = " AND ")
  side$matched <- sprintf("(%s IS NOT NULL)", theirs[1])
  side$join <- sprintf("LEFT JOIN %s ON %s", side$from, on)
  side$unused <- as.double(query_rows(con, sprintf(
    "SELECT count(*)::float8 FROM %s WHERE NOT EXISTS (SELECT 1 FROM %s WHERE %s)", side$from, from, on
  ), table, call)[[1]])
  side
}

# Might a column hold names of several rows? Then the table is looked at here.
may_share_names <- function(side, columns, call = caller_env()) {
  texts <- columns[side$types[columns] %in% text_types_sql]
  any(vapply(texts, function(name) {
    column <- column_sql(side, name)
    counts <- query_rows(side$con, sprintf(
      "SELECT count(*) FILTER (WHERE n > 1)::float8 AS shared, count(*)::float8 AS present FROM
       (SELECT count(*) AS n FROM %s WHERE %s IS NOT NULL GROUP BY %s) AS c", side$from, column, column
    ), side$table, call)
    counts$shared > 0 && counts$shared <= counts$present / 4
  }, NA))
}
