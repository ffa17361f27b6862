# The steps of a state: which there are, what they are taken within, and what keeps one from being taken.

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
