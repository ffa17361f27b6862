# The parts of the sentence, in its order, and what becomes of a state when a reader chooses another.
#
# title    what the form of its choices is called
# off      its word where it is not asked for; NULL for what is always said
# words    function(state, desk): how the sentence says it, by said(); NULL if it does not
# choices  function(state, desk): the fields of its form
# change   function(state, given, facts): the state after a choice; `given` are the values of the form, by their names
desk_parts <- list(
  measure = part_measure, counts = part_counts, by = part_by, within = part_within, every = part_every,
  versus = part_versus, rank = part_rank, share = part_share, running = part_running, pareto = part_pareto,
  grid = part_grid, rows = part_rows
)

# What else changes a state: buttons of the table and words that are taken away.
state_changes <- list(
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

# The state after a choice: `given` are the values of a form, by their names.
changed_state <- function(state, clause, given, facts) {
  check_given(given)
  change <- desk_parts[[clause]]$change %||% state_changes[[clause]]
  check_state(valid_state(change(state, given, facts), facts), facts)
}

is_number_asked <- function(x) {
  rlang::is_scalar_integerish(x, finite = TRUE) && abs(x) < 1e9
}

# What the fields of the forms hold. A page sends nothing else, but not all that comes is of a page.
given_kinds <- list(
  text = list(is = function(x) rlang::is_string(x), fields = c(
    "column", "how", "every", "versus", "now", "then", "period", "rank", "ties", "share", "running", "restart",
    "pareto", "figure", "rows", "text", "verb"
  )),
  texts = list(is = function(x) all(vapply(as.list(x), rlang::is_string, NA)), fields = c(
    "ways", "beside", "by", "within", "columns", "cells", "texts", "instead"
  )),
  number = list(is = function(x) is_number_asked(x), fields = c("n", "last", "place")),
  flag = list(is = function(x) rlang::is_bool(x),
              fields = c("weekday", "open", "causes", "each", "others", "mean", "subtotals", "fill"))
)

check_given <- function(given) {
  for (kind in given_kinds) for (field in intersect(kind$fields, names(given))) {
    if (!is.null(given[[field]]) && !kind$is(given[[field]])) {
      stop_because("argument", sprintf("The choice for %s is not valid.", quoted(name_words(field))),
                   i = "Choose it from the page.", call = NULL)
    }
  }
}
