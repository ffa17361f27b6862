# What does not go with the rest of a state is taken out of it, rule by rule and in this order.

settling_rules <- list(
  # Ranks start afresh in columns that split, but never in the last one, which has the ranked members.
  within_splits = function(state, facts) {
    within <- intersect(unlist(state$within), unlist(state$table$by))
    if (length(within) && length(setdiff(split_of(state), within)) == 0) within <- utils::head(within, -1)
    state$within <- as.list(within)
    state
  },
  change_has_periods = function(state, facts) {
    named <- !is.null(step_given(state, "change")$periods)
    every <- unlist(state$table$every)
    if (if (named) length(every) > 0 else is.null(single_grain(every))) state <- steps_removed(state, "change")
    state
  },
  period_is_single = function(state, facts) {
    if (is.null(single_grain(unlist(state$table$every)))) steps_removed(state, "in_period") else state
  },
  open_days_need_growth = function(state, facts) {
    change <- step_given(state, "change")
    if (isTRUE(change$per_open_day) && !grows_with_days(state$table$measures[[1]])) {
      change$per_open_day <- NULL
      state$table <- step_in_table(state$table, "change", change)
    }
    state
  },
  causes_need_change = function(state, facts) {
    change <- step_given(state, "change")
    none <- is.null(change) || isTRUE(change$per_open_day) || !is.null(lacks_causes(state, facts))
    if (none) steps_removed(state, "causes") else state
  },
  target_is_of_split = function(state, facts) {
    target <- step_given(state, "target")
    planned <- c(setdiff(names(target$targets), "target"), target$of %||% "revenue")
    known <- c(split_of(state), brief_measure_names(state$table$measures))
    kept <- all(planned %in% known) && all(unlist(state$table$every) %in% planned)
    if (kept) state else steps_removed(state, "target")
  },
  steps_add_up = function(state, facts) {
    if (adds_up_entry(state$table$measures[[1]])) {
      return(state)
    }
    if (!is.null(state$table$pick)) state$table$pick[[1]]$others <- NULL
    steps_removed(state, adding_steps)
  },
  running_has_periods = function(state, facts) {
    if (is.null(unlist(state$table$every))) steps_removed(state, c("running_total", "moving")) else state
  },
  restart_is_longer = function(state, facts) {
    restart <- step_given(state, "running_total")$restart
    if (!is.null(restart) && !restart %in% longer_grains(unlist(state$table$every))) {
      state$table <- step_in_table(state$table, "running_total", list())
    }
    state
  },
  scopes_split = function(state, facts) {
    scoped <- function(step) {
      given <- step[[1]]
      if (is.list(given) && !is.null(given$within)) {
        given$within <- as.list(intersect(unlist(given$within), split_of(state)))
        if (length(given$within) == 0) given$within <- NULL
      }
      stats::setNames(list(given), names(step))
    }
    if (!is.null(state$table$add)) state$table$add <- lapply(state$table$add, scoped)
    if (!is.null(state$table$pick)) state$table$pick <- scoped(state$table$pick)
    state
  },
  one_row_has_no_rank = function(state, facts) {
    if (length(split_of(state))) {
      return(state)
    }
    state$table$pick <- state$table$sort <- NULL
    steps_removed(state, c("rank", "pareto", "share"))
  },
  subtotals_have_two = function(state, facts) {
    if (length(split_of(state)) < 2) state$table$subtotals <- NULL
    state
  },
  # Picked rows are spread without margins, and without the rest.
  grid_is_whole = function(state, facts) {
    state$table$crosstab <- settled_grid(state$table, split_of(state))
    if (is.null(state$table$crosstab)) {
      return(state)
    }
    if (!is.null(state$table$pick)) state$table$pick[[1]]$others <- NULL
    state$table$sort <- NULL
    steps_removed(state, "in_period")
  },
  sort_is_shown = function(state, facts) {
    table <- state$table
    measures <- brief_measure_names(table$measures)
    shown <- c(split_of(state), measures, added_names(c(table$add, list(table$pick)), measures), "level")
    if (!all(sub("^-", "", unlist(table$sort)) %in% shown)) state$table$sort <- NULL
    state
  }
)

valid_state <- function(state, facts) {
  plain_state(Reduce(function(state, rule) rule(state, facts), settling_rules, state))
}

split_of <- function(state) {
  c(unlist(state$table$every), unlist(state$table$by))
}

steps_removed <- function(state, kinds) {
  for (kind in kinds) state$table <- step_in_table(state$table, kind, NULL)
  state
}
