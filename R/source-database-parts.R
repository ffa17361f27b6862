# A table of a database in parts: lines of one day, or of a range of a column of whole numbers. The database tells how
# many lines each part has, and a stamp that is another when some line of it is another.

# The parts of a table as a source, read in their order. `by` is a column of days, or a named size: c(order_id = 1e5).
# `changed` is a column that tells when a line changed, NULL where the versions of rows tell, FALSE where nobody asks.
# `known` is what was found before, which `listed` of the source is now.
open_database_parts <- function(con, table, columns, options, by, changed = NULL, known = NULL, call = caller_env()) {
  source <- open_table(con, table, columns, options, call)
  slot <- slot_sql(source$scans[[1]], by, call)
  source_of_slots(source, slot, found_slots(source$scans[[1]], slot, source$names, changed, known, call), call = call)
}

# Some of these parts, which another process has found.
open_found_parts <- function(con, table, columns, options, by, listed, call = caller_env()) {
  source <- open_table(con, table, columns, options, call)
  source_of_slots(source, slot_sql(source$scans[[1]], by, call), listed, TRUE, call)
}

source_of_slots <- function(source, slot, listed, some = FALSE, call = caller_env()) {
  scan <- source$scans[[1]]
  slots <- listed$slot
  if (length(slots) == 0) {
    stop_because("no_lines", sprintf("%s has no lines, so there is nothing to total.", quoted(scan$path)),
                 i = "Check that this is the right table.", call = call)
  }
  scan <- with_odd(scan, listed$odd)
  source <- planned_source(source, scan)
  reader <- part_reader(scan, slot, slots, some)
  source$kind <- database_parts_kind
  source$rows <- listed$n
  source$labels <- part_labels(source$labels, slots, slot$size)
  source$scans <- lapply(seq_along(slots), function(i) {
    part <- scan
    part[c("rows", "part", "until", "reader")] <- list(listed$n[i], i, i, reader)
    part
  })
  source$stamps <- paste(table_stamp(scan$con, scan), slot$text, slots, listed$n, listed$stamp)
  source$parted <- slot$words
  source$listed <- listed
  source$close <- reader$close
  source
}

# list(moment =, slot =, n =, stamp =, odd =): by part what tells it, its lines and its stamp; and the columns that hold
# values that R would change. Where the database is as it was when `known` was found, its rows are not gone through
# again.
found_slots <- function(scan, slot, names, changed, former, call) {
  odd <- odd_columns_sql(scan, names)
  stamp <- if (is.null(changed)) version_sql() else if (isFALSE(changed)) "''" else change_sql(scan, names, changed)
  sql <- sprintf("SELECT %s FROM %s GROUP BY %s ORDER BY %s",
                 paste(c(sprintf("%s AS slot, count(*) AS n, %s AS stamp", slot$text, stamp), odd), collapse = ", "),
                 scan$from, slot$value, slot$value)
  moment <- if (is.null(changed)) moment_of(scan$con, scan, sql)
  if (!is.null(moment) && identical(former$moment, moment)) {
    return(former)
  }
  rows <- query_rows(scan$con, sql, scan$path, call)
  list(moment = moment, slot = as.character(rows$slot), n = as.double(rows$n), stamp = as.character(rows$stamp),
       odd = names(odd)[vapply(rows[-(1:3)], function(x) any(x %in% 1), NA)])
}

database_parts_kind <- list(
  what = "parts of a table", options = "types",
  plan = function(...) plan_typed(...), chunks = function(...) chunks_of_part(...)
)

# What tells the part of a line, in SQL: as it is compared, and as a text.
slot_sql <- function(scan, by, call) {
  name <- if (is.character(by)) by else names(by)
  column <- as.character(DBI::dbQuoteIdentifier(scan$con, name))
  type <- if (is_whole(scan, name)) "number" else type_of(scan$prototype[[name]])
  lite <- inherits(scan$con, "SQLiteConnection")
  size <- if (is.numeric(by)) unname(by)
  value <- if (type == "number" && !is.null(size)) {
    whole <- format_plain(size, 15L)
    if (lite) {
      # Division of whole numbers goes towards 0 there.
      sprintf("((CAST(%1$s AS INTEGER) - ((CAST(%1$s AS INTEGER) %% %2$s) + %2$s) %% %2$s) / %2$s)", column, whole)
    } else {
      sprintf("CAST(floor(CAST(%s AS numeric) / %s) AS bigint)", column, whole)
    }
  } else if (is.null(size) && type == "text") {
    sprintf("substr(%s, 1, 10) COLLATE %s", column, if (lite) "BINARY" else "\"C\"")
  } else if (is.null(size) && type %in% c("date", "date-time") && !lite) {
    sprintf("CAST(%s AS date)", column)
  } else {
    stop_because("type",
                 sprintf("`%s` of %s is %s, so it cannot divide the table %s.", name, quoted(scan$path), type,
                         if (is.null(size)) "by day" else "by ranges"),
                 i = "Name a column of days, or one of whole numbers with the size of a range.",
                 i = "For example `parts: {order_id: 100000}`.", call = call)
  }
  list(value = value, text = sprintf("CAST(%s AS text)", value), size = size, number = !is.null(size),
       words = if (is.null(size)) sprintf("days of `%s`", name) else
         sprintf("ranges of %s of `%s`", group_digits(size), name))
}

# Whole numbers that come as text.
is_whole <- function(scan, names) {
  names %in% scan$names[scan$columns$type %in% "bigint"]
}

part_labels <- function(table, slots, size) {
  labels_of <- if (is.null(size)) gsub("[/\\\\]", "-", slots) else {
    from <- as.numeric(slots) * size
    sprintf("%.0f to %.0f", from, from + size - 1)
  }
  paste(table, replace(labels_of, is.na(slots), "blank"))
}

# Every row of PostgreSQL has a version, told by its place and the number of the change that made it. Parallel workers
# can compute it, and it needs no conversion to text.
version_sql <- function() {
  "CAST(bit_xor(hashtidextended(ctid, hash_array_extended(ARRAY[xmin], 0))) AS text)"
}

has_versions <- function(con, table, call = caller_env()) {
  if (!inherits(con, "PqConnection") || is_query(table) || DBI::dbGetInfo(con)$server.version < 140000) {
    return(FALSE)
  }
  from <- query_source(con, table, call)
  # Rows of other servers have no version here.
  kinds <- query_rows(con, sprintf("
    WITH RECURSIVE parts AS (SELECT to_regclass(%s)::oid AS oid
      UNION SELECT i.inhrelid FROM parts JOIN pg_catalog.pg_inherits i ON i.inhparent = parts.oid)
    SELECT DISTINCT c.relkind::text AS kind FROM parts JOIN pg_catalog.pg_class c USING (oid)",
    DBI::dbQuoteString(con, from)), table, call)$kind
  length(kinds) > 0 && all(kinds %in% c("r", "p", "m"))
}

# Sums of numbers and the newest change.
change_sql <- function(scan, names, changed) {
  numbers <- names[vapply(scan$prototype[names], is.numeric, NA) | is_whole(scan, names)]
  quoted <- vapply(numbers, function(name) as.character(DBI::dbQuoteIdentifier(scan$con, name)), "")
  versions <- c(sprintf("sum(%s)", quoted), sprintf("max(%s)", DBI::dbQuoteIdentifier(scan$con, changed)))
  paste(sprintf("coalesce(CAST(%s AS text), '')", versions), collapse = " || ' ' || ")
}

# What a table is known by; a table that is written again is another.
table_stamp <- function(con, scan) {
  own <- if (inherits(con, "PqConnection") && !scan$query) {
    paste(DBI::dbGetQuery(con, sprintf("
      SELECT current_database() AS base, c.oid::text AS oid, c.relfilenode::text AS file
      FROM pg_catalog.pg_class c WHERE c.oid = to_regclass(%s)", DBI::dbQuoteString(con, scan$from))), collapse = " ")
  }
  types <- vapply(scan$prototype, type_of, "")
  paste(c(own, scan$path, names(types), types), collapse = " ")
}

# If PostgreSQL has the same snapshot at two moments, with no restart between them, the same query returns the same
# rows. NULL where that may not be asked, or where what is shown of the table does not hang on its rows alone.
moment_of <- function(con, scan, sql) {
  allowed <- DBI::dbGetQuery(con, sprintf("
    SELECT has_function_privilege('pg_control_system()', 'EXECUTE') AND
      has_function_privilege('pg_control_checkpoint()', 'EXECUTE') AS asked, c.relkind IN ('r', 'm') AS own,
      c.relrowsecurity AS guarded FROM pg_catalog.pg_class c WHERE c.oid = to_regclass(%s)",
    DBI::dbQuoteString(con, scan$from)))
  if (!isTRUE(allowed$asked && allowed$own && !allowed$guarded)) {
    return(NULL)
  }
  moment <- DBI::dbGetQuery(con, "
    SELECT pg_current_snapshot()::text AS seen, s.system_identifier::text AS server, p.timeline_id::text AS line,
      p.checkpoint_lsn::text AS checkpoint, current_setting('TimeZone') AS zone, current_setting('DateStyle') AS style
    FROM pg_control_system() s, pg_control_checkpoint() p")
  paste(c(moment, table_stamp(con, scan), sql), collapse = " ")
}

# One stamp for a whole table: the versions of its rows, or else all that it holds.
whole_table_stamp <- function(con, table, load) {
  if (has_versions(con, table)) {
    scan <- scan_query(con, table)
    stamp <- query_rows(con, sprintf("SELECT count(*) AS n, %s AS stamp FROM %s", version_sql(), scan$from), table,
                     caller_env())
    return(paste(table_stamp(con, scan), stamp$n, stamp$stamp))
  }
  rlang::hash(lapply(load(), function(x) if (is.character(x)) x[seq_along(x)] else x))
}

# Rows of parts in their order: parts that follow one another are one question. The parts may be `some` of the table's.
part_reader <- function(scan, slot, slots, some = FALSE) {
  result <- NULL
  held <- NULL
  runs <- NULL
  from <- 1
  at <- 0L
  close <- function() {
    if (!is.null(result)) try(suppressWarnings(DBI::dbClearResult(result)), silent = TRUE)
    result <<- NULL
    held <<- NULL
    runs <<- NULL
  }
  literal <- function(text) if (slot$number) text else as.character(DBI::dbQuoteString(scan$con, text))
  open <- function(part, until, columns, call) {
    close()
    asked <- slots[part:until]
    days <- asked[!is.na(asked)]
    span <- if (length(days)) {
      sprintf("%s >= %s AND %s <= %s", slot$value, literal(days[1]), slot$value, literal(days[length(days)]))
    }
    where <- if (some || length(asked) < length(slots)) {
      paste("WHERE", paste(c(span, if (anyNA(asked)) sprintf("%s IS NULL", slot$value)), collapse = " OR "))
    } else {
      ""
    }
    sql <- sprintf("SELECT %s AS \".slot\", %s FROM %s %s ORDER BY %s", slot$text, selected(scan, columns),
                   scan$from, where, slot$value)
    result <<- asked_database(DBI::dbSendQuery(scan$con, sql), scan$path, call)
    at <<- part
  }
  # `take` is given the rows of one part; those of the next ones wait.
  read <- function(part, until, columns, size, take, call) {
    if (is.null(result) || at != part) open(part, until, columns, call)
    repeat {
      if (length(runs$lengths) == 0) {
        held <<- asked_database(fetched(result, size), scan$path, call)
        if (nrow(held) == 0) break
        runs <<- unclass(rle(match(held$.slot, slots)))
        from <<- 1
      }
      if (runs$values[1] != part) break
      take(held[seq(from, length.out = runs$lengths[1]), columns, drop = FALSE])
      from <<- from + runs$lengths[1]
      runs <<- lapply(runs, `[`, -1)
    }
    at <<- part + 1L
  }
  list(read = read, close = close)
}

chunks_of_part <- function(scan, plan, options, take, call = caller_env(), size = 5e5) {
  taken <- 0
  scan$reader$read(scan$part, scan$until, names(plan), size, call = call, take = function(chunk) {
    taken <<- taken + nrow(chunk)
    take(typed_rows(chunk, scan, plan, options, call))
  })
  check_rows_read(taken, scan, call)
}

# The parts that are to be read, each told up to which of them it goes on without a gap.
in_runs <- function(source, which) {
  if (is.null(source$stamps) || length(which) == 0) {
    return(source)
  }
  run <- cumsum(c(TRUE, diff(which) != 1))
  last <- tapply(which, run, max)
  for (k in seq_along(which)) source$scans[[which[k]]]$until <- last[[as.character(run[k])]]
  source
}

# The name under which other connections see what this one sees, as long as this one is open.
shared_snapshot <- function(con) {
  DBI::dbGetQuery(con, "SELECT pg_export_snapshot() AS name")$name
}
