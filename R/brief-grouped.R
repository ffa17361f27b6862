# A brief whose lines stand in a database that can group them there: what comes back are rows that represent several
# lines each, and go through the same steps as lines do.

# The tallies that a brief's tables ask, or NULL where the lines must be fetched; a message says why.
grouped_tallies <- function(brief, large = FALSE) {
  entry <- brief$content$data$lines
  if (!is.list(entry) || is.null(entry$database) || isFALSE(getOption("hinterfeld.grouped"))) {
    return(NULL)
  }
  con <- database_named(entry$database)
  if (!inherits(con, "PqConnection")) {
    return(NULL)
  }
  # A failed query must not abort the transaction in which everything else is read.
  DBI::dbExecute(con, "SAVEPOINT grouping")
  tryCatch({
    tallies <- tallies_of_groups(grouped_plan(brief, con), brief, large || isTRUE(getOption("hinterfeld.grouped")))
    DBI::dbExecute(con, "RELEASE SAVEPOINT grouping")
    tallies
  }, hinterfeld_ungrouped = function(cnd) {
    DBI::dbExecute(con, "ROLLBACK TO SAVEPOINT grouping")
    DBI::dbExecute(con, "RELEASE SAVEPOINT grouping")
    say("ungrouped",
        sprintf("The database cannot group these lines, so they are fetched and totalled here: %s",
                conditionMessage(cnd)))
    NULL
  })
}

# The plan of the query: the table of the lines, the tables joined to it in the database, keys and amounts.
grouped_plan <- function(brief, con, call = caller_env()) {
  content <- brief$content
  roles <- content$daybook
  side <- aliased_table(con, content$data$lines$table, "l", call)
  if (length(content$columns)) stop_ungrouped("`columns` are computed of each line.")
  if (length(content$data$settle)) stop_ungrouped("`settle` looks at how each value is written.")
  amounts <- asked_amounts(content, side)
  check_only_added(content, names(amounts))
  # Columns that are only added up are not keys; whatever else is mentioned is.
  plain <- content
  plain$daybook[c("revenue", "units", "decimals")] <- NULL
  used <- setdiff(columns_used(plain), "revenue")
  mixed <- intersect(c(names(amounts), setdiff(unlist(roles$units), "units")), split_or_asked(content))
  if (length(mixed)) stop_ungrouped("`%s` is both added up and split by.", mixed[1])
  sides <- joined_sides(content$data$attach, con, content$data$lines$database, side, used, call)
  from <- paste(c(side$from, vapply(sides, function(table) table$join, "")), collapse = " ")
  # The keys of a join are needed no more, unless they are asked for elsewhere.
  plain$data$attach <- plain$data$attach[seq_along(plain$data$attach) > length(sides)]
  columns <- intersect(side$names, setdiff(columns_used(plain), c("revenue", names(amounts))))
  keys <- c(
    lapply(stats::setNames(nm = columns), function(name) key_sql(side, name)),
    unlist(lapply(sides, function(table) lapply(stats::setNames(nm = table$columns), key_sql, side = table)),
           recursive = FALSE)
  )
  matched <- stats::setNames(lapply(sides, function(table) table$matched), sprintf(".matched %d", seq_along(sides)))
  # A ratio takes the lines that have both of its columns, so those that lack one are groups of their own.
  paired <- replace(paired_columns(content), paired_columns(content) == "units", unlist(roles$units))
  lacking <- stats::setNames(lapply(paired, function(name) sprintf("(%s IS NULL)", column_sql(side, name))),
                             sprintf(".lacking %s", paired))
  list(side = side, sides = sides, from = from, keys = c(keys, matched, lacking), amounts = amounts)
}

key_sql <- function(side, name) {
  types <- c(key_types, "numeric", "boolean", "timestamp without time zone", "timestamp with time zone",
             "double precision", "real", "character")
  if (!side$types[[name]] %in% types) {
    stop_ungrouped("`%s` has the type %s, which cannot be grouped here.", name, side$types[[name]])
  }
  column <- plain_column_sql(side, name)
  # Whole numbers beyond what a double holds come as they are written, as when they are read.
  if (side$types[[name]] == "bigint") paste0(column, "::text") else column
}

# Revenue, units and the columns that measures take, with the decimals that the daybook keeps.
asked_amounts <- function(content, side) {
  roles <- content$daybook
  decimals <- asked_decimals(unlist(roles$decimals) %||% 2)
  revenue <- rlang::quo_get_expr(brief_quo(roles$revenue))
  if (!is.symbol(revenue) && !rlang::is_string(revenue)) {
    stop_ungrouped("`%s` is computed line by line.", expression_text(revenue))
  }
  units <- unlist(roles$units)
  if (!is.null(units)) names(decimals)[names(decimals) == "units"] <- units
  others <- union(units, setdiff(c(names(decimals), measured_columns(content)), c("revenue", "units", "lines")))
  if (as.character(revenue) %in% others) stop_ungrouped("`%s` is added up in two ways.", as.character(revenue))
  columns <- c(as.character(revenue), others)
  stats::setNames(Map(added_column, list(side), columns, decimals[c("revenue", others)]), columns)
}

# Does some measure take the smallest or largest amount of single lines?
asks_extremes <- function(content) {
  measures <- unlist(lapply(content$tables, function(spec) as.list(brief_measures(spec$measures))), recursive = FALSE)
  any(vapply(measures, function(m) is.list(m) && m$kind %in% c("smallest", "largest") && rlang::quo_is_null(m$per), NA))
}

# The columns of ratios, but for revenue, which every line has.
paired_columns <- function(content) {
  measures <- unlist(lapply(content$tables, function(spec) as.list(brief_measures(spec$measures))), recursive = FALSE)
  pairs <- Filter(function(m) is.list(m) && m$kind == "ratio", measures)
  columns <- unlist(lapply(pairs, function(m) lapply(list(m$x, m$to), rlang::quo_get_expr)))
  setdiff(unique(as.character(columns)), "revenue")
}

# The columns that measures take sums of, the smallest or the largest.
measured_columns <- function(content) {
  measures <- unlist(lapply(content$tables, function(spec) as.list(brief_measures(spec$measures))), recursive = FALSE)
  unlist(lapply(measures, function(m) {
    if (is.character(m)) {
      return(m)
    }
    kind <- measure_kinds[[m$kind]]
    if (identical(kind$staged, "value") && kind$takes == "numbers" && rlang::quo_is_null(m$per)) {
      stop_ungrouped("a %s needs every single value, not sums.", m$kind)
    }
    if (!kind$takes %in% c("numbers", "pair")) {
      return(NULL)
    }
    vapply(Filter(Negate(rlang::quo_is_null), list(m$x, m$to)), function(x) {
      expr <- rlang::quo_get_expr(x)
      if (!is.symbol(expr) && !rlang::is_string(expr)) {
        stop_ungrouped("`%s` is computed line by line.", expression_text(expr))
      }
      as.character(expr)
    }, "")
  }))
}

# A condition on an amount looks at each line.
check_only_added <- function(content, amounts) {
  texts <- c(unlist(lapply(content$restrict, function(rule) c(rule$keep, rule$leave_out))),
             unlist(lapply(content$tables, function(spec) c(unlist(spec[c("keep", "leave_out")]), spec$unsold$where))),
             unlist(lapply(content$tables, function(spec) {
               lapply(spec$measures, function(measure) if (is.list(measure)) lapply(measure, function(m) m$where))
             })))
  if (any(vapply(content$tables, function(spec) causes_asked(spec)$of_lines, NA))) {
    stop_ungrouped("Returns and list prices are causes that look at each line.")
  }
  for (text in texts) {
    amount <- intersect(all.vars(str2lang(text)), c("revenue", "units", amounts))
    if (length(amount)) stop_ungrouped("`%s` looks at the %s of each line.", text, amount[1])
  }
}

# Columns that a brief splits by, or looks at in a condition.
split_or_asked <- function(content) {
  asked <- function(texts) unlist(lapply(unlist(texts), function(text) all.vars(str2lang(text))))
  of_table <- lapply(content$tables, function(spec) {
    own <- lapply(unlist(lapply(spec$measures, function(measure) if (is.list(measure)) unname(measure)),
                         recursive = FALSE),
                  function(m) c(m$per, m$count_distinct, m$first_of, m$last_of, asked(m$where)))
    c(unlist(spec$by), causes_asked(spec)$over, unlist(spec$unsold[c("within", "product")]), asked(spec$unsold$where),
      asked(spec[c("keep", "leave_out")]), unlist(own))
  })
  report <- content$report
  unique(c(unlist(content$daybook[c("day", "product", "order")]), unlist(of_table), unlist(lapply(content$data$attach,
    function(step) c(names(unlist(step$by)), unlist(step$by)))),
    asked(lapply(content$restrict, `[`, c("keep", "leave_out"))), unlist(report[c("category", "region", "place")])))
}

# The first tables that are attached, as far as they stand in the same database; the others are attached here.
joined_sides <- function(steps, con, database, side, used, call) {
  sides <- list(side)
  for (step in steps) {
    entry <- step$table
    if (!is.list(entry) || !identical(entry$database, database)) break
    by <- unlist(step$by)
    if (is.null(names(by))) names(by) <- by
    names(by)[names(by) == ""] <- by[names(by) == ""]
    from <- paste(c(side$from, vapply(sides[-1], function(table) table$join, "")), collapse = " ")
    new <- joined_table(con, entry$table, by, sides, from, call)
    new$columns <- setdiff(intersect(new$names, used), by)
    clash <- intersect(new$columns, unlist(lapply(sides, function(table) table$names)))
    if (length(clash)) stop_ungrouped("`%s` is a column of two tables.", clash[1])
    new[c("by", "entry", "called", "need")] <- list(by, entry, step$name %||% attached_name(entry), step$need)
    sides <- c(sides, list(new))
  }
  sides[-1]
}

# The rows as lines, with what was joined to them, as the facts of each table.
tallies_of_groups <- function(plan, brief, always, call = caller_env()) {
  side <- plan$side
  entry <- brief$content$data$lines
  say_progress("Grouping the lines of %s in the database", side$name)
  # With fewer than ten lines per group, fetching the lines is faster than grouping them, if they fit into memory.
  most <- if (always) Inf else open_brief_file(parse_file_entry(entry, brief))$rows / 10
  groups <- grouped_lines(side, plan$from, plan$keys, plan$amounts, asks_extremes(brief$content),
                          odd_keys_sql(plan$keys, c(list(side), plan$sides)), most, call)
  lines <- lines_of_groups(groups, plan, brief, side)
  book <- book_of_groups(lines, length(plan$sides), brief)
  check_mostly_read(book$trail, call)
  needs <- brief_needs(brief$content, book)
  lapply(needs, function(need) quietly(rlang::exec(tally_of, book, !!!need)))
}

lines_of_groups <- function(groups, plan, brief, side) {
  keys <- groups$keys
  texts <- columns_of_names(brief$content)
  types <- text_types(texts, names(keys))
  given <- unlist(c(list(brief$content$data$lines$types), lapply(plan$sides, function(table) table$entry$types)))
  columns <- plain_chunk(keys, grep("^[.](matched|lacking)", names(keys), value = TRUE, invert = TRUE), c(given, types))
  n <- length(groups$grouped$times)
  columns <- c(columns, groups$amounts, if (!all(groups$given %in% 1)) list(.given = groups$given))
  lines <- inner_table(columns, n)
  total <- sum(groups$grouped$times)
  trail <- new_trail("read", sprintf("%s, grouped in the database", side$table), 0, total)
  alike <- list()
  for (i in seq_along(plan$sides)) {
    table <- plan$sides[[i]]
    unmatched <- sum(groups$grouped$times[!keys[[sprintf(".matched %d", i)]]])
    if (unmatched > 0 && !identical(table$need, "any")) stop_ungrouped("%s has no row for some lines.", table$called)
    trail <- add_steps(trail, new_trail("attach", paste(table$called, "by", paste(names(table$by), collapse = ", ")),
                                        total,
                                        total, unmatched = unmatched, unused = table$unused))
    named <- c(stats::setNames(table$by, names(table$by)), stats::setNames(nm = table$columns))
    if (may_share_names(table, unname(named))) {
      alike <- c(alike, find_shared_names(load_file(table$entry, brief, texts, unname(named)), named, table$called))
    }
  }
  set_origin(lines, new_places(side$name, n), trail, alike = alike, grouped = groups$grouped)
}

# The steps of a brief that are still to be taken. Marked as a chunk: the grouped rows are too few to judge whether most
# lines are unreadable.
book_of_groups <- function(lines, joined, brief) {
  old <- options(hinterfeld.chunk = TRUE)
  on.exit(options(old))
  texts <- columns_of_names(brief$content)
  wanted <- columns_used(brief$content)
  steps <- brief$content$data$attach
  brief$content$data$attach <- steps[seq_along(steps) > joined]
  tables <- attached_tables(brief, texts, wanted)
  tryCatch(quietly(book_of_lines(lines, tables, brief)), hinterfeld_error_unusable_lines = function(cnd) {
    stop_ungrouped("some lines cannot be used.")
  }, hinterfeld_error_no_lines = function(cnd) stop_ungrouped("no line is left."))
}
