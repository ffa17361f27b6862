# Plays a chain in the package and in SQLite side by side, and says where they differ.

differ <- function(...) stop(structure(class = c("campaign_difference", "error", "condition"),
                                       list(message = sprintf(...), call = NULL)))

# What was not right, NULL where all is. `place` is where the calls leave their book and table.
play <- function(made, chain, place = call_place(given_lines(made))) {
  db <- lines_database(made)
  on.exit(DBI::dbDisconnect(db))
  tryCatch(play_moves(made, chain, db, place), campaign_difference = conditionMessage, error = function(cnd) {
    paste0("error: ", paste(class(cnd)[1], conditionMessage(cnd)))
  })
}

# Where calls find their lines, book and table.
call_place <- function(lines) rlang::env(asNamespace("hinterfeld"), lines = lines, book = NULL, t = NULL)

play_moves <- function(made, chain, db, place) {
  if (DBI::dbGetQuery(db, "SELECT count(*) AS n FROM lines")$n == 0) {
    place$error <- "hinterfeld_error_no_lines"
    return(NULL)
  }
  o <- oracle(made, db)
  place$book <- tryCatch(quiet_eval(daybook_call(made), place), hinterfeld_error_overflow = function(cnd) {
    if (!excused(cnd, list(kind = "daybook"), o, NULL)) stop(cnd)
    place$error <- class(cnd)[1]
    NULL
  })
  if (is.null(place$book)) return(NULL)
  shape <- NULL
  for (move in chain) {
    made_now <- tryCatch(quiet_eval(move$call, place), hinterfeld_error = identity)
    if (inherits(made_now, "error")) {
      if (!move$kind %in% names(endings)) place$error <- class(made_now)[1]
      if (excused(made_now, move, o, shape)) return(NULL)
      stop(made_now)
    }
    if (move$kind %in% c("keep", "leave_out")) {
      place$book <- made_now
      o <- oracle_restrict(o, move)
      check_book(place$book, o)
    } else {
      shape <- follow(move, made_now, shape, o, place)
      if (is.null(shape)) return(NULL)
    }
  }
  NULL
}

quiet_eval <- function(call, place) {
  # File names in a chain are bare.
  suppressWarnings(suppressMessages(withr::with_dir(scratch(), eval(call, place))))
}

scratch <- function() {
  folder <- file.path(tempdir(), "campaign")
  dir.create(folder, showWarnings = FALSE)
  folder
}

# Refusals that are right: each is looked up in the data.
excused <- function(cnd, move, o, shape) {
  count <- function(sql) DBI::dbGetQuery(o$db, sql)[[1]]
  kind <- sub("hinterfeld_error_", "", class(cnd)[1])
  switch(kind,
    no_lines = move$kind %in% c("keep", "leave_out") &&
    count(sprintf("SELECT count(*) FROM kept WHERE coalesce((%s) = %d, 0)", move$sql, move$kind == "keep")) == 0,
    overflow = count(
      "SELECT max(sum(abs(revenue)) * 1000, sum(abs(pieces * coalesce(cost_whole, 0))) * 10000) FROM kept"
    ) > 2^45,
    argument = , column = move$kind == "crosstab" && shape$cut,
    measure = move$kind == "reconcile" && !any(vapply(shape$measures, function(m) m$kind %in% c("sum", "lines"), NA)),
    FALSE
  )
}

check_book <- function(book, o) {
  kept <- DBI::dbGetQuery(o$db, "SELECT count(*) AS n, coalesce(sum(revenue), 0) AS r,
                               count(DISTINCT order_) AS o FROM kept")
  steps <- hinterfeld::audit(book)
  if (steps$lines_after[nrow(steps)] != kept$n) differ("the audit has %g lines, SQLite %g",
                                                       steps$lines_after[nrow(steps)], kept$n)
  if (steps$revenue_after[nrow(steps)] != kept$r / 10^o$made$decimals) differ(
    "the audit has another revenue than SQLite"
  )
  if (!identical(steps$orders_after[nrow(steps)], as.numeric(kept$o))) {
    differ("the audit has %g orders, SQLite %g", steps$orders_after[nrow(steps)], kept$o)
  }
  if (!identical(as.numeric(book$span), as.numeric(o$span))) {
    differ("the daybook covers %s, by its conditions on the day %s", paste(format(book$span), collapse = " to "),
           paste(format(o$span), collapse = " to "))
  }
  ruled <- setdiff(as.integer(seq(o$span[1], o$span[2], by = 1)), as.integer(o$covered))
  if (!setequal(book$out, ruled) || book$early != length(o$early)) {
    differ("the daybook leaves out %d days and counts %d early ones; by its conditions it is %d and %d",
           length(book$out),
           book$early, length(ruled), length(o$early))
  }
}

# Follows one move: the rows that SQLite expects after it, compared with the table. NULL when nothing more can follow.
follow <- function(move, value, shape, o, place) {
  before <- place$t
  if (move$kind %in% c("crosstab", "reconcile", "deliver", "words")) {
    endings[[move$kind]](move, value, shape, o, before)
    return(NULL)
  }
  place$t <- value
  if (move$kind == "plain") {
    if (move$never(before) && inherits(value, "hinterfeld_totals")) differ("the table still claims to be one of totals")
    return(NULL)
  }
  shape <- switch(move$kind, totals = start_shape(move, o), cut = cut_shape(shape, move, before),
                  rename = renamed_shape(shape, move),
                  note = shape, sorted = shape, best = best_shape(shape, move, o),
                  change = change_shape(shape, move, o),
                  named = added(shape, oracle_named(o, shape$rows, shape, move$p), move),
                  step_shape(shape, move, o))
  if (!inherits(value, "hinterfeld_totals")) differ("it is not a totals table any more")
  shape$at <- compare_rows(value, shape)
  if (move$kind == "totals") check_order(value, shape, move, o)
  if (move$kind %in% c("change", "named")) check_causes(value, shape, move)
  if (move$kind == "totals") {
    check_targets(value, shape, o)
    check_dates(move, o, place)
    check_findings(place)
  }
  # From here on rows stand as the table has them.
  shape$rows <- shape$rows[shape$at, , drop = FALSE]
  shape
}

# The causes of a change make the change, wherever it can be compared.
check_causes <- function(t, shape, move) {
  if (shape$measures[[move$p$of]]$kind != "sum" || move$p$open) return()
  # A measure with a condition, and a tally that does not hold the pieces, have none.
  why <- tryCatch(suppressMessages(add_causes(t, move$p$of, name = "why", returns = chance(0.3),
                                              list_price = if (chance(0.3)) "cost")),
                  hinterfeld_error_measure = function(cnd) NULL, hinterfeld_error_facts = function(cnd) NULL,
                  hinterfeld_error_column = function(cnd) NULL)
  if (is.null(why)) return()
  change <- t[[paste0(move$p$name, "_change")]]
  parts <- grep("^why_", setdiff(names(why), "why_causes"), value = TRUE)
  parts <- Reduce(`+`, lapply(parts, function(part) why[[part]]))
  split <- why$why_causes == "split"
  unit <- 10^-shape$scales[[move$p$of]] / 4
  if (any(split != (t[[paste0(move$p$name, "_direction")]] != "unknown"))) differ("causes of what cannot be compared")
  if (any(is.na(parts) == split) || any(abs(parts - change)[split] > unit)) {
    differ("the causes of %s make %s and the change is %s", move$p$of, format(parts[split][1]),
           format(change[split][1]))
  }
}

start_shape <- function(move, o) {
  shape <- list(asked = move, every = move$every, by = move$by, names = c(move$every, move$by),
                measures = move$measures, splits = splits_of(move), cut = FALSE,
                steps = list(), fill = move$fill, scales = lapply(move$measures, function(m) m$scale),
                inexact = names(Filter(function(m) m$kind %in% c("mean", "median", "ratio"), move$measures)))
  shape$rows <- oracle_totals(o, move)
  shape$rows$period_no <- period_numbers(o, shape, shape$rows)
  shape
}

cut_shape <- function(shape, move, before) {
  rows <- move$rows(before)
  shape$cut <- shape$cut || length(rows) < nrow(before)
  shape$rows <- shape$rows[rows, , drop = FALSE]
  shape
}

renamed_shape <- function(shape, move) {
  swap <- function(x) replace(x, x == move$from, move$to)
  shape$by <- swap(shape$by)
  shape$steps <- lapply(shape$steps, function(step) {
    step$p["within"] <- list(swap(step$p$within))
    step
  })
  shape
}

added <- function(shape, answer, move) {
  shape$rows[names(answer)] <- answer
  scale <- shape$scales[[move$p$of]]
  mean <- move$p$of %in% shape$inexact || identical(move$p$what, "mean")
  exact <- !grepl("_share$|_pct$|_open_days|_class$|_direction$|_comparable$",
                  names(answer)) & !move$kind %in% c("rank", "share", "best")
  shape$scales[names(answer)[exact]] <- scale
  if (mean) shape$inexact <- c(shape$inexact, names(answer)[exact])
  shape
}

step_shape <- function(shape, move, o) {
  shape <- added(shape, step_answers[[move$kind]](o, shape$rows, shape, move$p), move)
  shape$steps <- c(shape$steps, list(move))
  shape
}

change_shape <- function(shape, move, o) {
  found <- oracle_change(o, shape$rows, shape, move$p)
  grown <- nrow(found$rows) > nrow(shape$rows)
  again <- shape$steps
  if (grown) {
    # What was added before is computed again over all rows; after a renaming it cannot be.
    kept <- c("lvl", paste0("k", seq_along(shape$names)), names(shape$measures), "period_no")
    shape$rows <- found$rows[kept]
    shape$rows$period_no <- period_numbers(o, shape, shape$rows)
    shape$steps <- list()
    for (step in again) shape <- if (step$kind == "change") change_shape(shape, step, o) else step_shape(shape, step, o)
  }
  shape <- added(shape, found$answer, move)
  shape$steps <- c(shape$steps, list(move))
  shape
}

best_shape <- function(shape, move, o) {
  shape$rows <- shape$rows[shape$rows$lvl == 1, , drop = FALSE]
  shape$splits <- shape$splits[1]
  p <- move$p
  shape$rows$by_mean <- mean_singles(o, shape, p, shape$rows, shape$names)
  ranks <- ask_rows(o, shape$rows, paste(rank_sql("by_mean", scope_sql(shape, p$within),
                                                  if (p$best) "DESC" else "ASC", p$ties, names_sql(shape)), "AS x"))$x
  shape$rows$by_mean <- NULL
  keep <- which(ranks <= p$n)
  column <- paste0(p$of, "_rank")
  if (is.null(shape$rows[[column]])) {
    shape$rows[[column]] <- ranks
    shape$steps <- c(shape$steps, list(list(kind = "rank", p = list(of = p$of, within = p$within, ties = p$ties,
                                                                    highest = p$best, name = column))))
  }
  shape$cut <- shape$cut || length(keep) < nrow(shape$rows)
  shape$rows <- shape$rows[keep, , drop = FALSE]
  shape
}

# What rows are ranked by: of recurring periods that hold unequally many single ones, or incomplete ones, the mean over
# the whole ones.
mean_singles <- function(o, shape, p, rows, split) {
  values <- rows[[p$of]]
  sum <- shape$measures[[p$of]]$kind %in% c("sum", "lines")
  if (!sum || !isTRUE(shape$every %in% recurring_names) || shape$every %in% p$within) return(values)
  single <- c(weekday = "day", month_of_year = "month", quarter_of_year = "quarter")[[shape$every]]
  whole <- whole_periods(o, single)
  # A period that began before the span is called what its first day in it is.
  held <- table(period_text(pmax(whole, o$span[1]), shape$every, o$made$calendar))
  days <- seq(o$span[1], o$span[2], by = 1)
  days <- days[period_starts(days, single, o$made$calendar) %in% whole]
  put_table(o$db, "whole_days", data.frame(whole_day = format(days)))
  from <- sprintf("(SELECT * FROM %s JOIN whole_days ON day = whole_day)", dated_lines(o, shape$every))
  found <- level_rows(o, split, shape$names, shape$measures[p$of], from)
  keys <- paste0("k", match(split, shape$names))
  values <- found[[p$of]][match(row_ids(rows[keys]), row_ids(found[keys]))]
  ones <- as.numeric(held[match(rows$k1, names(held))])
  ifelse(ones > 0, ifelse(is.na(values), 0, values) / ones, NA)
}

# Tables against rows ----------------------------------------------------------------------------------------

# Our rows as ids like those of SQLite's rows.
table_ids <- function(t, shape) {
  labels <- attr(t, "answer")$labels
  level <- if (length(shape$splits) > 1) as.integer(t$level) else rep(1L, nrow(t))
  keys <- lapply(seq_along(shape$names), function(k) {
    name <- c(shape$every, shape$by)[k]
    text <- as.character(t[[name]])
    split <- vapply(shape$splits, function(split) shape$names[k] %in% split, NA)[level]
    if (any(text[!split] != labels$total)) differ("`%s` of a subtotal is not \"%s\"", name, labels$total)
    text[!split | text %in% labels$not_given] <- NA
    text
  })
  row_ids(c(list(level), keys))
}

# For each row of the table the row of SQLite, after every number was compared.
compare_rows <- function(t, shape) {
  ours <- table_ids(t, shape)
  theirs <- row_ids(shape$rows[c("lvl", paste0("k", seq_along(shape$names), recycle0 = TRUE))])
  if (anyDuplicated(ours)) differ("two rows are one group: %s", ours[duplicated(ours)][1])
  if (!setequal(ours, theirs)) {
    differ("rows differ; only ours: %s; only SQLite's: %s", toString(utils::head(setdiff(ours, theirs), 3)),
           toString(utils::head(setdiff(theirs, ours), 3)))
  }
  at <- match(ours, theirs)
  for (name in setdiff(names(shape$rows),
                       c("lvl", "period_no", paste0("k", seq_along(shape$names), recycle0 = TRUE)))) {
    if (!name %in% names(t)) next
    expected <- shape$rows[[name]][at]
    scale <- shape$scales[[name]]
    if (!is.null(scale)) expected <- expected / 10^scale
    compare_column(name, t[[name]], expected, loose = name %in% shape$inexact || is.null(scale))
  }
  missing <- setdiff(names(shape$measures), names(t))
  if (length(missing)) differ("the table lacks %s", toString(missing))
  at
}

compare_column <- function(name, ours, expected, loose) {
  if (is.character(ours) || is.character(expected)) {
    same <- (is.na(ours) & is.na(expected)) | as.character(ours) == as.character(expected)
  } else {
    near <- if (loose) abs(ours - expected) <= 1e-12 * pmax(abs(ours), abs(expected)) else ours == expected
    same <- (is.na(ours) & is.na(expected)) | near
  }
  bad <- which(!(same %in% TRUE))
  if (length(bad)) differ("`%s`, row %d: ours %s, SQLite's %s", name, bad[1], format(ours[bad[1]], digits = 17),
                          format(expected[bad[1]], digits = 17))
}

# Periods in order, then by the first measure within the groups before, then by names.
check_order <- function(t, shape, move, o) {
  first <- shape$measures[[1]]
  if (length(shape$splits) > 1 || move$fill || !first$kind %in% c("sum", "lines") || length(shape$names) == 0) return()
  keys <- k_of(shape, shape$by)
  period <- if (length(shape$every)) "period_no"
  over <- vapply(seq_along(keys), function(j) paste(c(period, keys[seq_len(j)], "1"), collapse = ", "), "")
  sums <- sprintf("sum(%s) OVER (PARTITION BY %s) AS s%d", quote_sql(names(shape$measures)[1]), over, seq_along(keys))
  ask_rows(o, shape$rows, "1")
  terms <- sprintf("s%d DESC, %s IS NULL, %s", seq_along(keys), keys, keys)
  found <- DBI::dbGetQuery(o$db, sprintf("SELECT rn FROM (SELECT %s FROM t) ORDER BY %s",
                                         paste(c("*", if (length(keys)) sums), collapse = ", "),
                                         paste(c(period, if (length(keys)) terms), collapse = ", ")))$rn
  if (!identical(as.integer(found), as.integer(shape$at))) differ("rows are not in order")
}
