# The parts of the sentence for ranks, shares, running figures and classes.

part_rank <- list(
  title = "Ranked how",
  off = "ranked",
  words = function(state, desk) said(said_rank(state), ", "),
  choices = function(state, desk) {
    pick <- state$table$pick
    best <- state$table$crosstab$best
    given <- pick[[1]] %||% best %||% step_given(state, "rank")
    now <- if (!is.null(best)) "best_sellers" else names(pick) %||% (if (!is.null(given)) "rank" else "none")
    split <- c(unlist(state$table$every), unlist(state$table$by))
    why <- if (length(split) == 0) "choose what to split by first"
    grid <- !is.null(state$table$crosstab)
    kinds <- c(none = "not ranked", rank = "every row with its rank", best_sellers = "the best only",
               slow_sellers = "the slowest only")
    htmltools::tagList(
      lapply(names(kinds), function(kind) {
        refused <- why %||% (if (grid && kind %in% c("rank", "slow_sellers")) "not in a table with columns across") %||%
          (if (grid && length(state$table$crosstab$rows) > 1) "only where rows are not grouped")
        choice("radio", "rank", kind, kinds[[kind]], kind == now, why = if (kind != "none") refused)
      }),
      count_input("n", "How many", given$n %||% 5L),
      choice("checkbox", "each", "true", "afresh in each period", starts_each_period(state, given),
             why = each_refused(state)),
      choice("checkbox", "others", "true", "one row for the rest", isTRUE(given$others),
             why = adding_refused(state) %||% (if (grid) "not in a table with columns across")),
      field_group("Equal values", lapply(tie_rules, function(rule) {
        choice("radio", "ties", rule, tie_choices[[rule]], rule == (given$ties %||% "standard"))
      }))
    )
  },
  change = function(state, given, facts) {
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
  }
)

part_share <- list(
  title = "Share of what",
  off = "as share of",
  words = function(state, desk) said(said_share(state), ", as share of "),
  choices = function(state, desk) {
    given <- step_given(state, "share")
    grid <- state$table$crosstab
    within <- unlist(given$within)
    now <- if (is.null(given)) {
      "none"
    } else if (length(within) == 0) {
      "all"
    } else if (setequal(within, unlist(grid$rows))) {
      "row"
    } else if (setequal(within, unlist(grid$columns))) {
      "column"
    } else {
      "within"
    }
    no_scope <- if (length(state$within) == 0 &&
                    length(state$table$every) == 0) "first choose what ranks and shares start afresh in"
    htmltools::tagList(
      choice("radio", "share", "none", "no shares", now == "none"),
      choice("radio", "share", "all", "of everything", now == "all", why = adding_refused(state)),
      choice("radio", "share", "within", if (length(state$within)) sprintf("of its %s", named_words(unlist(
        state$within))) else "of its period", now == "within", why = adding_refused(state) %||% no_scope),
      choice("checkbox", "each", "true", "of its period as well", starts_each_period(state, given) &&
               length(state$within) > 0, why = each_refused(state)),
      if (!is.null(grid)) list(choice("radio", "share", "row", "of its row", now == "row"),
                               choice("radio", "share", "column", "of its column", now == "column"))
    )
  },
  change = function(state, given, facts) {
    grid <- state$table$crosstab
    kind <- given$share %||% "none"
    within <- switch(kind, none = NULL, all = list(), within = scope_columns(state, isTRUE(given$each)),
                     row = grid$rows, column = grid$columns)
    state$table <- step_in_table(state$table, "share", if (kind != "none") Filter(length, list(within = within)))
    state$table$crosstab$of <- NULL
    state
  }
)

part_running <- list(
  title = "Running totals",
  off = "running",
  words = function(state, desk) said(said_running(state), ", "),
  choices = function(state, desk) {
    running <- step_given(state, "running_total")
    moving <- step_given(state, "moving")
    now <- if (!is.null(running)) "running" else if (!is.null(moving)) "moving" else "none"
    why <- adding_refused(state) %||% (if (length(state$table$every) == 0) "choose a period first")
    restarts <- c(none = "never", year = "each year", quarter = "each quarter", month = "each month")
    htmltools::tagList(
      choice("radio", "running", "none", "nothing running", now == "none"),
      choice("radio", "running", "running", "running total", now == "running", why = why),
      choice("radio", "running", "moving", "moving sum or mean over the last periods", now == "moving", why = why),
      if (now == "running") field_group("Starting again", lapply(names(restarts), function(value) {
        choice("radio", "restart", value, restarts[[value]], value == (running$restart %||% "none"),
               why = if (!value %in% c("none",
                                       longer_grains(unlist(state$table$every)))) "not longer than the table's period")
      })),
      if (now == "moving") list(count_input("last", "Periods", moving$last %||% 12L),
                                choice("checkbox", "mean", "true", "their mean instead of their sum",
                                       identical(moving$what, "mean")))
    )
  },
  change = function(state, given, facts) {
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
  }
)

part_pareto <- list(
  title = "Pareto classes",
  off = "Pareto",
  words = function(state, desk) if (!is.null(step_given(state, "pareto"))) said("Pareto classes", ", in "),
  choices = function(state, desk) {
    split <- c(unlist(state$table$by), unlist(state$table$every))
    why <- adding_refused(state) %||% (if (length(split) == 0) "choose what to split by first")
    now <- if (is.null(step_given(state, "pareto"))) "no" else "yes"
    htmltools::tagList(choice("radio", "pareto", "no", "no classes", now == "no"),
               choice("radio", "pareto", "yes", "A to 80 %, B to 95 %, C the rest", now == "yes", why = why))
  },
  change = function(state, given, facts) {
    classes <- if (identical(given$pareto, "yes")) Filter(length, list(within = state$within))
    state$table <- step_in_table(state$table, "pareto", classes)
    state
  }
)

tie_choices <- c(standard = "share the better rank: 1, 2, 2, 4", dense = "leave no gap: 1, 2, 2, 3",
               ordinal = "go by name: 1, 2, 3, 4", modified = "share the worse rank: 1, 3, 3, 4",
               fractional = "share the mean: 1, 2.5, 2.5, 4")

said_rank <- function(state) {
  pick <- state$table$pick
  best <- state$table$crosstab$best
  rank <- step_given(state, "rank")
  scope <- function(given) {
    within <- unlist(given$within)
    if (length(within)) paste(" of each", named_words(vapply(within, column_or_grain, ""))) else ""
  }
  if (!is.null(best)) {
    sprintf("the best %d rows", best$n)
  } else if (!is.null(pick) && names(pick) %in% pick_kinds) {
    sprintf("the %s %d%s", if (names(pick) == "best_sellers") "best" else "slowest", pick[[1]]$n %||% 5L,
            scope(pick[[1]]))
  } else if (!is.null(pick)) {
    "the best of each"
  } else if (!is.null(rank)) {
    if (length(rank$within)) {
      paste0("ranked in each ", named_words(vapply(unlist(rank$within), column_or_grain, "")))
    } else {
      "ranked over all"
    }
  }
}

said_share <- function(state) {
  given <- step_given(state, "share")
  if (is.null(given)) {
    return(NULL)
  }
  within <- unlist(given$within)
  if (length(within) == 0) "everything" else paste("its", named_words(vapply(within, column_or_grain, "")))
}

said_running <- function(state) {
  running <- step_given(state, "running_total")
  moving <- step_given(state, "moving")
  c(
    if (!is.null(running)) {
      paste0("running", if (!is.null(running$restart)) sprintf(" from each %s's start", running$restart))
    },
    if (!is.null(moving)) sprintf("moving %s of %d", moving$what %||% "sum", moving$last %||% 12L)
  )[1]
}
