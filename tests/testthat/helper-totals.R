# Totals by SQL: the independent answer for any grain, measure and level.

# A daybook of random lines, and the same lines in SQLite with revenue in whole cents.
random_book <- function(seed, ..., days = 430, env = parent.frame()) {
  sales <- random_sales(seed, days = days)
  sales$ticket <- sample(c(sprintf("T%03d", 1:120), NA), nrow(sales), replace = TRUE)
  book <- daybook(sales, day, pieces * price, product, units = pieces, order = ticket, on_bad = "set_aside", ...)
  list(book = book, db = sql_database(lines = sql_lines(lines_of(book)), env = env))
}

sql_lines <- function(lines) {
  text <- function(x) if (is.character(x)) ifelse(is.na(x), "not given", x) else x
  out <- as.data.frame(lapply(lines[setdiff(names(lines), c("launched", "discontinued"))], text))
  out$day <- format(lines$day)
  out$cents <- as.integer(round(lines$revenue * 100))
  out$ticket <- lines$order
  out
}

sql_periods <- c(
  day = "day", week = "date(day, 'weekday 0', '-6 days')", month = "date(day, 'start of month')",
  quarter = "printf('%s-%02d-01', substr(day, 1, 4), (CAST(substr(day, 6, 2) AS INTEGER) - 1) / 3 * 3 + 1)",
  year = "date(day, 'start of year')",
  weekday = "substr('SunMonTueWedThuFriSat', 3 * strftime('%w', day) + 1, 3)",
  month_of_year = "substr('JanFebMarAprMayJunJulAugSepOctNovDec', 3 * strftime('%m', day) - 2, 3)"
)

# Measures by SQL, named as ours: an expression over lines, or over totals `s` per day or ticket.
sql_measures <- list(
  sum = list("sum(cents) / 100.0"), mean = list("1.0 * sum(cents) / 100.0 / count(cents)"),
  smallest = list("min(cents) / 100.0"), largest = list("max(cents) / 100.0"), lines = list("count(*)"),
  pieces = list("sum(units) * 1.0"), regions = list("count(DISTINCT nullif(region, 'not given'))"),
  in_vale = list("sum(CASE WHEN region = 'Vale' THEN cents ELSE 0 END) / 100.0"),
  best_day = list("max(s) / 100.0", "day"), worst_day = list("min(s) / 100.0", "day"),
  mean_ticket = list("1.0 * sum(s) / 100.0 / count(s)", "ticket")
)

our_measures <- list(
  sum = sum_of(revenue), mean = mean_of(revenue), smallest = smallest_of(revenue), largest = largest_of(revenue),
  lines = count_lines(), pieces = "units", regions = count_distinct(region),
  in_vale = sum_of(revenue, where = region == "Vale"), best_day = largest_of(revenue, per = "day"),
  worst_day = smallest_of(revenue, per = "day"), mean_ticket = mean_of(revenue, per = order)
)

# One level: `keys` are named SQL expressions, those not in `split` read Total. Measures of one kind in one question.
sql_level <- function(db, keys, split, measures) {
  shown <- ifelse(names(keys) %in% split, keys, "'Total'")
  inner <- paste(c(sprintf("%s AS %s", shown, names(keys)), "1 AS one"), collapse = ", ")
  group <- paste(c(keys[names(keys) %in% split], "one"), collapse = ", ")
  outer <- paste(c(names(keys), "one"), collapse = ", ")
  per <- vapply(measures, function(measure) if (length(measure) == 2) measure[[2]] else "", "")
  parts <- lapply(unique(per), function(one) {
    values <- paste(sprintf("%s AS %s", vapply(measures[per == one], `[[`, "", 1), names(measures)[per == one]),
                    collapse = ", ")
    if (one == "") {
      return(sql(db, sprintf("SELECT %s, %s FROM lines GROUP BY %s", inner, values, group)))
    }
    from <- sprintf("(SELECT %s, sum(cents) AS s FROM lines WHERE %s IS NOT NULL GROUP BY %s, %s)", inner, one, group,
                    one)
    sql(db, sprintf("SELECT %s, %s FROM %s GROUP BY %s", outer, values, from, outer))
  })
  Reduce(function(a, b) merge(a, b, all = TRUE), parts)
}

# Does every row of ours equal SQL, and is every row of SQL there? Rows that SQL lacks have nothing or 0.
expect_sql <- function(t, db, keys, splits, measures = names(sql_measures)) {
  id <- function(x) do.call(paste, c(lapply(as.list(x)[names(keys)], as.character), list(rep("", nrow(x))), sep = "|"))
  expected <- do.call(rbind, lapply(splits, function(split) sql_level(db, keys, split, sql_measures[measures])))
  testthat::expect_identical(anyDuplicated(id(t)), 0L)
  testthat::expect_identical(setdiff(id(expected), id(t)), character())
  at <- match(id(t), id(expected))
  wrong <- lapply(measures, function(measure) {
    ours <- t[[measure]]
    extra <- ours[is.na(at)]
    same <- all.equal(ours[!is.na(at)], as.double(expected[[measure]][at[!is.na(at)]]), tolerance = 1e-13)
    c(if (!all(is.na(extra) | extra == 0)) "extra rows", if (!isTRUE(same)) same)
  })
  testthat::expect_identical(Filter(length, stats::setNames(wrong, measures)), stats::setNames(list(), character()))
}

# The table of all that a tally holds.
whole_table <- function(tally) {
  t <- totals(tally, by = tidyselect::all_of(tally$by), every = tally$every, measures = names(tally$measures))
  tibble::as_tibble(t)
}

# A tally as of other lines that are the same: those of the same lines are not merged.
of_other_lines <- function(tally) {
  replace(tally, "made_of", list(paste("again", tally$made_of)))
}
