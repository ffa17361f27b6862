# The parts of the sentence, as they stand in a state, and what becomes of it when the reader chooses another.

desk_clauses <- c("measure", "counts", "by", "within", "every", "versus", "rank", "share", "running", "pareto", "grid",
                "rows")

main_measure <- function(state) {
  brief_measure_names(state$table$measures)[1] %||% "revenue"
}

# Revenue is the default, so it is left out.
other_than_usual <- function(name) {
  if (!identical(name, "revenue")) name
}

# The arguments of the step of a kind, an empty list for none of its own; NULL where there is no such step.
step_given <- function(state, kind) {
  for (step in state$table$add) if (identical(names(step), kind)) return(step[[1]] %||% list())
  NULL
}

# The table with a step of that kind in its place, or without it where `given` is NULL.
step_in_table <- function(table, kind, given) {
  others <- Filter(function(step) !identical(names(step), kind), table$add)
  if (!is.null(given)) {
    of_measure <- "of" %in% names(step_kinds[[kind]]$arguments)
    if (of_measure) given$of <- other_than_usual(brief_measure_names(table$measures)[1])
    others <- c(others, list(stats::setNames(list(if (length(given)) given), kind)))
  }
  # Shares and ranks are taken of the rows that are left, so they come after what chooses among periods.
  taken <- c("change", "causes", "target", "running_total", "moving", "in_period", "share", "rank", "pareto")
  place <- match(vapply(others, names, ""), taken)
  table$add <- others[order(place)]
  if (length(table$add) == 0) table$add <- NULL
  table
}

# What a step is taken within: the state's columns, and the period where it starts afresh in each.
scope_columns <- function(state, each_period) {
  as.list(c(if (each_period) unlist(state$table$every), unlist(state$within)))
}

starts_each_period <- function(state, given) {
  length(intersect(unlist(given$within), unlist(state$table$every))) > 0
}

# The state after a choice: `given` are the values of a form, by their names.
changed_state <- function(state, clause, given, facts) {
  check_given(given)
  check_state(valid_state(clause_changes[[clause]](state, given, facts), facts), facts)
}

is_number_asked <- function(x) {
  rlang::is_scalar_integerish(x, finite = TRUE) && abs(x) < 1e9
}

# What the fields of the forms hold. A page sends nothing else, but not all that comes is of a page.
given_kinds <- list(
  text = list(is = rlang::is_string, fields = c(
    "column", "how", "every", "versus", "now", "then", "period", "rank", "ties", "share", "running", "restart", "pareto",
    "figure", "rows", "text", "verb"
  )),
  texts = list(is = function(x) all(vapply(as.list(x), rlang::is_string, NA)), fields = c(
    "ways", "beside", "by", "within", "columns", "cells", "texts", "instead"
  )),
  number = list(is = function(x) is_number_asked(x), fields = c("n", "last", "place")),
  flag = list(is = rlang::is_bool, fields = c("weekday", "open", "causes", "each", "others", "mean", "subtotals", "fill"))
)

check_given <- function(given) {
  for (kind in given_kinds) for (field in intersect(kind$fields, names(given))) {
    if (!is.null(given[[field]]) && !kind$is(given[[field]])) {
      stop_because("argument", sprintf("What was chosen as %s cannot be chosen.", quoted(name_words(field))),
                   i = "Choose it from the page.", call = NULL)
    }
  }
}

clause_changes <- list(
  measure = function(state, given, facts) {
    main <- chosen_measure(given, facts)
    own <- entry_parts(main)
    ways <- if (!is.null(own$column) && !own$how %in% c("distinct", "other")) {
      lapply(setdiff(intersect(unlist(given$ways), names(measure_hows)), c("ratio", own$how)), measure_entry,
             column = own$column)
    }
    others <- c(ways, lapply(unlist(given$beside), brief_entry_of))
    others <- others[!duplicated(vapply(others, entry_name, ""))]
    state$table$measures <- c(list(main), Filter(function(entry) entry_name(entry) != entry_name(main), others))
    with_main(state, entry_name(main))
  },
  by = function(state, given, facts) {
    state$table$by <- as.list(unique(c(unlist(state$within), unlist(given$by))))
    state
  },
  within = function(state, given, facts) {
    inner <- setdiff(unlist(state$table$by), c(unlist(state$within), unlist(given$within)))
    state$within <- as.list(unlist(given$within))
    state$table$by <- as.list(c(unlist(given$within), inner))
    rescoped(state)
  },
  every = function(state, given, facts) {
    every <- strsplit(given$every %||% "", " ", fixed = TRUE)[[1]]
    scoped <- lapply(c(share = "share", rank = "rank"), function(kind) step_given(state, kind))
    each <- vapply(scoped, function(step) starts_each_period(state, step), NA)
    pick_each <- starts_each_period(state, state$table$pick[[1]])
    state$table$every <- if (length(every)) as.list(every)
    rescoped(state, each = c(each, pick = pick_each) & length(every) > 0)
  },
  versus = function(state, given, facts) {
    none <- identical(given$versus %||% "none", "none")
    periods <- if (identical(given$versus, "periods")) chosen_periods(given, facts$calendar)
    change <- if (is.null(periods)) list(versus = given$versus, align = if (isTRUE(given$weekday)) "weekday") else {
      # Two periods are compared in a table without one.
      state$table["every"] <- list(NULL)
      list(periods = periods)
    }
    change <- c(change, list(per_open_day = if (isTRUE(given$open)) TRUE))
    state$table <- step_in_table(state$table, "change", if (!none) Filter(Negate(is.null), change))
    state$table <- step_in_table(state$table, "causes", if (isTRUE(given$causes)) list())
    if (none) state$table <- step_in_table(state$table, "target", NULL)
    period <- if (nzchar(given$period %||% "")) list(period = given$period)
    state$table <- step_in_table(state$table, "in_period", period)
    state
  },
  rank = function(state, given, facts) {
    kind <- given$rank %||% "none"
    within <- scope_columns(state, isTRUE(given$each))
    ties <- if (!identical(given$ties, "standard")) given$ties
    rank <- if (kind == "rank") Filter(length, list(within = within, ties = ties))
    state$table <- step_in_table(state$table, "rank", rank)
    state$table$pick <- NULL
    state$table$crosstab$best <- NULL
    n <- as.integer(min(max(given$n %||% 5, 1), 1000))
    if (kind == "best_sellers" && !is.null(state$table$crosstab)) {
      state$table$crosstab$best <- list(n = n)
    } else if (kind != "none" && kind != "rank") {
      args <- Filter(length, list(n = n, of = other_than_usual(main_measure(state)), within = within, ties = ties,
                                  others = if (isTRUE(given$others)) TRUE))
      state$table$pick <- stats::setNames(list(args), kind)
      state$table$subtotals <- NULL
    }
    state
  },
  share = function(state, given, facts) {
    grid <- state$table$crosstab
    kind <- given$share %||% "none"
    within <- switch(kind, none = NULL, all = list(), within = scope_columns(state, isTRUE(given$each)),
                     row = grid$rows, column = grid$columns)
    state$table <- step_in_table(state$table, "share", if (kind != "none") Filter(length, list(within = within)))
    state$table$crosstab$of <- NULL
    state
  },
  running = function(state, given, facts) {
    table <- step_in_table(step_in_table(state$table, "running_total", NULL), "moving", NULL)
    state$table <- switch(given$running %||% "none",
      none = table,
      running = step_in_table(table, "running_total",
                          if (isTRUE(given$restart %in% grains)) list(restart = given$restart) else list()),
      moving = step_in_table(table, "moving", list(
        last = max(1L, as.integer(given$last %||% 12)), what = if (isTRUE(given$mean)) "mean" else "sum"
      ))
    )
    state
  },
  pareto = function(state, given, facts) {
    classes <- if (identical(given$pareto, "yes")) Filter(length, list(within = state$within))
    state$table <- step_in_table(state$table, "pareto", classes)
    state
  },
  grid = function(state, given, facts) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    columns <- intersect(split, unlist(given$columns))
    rows <- setdiff(split, columns)
    state$table$sort <- NULL
    state$table$crosstab <- if (length(columns) && length(rows)) {
      state$table$pick <- NULL
      list(rows = as.list(rows), columns = as.list(columns), of = as.list(given$cells), margins = TRUE)
    }
    state
  },
  rows = function(state, given, facts) {
    state$table$subtotals <- if (isTRUE(given$subtotals)) TRUE
    state$table$fill <- if (isTRUE(given$fill)) TRUE
    state
  },
  # Buttons of the table and words that are taken away.
  swap = function(state, given, facts) {
    grid <- state$table$crosstab
    state$table$crosstab[c("rows", "columns")] <- grid[c("columns", "rows")]
    state$table$crosstab$order <- state$table$crosstab$best <- NULL
    state
  },
  sort = function(state, given, facts) {
    now <- if (is.null(state$table$crosstab)) state$table$sort else state$table$crosstab$order
    down <- paste0("-", given$column)
    order <- list(if (identical(unlist(now), down)) given$column else down)
    if (is.null(state$table$crosstab)) state$table$sort <- order else state$table$crosstab$order <- order
    state
  },
  # The column that is to stand first of those that split inside the others.
  first = function(state, given, facts) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    state$table$by <- as.list(c(unlist(state$within), unique(c(intersect(given$column, inner), inner))))
    state
  },
  condition = function(state, given, facts) {
    verb <- if (identical(given$verb, "leave_out")) "leave_out" else "keep"
    # What is chosen of a column takes the place of what was.
    if (!is.null(given$instead)) {
      state$table$keep <- Filter(function(text) !is_about(text, given$instead, given$texts), state$table$keep)
    }
    state$table[[verb]] <- as.list(unique(c(unlist(state$table[[verb]]), unlist(given$texts))))
    in_first_order(state)
  },
  drop = function(state, given, facts) {
    state$table[[given$verb]] <- state$table[[given$verb]][-as.integer(given$place)]
    if (length(state$table[[given$verb]]) == 0) state$table[[given$verb]] <- NULL
    in_first_order(state)
  },
  figure = function(state, given, facts) {
    state$figure <- if (isTRUE(given$figure %in% names(figure_kinds))) given$figure
    state
  },
  mark = function(state, given, facts) {
    state$mark <- if (isTRUE(given$rows %in% mark_kinds)) {
      list(rows = given$rows, n = if (given$rows == "best") 3L, text = if (given$rows == "text") given$text)
    }
    if (!is.null(state$mark)) state$mark <- Filter(Negate(is.null), state$mark)
    state
  }
)

# The values of a column that the state's own conditions keep; NULL if it has none for the column.
kept_values <- function(state, column) {
  held <- Filter(function(one) identical(one$column, column), lapply(unlist(state$table$keep), text_values))
  unlist(lapply(held, function(one) one$values))
}

text_values <- function(text) {
  condition_values(parsed_condition(text))
}

parsed_condition <- function(text) {
  tryCatch(str2lang(text), error = function(cnd) NULL)
}

# Whether a condition says something of the column that the new `texts` say again: values, or one end of the days.
is_about <- function(text, column, texts) {
  compares <- function(expr) rlang::is_call(expr, c("<=", ">="), n = 2) && identical(expr[[2]], as.symbol(column))
  old <- parsed_condition(text)
  identical(condition_values(old)$column, column) ||
    compares(old) && any(vapply(texts, function(new) identical(parsed_condition(new)[[1]], old[[1]]), NA))
}

# The two named periods, now and then, as pairs of days.
chosen_periods <- function(given, calendar, call = NULL) {
  names <- trimws(c(given$now %||% "", given$then %||% ""))
  pairs <- lapply(names, function(name) if (nzchar(name)) named_period(name, calendar))
  wrong <- vapply(pairs, is.null, NA)
  if (any(wrong)) {
    stop_because("period", sprintf("%s is not a period.", quoted(names[wrong][1])), i = period_names_hint, call = call)
  }
  if (names[1] == names[2]) {
    stop_because("period", "A period cannot be compared with itself.", i = "Name two periods.", call = call)
  }
  stats::setNames(lapply(pairs, function(days) as.list(format(days))), names)
}

# "distinct order" and "ratio units" are choices of one list each.
chosen_measure <- function(given, facts) {
  column <- given$column %||% facts_numbers(facts)[1]
  how <- strsplit(given$how %||% "total", " ", fixed = TRUE)[[1]]
  if (startsWith(column, "distinct ")) {
    return(measure_entry(sub("^distinct ", "", column), "distinct"))
  }
  same <- column == "lines" || length(how) > 1 && how[2] == column
  measure_entry(column, if (same) "total" else how[1], if (length(how) > 1) how[2])
}

# All steps are about the measure that the sentence is about.
with_main <- function(state, name) {
  renewed <- function(step) {
    given <- step[[1]]
    kind <- names(step)
    # What was planned was planned of one measure.
    if (kind != "target" && "of" %in% names(step_kinds[[kind]]$arguments)) given$of <- other_than_usual(name)
    given$name <- NULL
    stats::setNames(list(if (length(given)) given), kind)
  }
  if (!is.null(state$table$add)) state$table$add <- lapply(state$table$add, renewed)
  if (!is.null(state$table$pick)) state$table$pick <- renewed(state$table$pick)
  state$table$sort <- state$table$crosstab$order <- NULL
  state
}

# Ranks, shares and picks inside the state's columns again; `each` tells which of them start afresh in each period.
rescoped <- function(state, each = NULL) {
  for (kind in c("share", "rank", "pareto")) {
    given <- step_given(state, kind)
    whole <- kind == "share" && length(given$within) == 0
    if (is.null(given) || whole) next
    afresh <- if (is.null(each)) starts_each_period(state, given) else isTRUE(each[kind])
    given$within <- scope_columns(state, afresh)
    state$table <- step_in_table(state$table, kind, Filter(length, given))
  }
  if (!is.null(state$table$pick)) {
    given <- state$table$pick[[1]]
    afresh <- if (is.null(each)) starts_each_period(state, given) else isTRUE(each["pick"])
    given$within <- scope_columns(state, afresh)
    state$table$pick[[1]] <- Filter(length, given)
  }
  state
}

# The columns of a grid are others when other lines count.
in_first_order <- function(state) {
  if (!is.null(state$table$crosstab)) state$table$crosstab$order <- NULL
  state
}

# What does not go with the rest is taken out: a change without periods, a grid of one column.
valid_state <- function(state, facts) {
  table <- state$table
  by <- unlist(table$by)
  every <- unlist(table$every)
  split <- c(every, by)
  state$within <- as.list(intersect(unlist(state$within), by))
  # The last column holds the ranked members, so it cannot be one to rank within.
  if (length(state$within) && length(setdiff(split, unlist(state$within))) == 0) {
    state$within <- as.list(utils::head(unlist(state$within), -1))
  }
  single <- single_grain(every)
  named <- !is.null(step_given(list(table = table), "change")$periods)
  if (if (named) length(every) > 0 else is.null(single)) table <- step_in_table(table, "change", NULL)
  if (is.null(single)) table <- step_in_table(table, "in_period", NULL)
  change <- step_given(list(table = table), "change")
  if (isTRUE(change$per_open_day) && !grows_with_days(table$measures[[1]])) {
    change$per_open_day <- NULL
    table <- step_in_table(table, "change", change)
  }
  if (is.null(change) || isTRUE(change$per_open_day) || !is.null(lacks_causes(state, facts))) {
    table <- step_in_table(table, "causes", NULL)
  }
  # Targets are for what they are split by.
  target <- step_given(list(table = table), "target")
  planned <- c(setdiff(names(target$targets), "target"), target$of %||% "revenue")
  if (!all(planned %in% c(split, brief_measure_names(table$measures))) || !all(every %in% planned)) {
    table <- step_in_table(table, "target", NULL)
  }
  if (!adds_up_entry(table$measures[[1]])) for (kind in adding_steps) table <- step_in_table(table, kind, NULL)
  if (!adds_up_entry(table$measures[[1]]) && !is.null(table$pick)) table$pick[[1]]$others <- NULL
  if (is.null(every)) for (kind in c("running_total", "moving")) table <- step_in_table(table, kind, NULL)
  scopes <- function(given) {
    if (is.list(given) && !is.null(given$within)) given$within <- as.list(intersect(unlist(given$within), split))
    if (is.list(given) && length(given$within) == 0) given$within <- NULL
    given
  }
  restart <- step_given(list(table = table), "running_total")$restart
  if (!is.null(restart) && !restart %in% longer_grains(every)) {
    table <- step_in_table(table, "running_total", list())
  }
  if (!is.null(table$add)) {
    table$add <- lapply(table$add, function(step) stats::setNames(list(scopes(step[[1]])), names(step)))
  }
  if (!is.null(table$pick)) table$pick[[1]] <- scopes(table$pick[[1]])
  if (length(split) == 0) {
    table$subtotals <- table$pick <- table$sort <- NULL
    for (kind in c("rank", "pareto", "share")) table <- step_in_table(table, kind, NULL)
  }
  if (length(split) < 2) table$subtotals <- NULL
  table$crosstab <- settled_grid(table, split)
  # Picked rows are spread without margins, and without the rest.
  if (!is.null(table$crosstab) && !is.null(table$pick)) table$pick[[1]]$others <- NULL
  if (!is.null(table$crosstab)) table <- step_in_table(table, "in_period", NULL)
  state$table <- table
  if (!is.null(table$crosstab)) state$table$sort <- NULL
  shown <- c(split, brief_measure_names(table$measures), added_names(table$add), added_names(list(table$pick)), "level")
  if (!all(sub("^-", "", unlist(state$table$sort)) %in% shown)) state$table$sort <- NULL
  plain_state(state)
}

# What can stand in the cells of a grid: the measures, and the main column of each step.
cell_choices <- function(table) {
  steps <- Filter(function(step) names(step) %in% c("share", "rank", "change", "running_total", "moving"), table$add)
  added <- unlist(lapply(steps, function(step) {
    given <- step[[1]]
    of <- given$of %||% "revenue"
    switch(names(step), change = paste0(of, c("_change", "_change_pct")),
           moving = paste0(of, "_moving_", given$what %||% "sum"), paste0(of, step_kinds[[names(step)]]$outputs[1]))
  }))
  c(brief_measure_names(table$measures), added)
}

# Steps that mean nothing of a measure that does not add up from row to row.
adding_steps <- c("share", "pareto", "target", "running_total", "moving")

adds_up_entry <- function(entry) {
  !is.list(entry) || any(c("sum_of", "count_lines") %in% names(entry[[1]]))
}

grows_with_days <- function(entry) {
  adds_up_entry(entry) || "count_distinct" %in% names(entry[[1]])
}

# Why the change of the state's measure has no causes in these facts; NULL if it can have some.
lacks_causes <- function(state, facts) {
  entry <- state$table$measures[[1]]
  about <- if (is.list(entry)) entry[[1]]
  if (identical(entry, "lines") || is.list(entry) && (is.null(about$sum_of) || !is.null(about$where))) {
    "only for a sum of amounts or pieces"
  } else if (!all(c("product", "units") %in% c(split_columns(facts), facts_numbers(facts)))) {
    "these data do not say how many pieces were sold"
  }
}

# The periods that a running total of these can start again in.
longer_grains <- function(every) {
  single <- single_grain(every)
  if (is.null(single)) character() else setdiff(grains[match(grains, grains) > match(single, grains)], "week")
}

# A grid has rows and columns of what the table is split by, and shows shares where they are asked for.
settled_grid <- function(table, split) {
  grid <- table$crosstab
  rows <- intersect(unlist(grid$rows), split)
  columns <- intersect(unlist(grid$columns), split)
  rows <- c(rows, setdiff(split, c(rows, columns)))
  if (length(rows) == 0 || length(columns) == 0) {
    return(NULL)
  }
  choices <- cell_choices(table)
  shares <- added_names(Filter(function(step) names(step) == "share", table$add))
  shown <- intersect(unlist(grid$of), choices)
  if (length(shown) == 0) shown <- c(intersect(shares, choices), choices)[1]
  same <- identical(unlist(grid$rows), rows) && identical(unlist(grid$columns), columns) &&
    identical(unlist(grid$of), shown)
  # Rows that stand in groups have no best of all.
  best <- if (!is.null(grid$best) && length(rows) == 1) list(n = grid$best$n)
  Filter(Negate(is.null), list(rows = as.list(rows), columns = as.list(columns), of = as.list(shown),
                               margins = is.null(table$pick),
                               order = if (same) grid$order, best = best))
}
