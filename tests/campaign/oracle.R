# The independent answer: SQLite asked of the raw lines, level by level and step by step. Nothing here calls the
# package.

# Periods --------------------------------------------------------------------------------------------------

# First day of the period of each day, by base R's dates alone.
period_starts <- function(days, every, calendar) {
  if (length(days) == 0) return(days)
  rules <- calendar_rules(calendar)
  weekday <- (as.POSIXlt(days)$wday - rules$week + 7) %% 7
  if (every == "day") return(days)
  if (every == "week") return(days - weekday)
  if (rules$weeks_445) {
    starts <- sort(year_starts_445(rules, range(days)))
    at <- findInterval(days, starts)
    if (every == "year") return(starts[at])
    week <- pmin(as.integer(days - starts[at]) %/% 7, 51)
    first <- c(0, 4, 8, 13, 17, 21, 26, 30, 34, 39, 43, 47)
    if (every == "quarter") first <- first[c(1, 4, 7, 10)]
    return(starts[at] + 7 * first[findInterval(week, first)])
  }
  moved <- as.POSIXlt(days - (rules$day - 1))
  # Months since the year's first one, for days moved so that months start on the 1st.
  passed <- (moved$mon - (rules$month - 1)) %% 12
  back <- switch(every, month = 0, quarter = passed %% 3, year = passed)
  moved$mon <- moved$mon - as.integer(back)
  moved$mday <- 1L
  as.Date(moved) + (rules$day - 1)
}

calendar_rules <- function(calendar) {
  given <- as.list(calendar)[-1]
  start <- as.integer(strsplit(given$year_starts %||% "01-01", "-")[[1]])
  days <- c("sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday")
  list(month = start[1], day = start[2], week = match(given$week_starts %||% "monday", days) - 1,
       weeks_445 = identical(given$weeks, "445"))
}

`%||%` <- function(x, y) if (is.null(x)) y else x

# The week start nearest to the date in each of some years.
year_starts_445 <- function(rules, days) {
  years <- seq(as.POSIXlt(days[1])$year + 1900 - 2, as.POSIXlt(days[2])$year + 1900 + 2)
  near <- as.Date(sprintf("%d-%02d-%02d", years, rules$month, rules$day)) + 3
  near - (as.POSIXlt(near)$wday - rules$week + 7) %% 7
}

# All periods from the one that holds `from` to the one that holds `to`.
periods_between <- function(from, to, every, calendar) {
  unique(period_starts(seq(from, to, by = 1), every, calendar))
}

recurring_label <- function(days, every) {
  if (every == "weekday") c("Sun", "Mon", "Tue", "Wed", "Thu", "Fri",
                            "Sat")[as.POSIXlt(days)$wday + 1] else month.abb[as.POSIXlt(days)$mon + 1]
}

# In years of whole weeks, and in years that start inside a month, months of the year have names of their own.
month_names <- function(days, calendar) {
  rules <- calendar_rules(calendar)
  if (!rules$weeks_445) return(recurring_label(period_starts(days, "month", calendar), "month_of_year"))
  year <- period_starts(days, "year", calendar)
  week <- pmin(as.integer(days - year) %/% 7, 51)
  sprintf("P%02d", findInterval(week, c(0, 4, 8, 13, 17, 21, 26, 30, 34, 39, 43, 47)))
}

# A quarter has about 91 days, whatever it is made of.
quarter_names <- function(days, calendar) {
  passed <- as.numeric(period_starts(days, "quarter", calendar) - period_starts(days, "year", calendar))
  sprintf("Q%d", as.integer(1 + round(passed / 91.3)))
}

period_text <- function(days, every, calendar) {
  switch(every, weekday = recurring_label(days, every), month_of_year = month_names(days, calendar),
         quarter_of_year = quarter_names(days, calendar),
         format(period_starts(days, every, calendar)))
}

# Totals ---------------------------------------------------------------------------------------------------

# A data base with `lines`, of which `kept` count, and the days that they cover.
oracle <- function(made, db) {
  DBI::dbExecute(db, "CREATE TEMP VIEW kept AS SELECT * FROM lines")
  oracle_cover(list(made = made, db = db, where = "1"))
}

oracle_restrict <- function(o, move) {
  o$where <- sprintf("%s AND coalesce(%s = %d, 0)", o$where, sprintf("(%s)", move$sql), move$kind == "keep")
  DBI::dbExecute(o$db, "DROP VIEW kept")
  DBI::dbExecute(o$db, sprintf("CREATE TEMP VIEW kept AS SELECT * FROM lines WHERE %s", o$where))
  if (is.null(move$days)) o else oracle_rule_out(o, move$days)
}

splits_of <- function(move) {
  all <- c(move$every, move$by)
  splits <- if (isTRUE(move$subtotals)) {
    lapply(rev(seq_along(all)) - 1, utils::head, x = all)
  } else {
    lapply(as.list(move$subtotals), setdiff, "Total")
  }
  Filter(function(split) !setequal(split, all), unique(splits)) |>
    (\(splits) c(list(all), splits[order(-lengths(splits))]))()
}

key_sql <- function(name) if (name == "order") "order_" else name

# The rows of one level: the keys of its split and every measure. `lines` is what stands behind FROM, with a column
# `period`.
level_rows <- function(o, split, all, measures, from) {
  keys <- vapply(split, key_sql_of, "", USE.NAMES = FALSE)
  list_of <- function(names) paste(c(names, "1"), collapse = ", ")
  rows <- DBI::dbGetQuery(o$db, sprintf("SELECT %s AS one, count(*) AS n FROM %s GROUP BY %s",
                                        list_of(sprintf("%s AS k%d", keys, match(split, all))),
                                        from, list_of(keys)))
  if (length(split) == 0) rows <- rows[rows$n > 0, ]
  for (name in names(measures)) {
    value <- measure_rows(o, keys, vapply(all, key_sql_of, "", USE.NAMES = FALSE), measures[[name]], from)
    rows[[name]] <- value[[ncol(value)]][match(row_ids(rows[seq_along(keys)]), row_ids(value[seq_along(keys)]))]
    if (measures[[name]]$kind %in% c("sum", "lines", "distinct")) rows[[name]][is.na(rows[[name]])] <- 0
  }
  rows
}

key_sql_of <- function(name) if (name %in% all_periods) "period" else key_sql(name)
recurring_names <- c("weekday", "month_of_year", "quarter_of_year")
all_periods <- c("day", "week", "month", "quarter", "year", recurring_names)

# Rows as text to match by: a type mark in front of each value keeps what is missing apart.
row_ids <- function(keys) {
  parts <- lapply(keys, function(x) ifelse(is.na(x), "-", paste0("=", as.character(x))))
  if (length(parts)) do.call(paste, c(unname(parts), sep = "\x1f")) else rep("", nrow(keys))
}

aggregates <- list(sum = "sum(x)", lines = "count(*)", mean = "1.0 * sum(x) / count(x)", smallest = "min(x)",
                   largest = "max(x)", distinct = "count(DISTINCT x)",
                   ratio = "CASE WHEN sum(y) FILTER (WHERE x IS NOT NULL) <> 0
                     THEN 1.0 * coalesce(sum(x) FILTER (WHERE y IS NOT NULL), 0)
                     / sum(y) FILTER (WHERE x IS NOT NULL) END")

# The middle one of the values in order, of an even number the mean of the two middle ones.
median_sql <- function(keys, from) {
  sprintf("SELECT %1$s, avg(x) AS v FROM (SELECT *, row_number() OVER (PARTITION BY %1$s ORDER BY x) AS rn_, count(*)
           OVER (PARTITION BY %1$s) AS many_
           FROM %2$s WHERE x IS NOT NULL) WHERE rn_ IN ((many_ + 1) / 2, many_ / 2 + 1) GROUP BY %1$s", keys, from)
}

measure_rows <- function(o, keys, all, m, from) {
  groups <- function(keys) paste(c(keys, "one"), collapse = ", ")
  where <- if (is.null(m$where)) "1" else sprintf("(%s)", m$where)
  taken <- sprintf("SELECT *, 1 AS one, %s AS x, %s AS y FROM %s WHERE %s", m$x, m$y %||% "NULL", from, where)
  staged <- function(keys) {
    if (is.null(m$per)) return(sprintf("(%s)", taken))
    per <- if (m$per == "month") "month_start" else m$per
    sprintf("(SELECT %s, sum(x) AS x FROM (%s) WHERE x IS NOT NULL AND %s IS NOT NULL AND %s GROUP BY %s, %s)",
            groups(keys), taken, per, if (m$per == "month" && !m$incomplete) "month_whole" else "1", groups(keys), per)
  }
  ask <- function(keys) if (m$kind == "median") median_sql(groups(keys),
                                                           staged(keys)) else sprintf(
                                                             "SELECT %s, %s AS v FROM %s GROUP BY %s", groups(keys),
                                                             aggregates[[m$kind]], staged(keys), groups(keys)
                                                           )
  DBI::dbGetQuery(o$db, if (m$margin == "add_up") sprintf("SELECT %s, sum(v) AS v FROM (%s) GROUP BY %s", groups(keys),
                                                          ask(all), groups(keys)) else ask(keys))
}

# Levels and rows of a totals table, in whole numbers: lvl, k1 .. kn, measures.
oracle_totals <- function(o, move, splits = splits_of(move)) {
  all <- c(move$every, move$by)
  from <- dated_lines(o, move$every)
  rows <- lapply(seq_along(splits), function(i) {
    level <- level_rows(o, splits[[i]], all, move$measures, from)
    level$lvl <- rep(i, nrow(level))
    for (k in seq_along(all)) if (is.null(level[[paste0("k", k)]])) level[[paste0("k", k)]] <- rep(NA, nrow(level))
    level[c("lvl", paste0("k", seq_along(all), recycle0 = TRUE), names(move$measures))]
  })
  if (move$fill) rows <- filled_rows(o, rows, splits, all, move)
  do.call(rbind, rows)
}

# The kept lines with their period and month.
dated_lines <- function(o, every) {
  days <- unique(DBI::dbGetQuery(o$db, "SELECT DISTINCT day FROM lines")$day)
  calendar <- o$made$calendar
  months <- period_starts(as.Date(days), "month", calendar)
  dates <- data.frame(day_ = days, month_start = format(months),
                      month_whole = as.numeric(months %in% whole_periods(o, "month")),
                      period = if (is.null(every)) rep(NA_character_,
                                                       length(days)) else period_text(as.Date(days), every, calendar))
  put_table(o$db, "dates", dates)
  "(SELECT * FROM kept JOIN dates ON day = day_)"
}

filled_rows <- function(o, rows, splits, all, move) {
  k <- paste0("k", seq_along(all), recycle0 = TRUE)
  detail <- rows[[1]]
  if (length(all) == 0) return(rows)
  grid <- if (is.null(move$every)) {
    expand.grid(lapply(detail[k], unique), stringsAsFactors = FALSE)
  } else {
    members <- unique(detail[k[-1]])
    periods <- unique(period_text(o$covered, move$every, o$made$calendar))
    if (length(all) == 1) {
      data.frame(k1 = periods)
    } else {
      cbind(data.frame(k1 = rep(periods, each = nrow(members))),
            members[rep(seq_len(nrow(members)), length(periods)), , drop = FALSE])
    }
  }
  lapply(seq_along(splits), function(i) {
    wanted <- unique(grid[match(splits[[i]], all)])
    if (length(splits[[i]]) == 0) wanted <- grid[1, 0, drop = FALSE]
    at <- match(row_ids(wanted), row_ids(rows[[i]][match(splits[[i]], all) + 1]))
    out <- rows[[i]][at, , drop = FALSE]
    out[k[match(splits[[i]], all)]] <- wanted
    out$lvl <- rep(i, nrow(out))
    for (name in names(move$measures)) {
      if (move$measures[[name]]$kind %in% c("sum", "lines", "distinct")) out[[name]][is.na(out[[name]])] <- 0
    }
    out
  })
}

# Steps over the rows of a table -----------------------------------------------------------------------------

# `rows` become the table t; gives the answer of `select` in the order of the rows.
ask_rows <- function(o, rows, select) {
  rows$rn <- seq_len(nrow(rows))
  put_table(o$db, "t", rows)
  DBI::dbGetQuery(o$db, sprintf("SELECT %s FROM t ORDER BY rn", select))
}

scope_sql <- function(shape, within) paste(c("lvl", k_of(shape, within)), collapse = ", ")
k_of <- function(shape, names) sprintf("k%d", match(names, c(shape$every, shape$by)))

# Ties in order of names: texts byte by byte, missing ones last.
names_sql <- function(shape) {
  keys <- k_of(shape, c(shape$by, shape$every))
  if (!is.null(shape$every) && shape$every %in% recurring_names) keys[length(keys)] <- "period_no"
  paste(c(sprintf("%1$s IS NULL, %1$s", keys), "1"), collapse = ", ")
}

rank_sql <- function(m, over, direction, ties, names) {
  window <- sprintf("(PARTITION BY %s, %s IS NULL ORDER BY %s %s", over, m, m, direction)
  rank <- switch(ties,
    standard = sprintf("rank() OVER %s)", window), dense = sprintf("dense_rank() OVER %s)", window),
    ordinal = sprintf("row_number() OVER %s, %s)", window, names),
    modified = sprintf("count(*) OVER %s RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)", window),
    fractional = sprintf(
      "(rank() OVER %1$s) + count(*) OVER %1$s RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)) / 2.0", window
    )
  )
  sprintf("CASE WHEN %s IS NOT NULL THEN %s END", m, rank)
}

quote_sql <- function(name) sprintf("\"%s\"", name)

step_answers <- list(
  rank = function(o, rows, shape, p) {
    rows$ranked_by <- rows[[p$of]]
    measured <- p$of %in% names(shape$measures)
    for (i in seq_along(shape$splits)) if (measured && isTRUE(shape$every %in% shape$splits[[i]])) {
      own <- which(rows$lvl == i)
      rows$ranked_by[own] <- mean_singles(o, shape, p, rows[own, , drop = FALSE], shape$splits[[i]])
    }
    sql <- rank_sql("ranked_by", scope_sql(shape, p$within), if (p$highest) "DESC" else "ASC", p$ties,
                    names_sql(shape))
    stats::setNames(ask_rows(o, rows, paste(sql, "AS x")), p$name)
  },
  share = function(o, rows, shape, p) {
    sql <- sprintf("CASE WHEN sum(%1$s) OVER (PARTITION BY %2$s) > 0 THEN 1.0 * %1$s / sum(%1$s) OVER (PARTITION BY
                    %2$s) END AS x", quote_sql(p$of),
                   scope_sql(shape, p$within))
    stats::setNames(ask_rows(o, rows, sql), p$name)
  },
  pareto = function(o, rows, shape, p) {
    m <- sprintf("coalesce(%s, 0)", quote_sql(p$of))
    over <- sprintf("PARTITION BY %s", scope_sql(shape, p$within))
    order <- sprintf("%s ORDER BY %s, %s DESC, %s ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW", over,
                     paste(quote_sql(p$of), "IS NULL"), m, names_sql(shape))
    sql <- sprintf("%1$s AS v, sum(%1$s) OVER (%2$s) AS cumulative, sum(%1$s) OVER (%3$s) AS total, 1.0 * count(*)
                    OVER (%2$s) / count(*) OVER (%3$s) AS members",
                   m, order, over)
    found <- ask_rows(o, rows, sql)
    total <- ifelse(found$total > 0, found$total, NA)
    before <- (found$cumulative - found$v) / total
    class <- ifelse(is.na(total), NA,
                    ifelse(found$v <= 0, "C", ifelse(before < 0.80, "A", ifelse(before < 0.95, "B", "C"))))
    stats::setNames(data.frame(found$cumulative, found$cumulative / total, found$members, class),
                    paste0(p$name, c("_cumulative", "_cumulative_share", "_member_share", "_class")))
  },
  running = function(o, rows, shape, p) {
    again <- if (is.null(p$restart)) rep("", nrow(rows)) else restart_of(rows$k1, p$restart, shape$every,
                                                                         o$made$calendar)
    rows$again <- again
    sql <- sprintf("CASE WHEN period_no IS NOT NULL AND %1$s IS NOT NULL THEN sum(coalesce(%1$s, 0)) OVER (PARTITION BY
                    %2$s, again ORDER BY period_no RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW) END AS x",
                   quote_sql(p$of), scope_sql(shape, shape$by))
    stats::setNames(ask_rows(o, rows, sql), p$name)
  },
  moving = function(o, rows, shape, p) {
    over <- sprintf("OVER (PARTITION BY %s ORDER BY period_no RANGE BETWEEN %d PRECEDING AND CURRENT ROW)",
                    scope_sql(shape, shape$by), p$last - 1)
    sql <- sprintf("CASE WHEN period_no >= %1$d AND sum(%2$s IS NULL) %3$s = 0
                    THEN sum(coalesce(%2$s, 0)) %3$s END AS x",
                   p$last, quote_sql(p$of), over)
    found <- ask_rows(o, rows, sql)
    if (nrow(rows)) found$x[window_unknown(o, shape, rows$period_no, p$last)] <- NA
    if (p$what == "mean") found$x <- found$x / p$last
    stats::setNames(found, p$name)
  }
)

# Windows with a period that is not covered whole, but for a last one that is not finished.
window_unknown <- function(o, shape, places, last) {
  if (shape$every %in% recurring_names) return(FALSE)
  starts <- periods_between(o$span[1], o$span[2], shape$every, o$made$calendar)
  ends <- pmin(next_starts(starts, shape$every, o$made$calendar) - 1, o$span[2])
  out <- which(cover_of(o, starts, ends) != "whole")
  vapply(places, function(place) any(out <= place & out > place - last), NA) %in% TRUE
}

# What a running total starts again with. A week belongs to the year that holds its Thursday, or in years of whole weeks
# to that which it is a week of.
restart_of <- function(start, restart, every, calendar) {
  days <- as.Date(start)
  known <- !is.na(days)
  if (every == "week" && !calendar_rules(calendar)$weeks_445) days <- days + 3
  out <- rep("", length(start))
  out[known] <- format(period_starts(days[known], restart, calendar))
  out
}

# The place of each row's period among those of the data, from 1; missing for totals over all periods.
period_numbers <- function(o, shape, rows) {
  if (is.null(shape$every)) return(rep(NA_integer_, nrow(rows)))
  days <- seq(o$span[1], o$span[2], by = 1)
  known <- unique(period_text(days, shape$every, o$made$calendar))
  if (shape$every == "weekday") known <- recurring_label(
    as.Date("2024-01-01") + 0:6 + calendar_rules(o$made$calendar)$week - 1, "weekday"
  ) |> intersect(known)
  if (shape$every == "month_of_year") {
    year <- seq(period_starts(o$span[1], "year", o$made$calendar), by = 1, length.out = 366)
    known <- intersect(unique(month_names(year, o$made$calendar)), known)
  }
  if (shape$every == "quarter_of_year") known <- intersect(sprintf("Q%d", 1:4), known)
  match(rows$k1, known)
}
