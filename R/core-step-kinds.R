# The registry of steps: each is one entry, from which the form of briefs, their checks, the code of an inquiry and the
# help of `read_brief()` are made.

# What an argument of a step is: its `type` (text, texts for one or several, columns, flag, count, fraction, day,
# fractions, periods, targets or order), its `choices` where it has any, and its `default` (NULL for none).
step_argument <- function(type, default = NULL, choices = NULL, least = NULL) {
  list(type = type, default = default, choices = choices, least = least)
}

arg_of <- step_argument("text", "revenue")
arg_within <- step_argument("columns")
arg_name <- step_argument("text")
arg_ties <- step_argument("text", "standard", tie_rules)

seller_arguments <- list(
  n = step_argument("count", 5, least = 1), within = arg_within, of = arg_of, ties = arg_ties,
  others = step_argument("flag", FALSE), share = step_argument("fraction")
)

# take       the verb; `verb` its name
# outputs    what the names of its columns end in, by output, behind the name given or the column it is about; or a
#            function of its arguments that says so
# in_cells   the outputs that a crosstab shows unless it is told others; all of them without it
# arguments  those of the verb
# needs      what the table must have: period (one that has a year), periods (the same, unless two are named), along
#            (any period), change (such a step), or nothing
step_kinds <- list(
  change = list(
    take = function(...) add_change(...), verb = "add_change", needs = "periods",
    outputs = c(now = "_now", before = "_before", change = "_change", pct = "_change_pct", direction = "_direction",
                open = "_open_days", open_before = "_open_days_before"),
    in_cells = c("change", "pct"),
    arguments = list(
      of = step_argument("texts", "revenue"),
      versus = step_argument("text", "year_before", c("year_before", "period_before")),
      align = step_argument("text", "date", c("date", "weekday")), like_for_like = step_argument("flag", TRUE),
      as_of = step_argument("day"), periods = step_argument("periods"), per_open_day = step_argument("flag", FALSE),
      name = arg_name
    )
  ),
  causes = list(
    take = function(...) add_causes(...), verb = "add_causes", needs = "change",
    outputs = cause_endings, in_cells = setdiff(names(all_causes), "causes"),
    arguments = list(of = arg_of, over = step_argument("columns", "product"), units = step_argument("text", "units"),
                     list_price = step_argument("text"), returns = step_argument("flag", FALSE), name = arg_name)
  ),
  target = list(
    take = function(...) add_target(...), verb = "add_target", needs = NULL,
    outputs = c(target = "_target", due = "_due", difference = "_difference", reached = "_reached"),
    arguments = list(of = arg_of, targets = step_argument("targets"),
                     due = step_argument("text", "days", c("days", "year_before")), name = arg_name)
  ),
  rank = list(
    take = function(...) add_rank(...), verb = "add_rank", needs = NULL, outputs = c(rank = "_rank"),
    arguments = list(of = arg_of, within = arg_within, ties = arg_ties, highest_first = step_argument("flag", TRUE),
                     name = arg_name)
  ),
  share = list(
    take = function(...) add_share(...), verb = "add_share", needs = NULL, outputs = c(share = "_share"),
    arguments = list(of = arg_of, within = arg_within, name = arg_name)
  ),
  running_total = list(
    take = function(...) add_running_total(...), verb = "add_running_total", needs = "along",
    outputs = c(running = "_running"),
    arguments = list(of = arg_of, within = arg_within, along = step_argument("text"),
                     restart = step_argument("text", choices = rev(grains[-1])), name = arg_name)
  ),
  moving = list(
    take = function(...) add_moving(...), verb = "add_moving", needs = "along",
    outputs = function(args) c(moving = paste0("_moving_", args$what %||% "sum")),
    arguments = list(of = arg_of, last = step_argument("count", 12, least = 1),
                     what = step_argument("text", "sum", c("sum", "mean")), within = arg_within,
                     along = step_argument("text"), name = arg_name)
  ),
  pareto = list(
    take = function(...) add_pareto(...), verb = "add_pareto", needs = NULL,
    outputs = c(cumulative = "_cumulative", share = "_cumulative_share", members = "_member_share", class = "_class"),
    arguments = list(of = arg_of, within = arg_within,
                     classes = step_argument("fractions", c(A = 0.80, B = 0.95, C = 1)), name = arg_name)
  ),
  best_sellers = list(
    take = function(...) best_sellers(...), verb = "best_sellers", needs = NULL, outputs = c(rank = "_rank"),
    arguments = seller_arguments
  ),
  slow_sellers = list(
    take = function(...) slow_sellers(...), verb = "slow_sellers", needs = NULL, outputs = c(rank = "_rank"),
    arguments = seller_arguments
  ),
  sort_rows = list(
    take = function(t, order) rlang::inject(sort_rows(t, !!!order_columns(order))), verb = "sort_rows", needs = NULL,
    outputs = character(), arguments = list(order = step_argument("order"))
  ),
  in_period = list(
    take = function(...) in_period(...), verb = "in_period", needs = "period", outputs = character(),
    arguments = list(period = step_argument("text"))
  )
)

# The columns of an order as sort_rows() takes them: down(revenue) where TRUE.
order_columns <- function(order) {
  unname(Map(function(name, down) if (down) call("down", as.symbol(name)) else as.symbol(name), names(order), order))
}

# Steps that only put rows in order or choose a period.
row_kinds <- c("sort_rows", "in_period")

# The arguments of a step as its verb takes them, without those that are its defaults; `name` where the columns are not
# called as they would be without one.
step_call_arguments <- function(step) {
  kind <- step_kinds[[step$kind]]
  given <- step$args[intersect(names(kind$arguments), names(step$args))]
  name <- if ("name" %in% names(kind$arguments)) given_name(step)
  if (!is.null(name)) given$name <- name
  same <- vapply(names(given),
                 function(name) is.null(given[[name]]) || identical(given[[name]], kind$arguments[[name]]$default), NA)
  given <- given[!same]
  # No `within` is the whole table, but for what runs along a period.
  empty <- vapply(given, function(x) is.character(x) && length(x) == 0, NA)
  if (identical(kind$needs, "along")) given else given[!empty]
}

# What the names of a step's columns end in, by output.
step_outputs <- function(kind, args) {
  outputs <- step_kinds[[kind]]$outputs
  if (is.function(outputs)) outputs(args) else outputs
}

# What the columns of a step begin with, where that is not the column that it is about.
given_name <- function(step) {
  if (length(step$columns) == 0) {
    return(NULL)
  }
  endings <- step_outputs(step$kind, step$args)
  output <- intersect(names(step$columns), names(endings))[1]
  column <- step$columns[[output]]
  # Of two changes the second has a name even when that is what it is about: `comparable` is there already.
  second <- paste0(step$args$of, "_comparable") %in% step$columns["comparable"]
  # Steps of one column are called as the name says; others begin with it.
  if (column == paste0(step$args$of, endings[[output]]) && !second) NULL else if (length(step$columns) == 1) column else
    substr(column, 1, nchar(column) - nchar(endings[[output]]))
}

# The columns that a brief's steps can add to a table of these measures; or those of them that a crosstab shows.
added_names <- function(steps, measures, in_cells = FALSE) {
  unlist(lapply(Filter(length, steps), function(step) {
    given <- step[[1]]
    endings <- step_outputs(names(step), given)
    if (length(endings) == 1 && !is.null(given$name)) {
      return(given$name)
    }
    shown <- if (in_cells) step_kinds[[names(step)]]$in_cells
    if (!is.null(shown)) endings <- endings[intersect(shown, names(endings))]
    outer(given$name %||% unlist(given$of) %||% usual_measure(measures), endings, paste0)
  }))
}
