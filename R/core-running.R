#' Running totals and moving figures along time
#'
#' `add_running_total()` adds up from period to period, `add_moving()` over the last periods. Rows of one
#' scope in one period are one value: both get the figure at the end of the period.
#'
#' Year to date is `add_running_total(t, restart = "year")`; the moving annual total of a monthly table is
#' `add_moving(t, last = 12)`.
#'
#' @inheritParams add_rank
#' @param of Text: name of a measure that adds up, a sum or a count of lines.
#' @param within Columns inside which the figure runs on its own; by default all columns but `along`.
#' @param along Column to run along; by default the period. Otherwise a `by` column of dates or numbers.
#' @param restart Text: `"year"`, `"quarter"`, `"month"` or `"week"`: start again with each, as the
#'   daybook's calendar has it. A week that lies in two of them belongs to that which holds its fourth day,
#'   the Thursday of an ISO week.
#' @param name Text: name of the new column instead of `<of>_running`, `<of>_moving_sum` or
#'   `<of>_moving_mean`.
#' @return `t` with the new column. A period in which a group has no row counts as 0; `totals(fill = TRUE)`
#'   gives it a row. A moving window that starts before the data do is missing, not wrong. Rows of
#'   subtotals over all periods have no figure.
#' @section Errors: As for [add_share()]; `hinterfeld_error_period` for a table without a period, or a
#'   restart that is not longer than the period.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = region, every = "month")
#' add_running_total(t, restart = "year", name = "year_to_date")
#' add_moving(totals(demo_daybook(), every = "month"), last = 12)
add_running_total <- function(t, of = "revenue", within = NULL, along = NULL, restart = NULL, name = NULL) {
  plan <- running_plan(t, of, enquo(within), enquo(along), restart, name %||% paste0(of, "_running"), "A running total")
  values <- run_along(t, plan, width = 0L, of)
  words <- sprintf("%s: running total of %s along %s %s%s.%s", plan$name, of, plan$along, plan$words,
                   if (is.null(restart)) "" else sprintf(", starting again each %s", restart), cut_words(t))
  add_running(t, plan, values, words, function(t) {
    add_running_total(t, of, tidyselect::all_of(plan$within), tidyselect::all_of(plan$along), restart, plan$name)
  })
}

#' @rdname add_running_total
#' @param last Whole number: how many periods the window has, its own included.
#' @param what Text: `"sum"` or `"mean"` of the window.
#' @export
add_moving <- function(t, of = "revenue", last = 12, what = c("sum", "mean"), within = NULL, along = NULL, name = NULL) {
  what <- check_choice(what[1], "what", c("sum", "mean"))
  if (!rlang::is_integerish(last, n = 1, finite = TRUE) || last < 1) {
    stop_because("argument", c("`last` must be a whole number of periods, 1 or more.", i = sprintf("It is %s.", describe(last))))
  }
  last <- as.integer(last)
  plan <- running_plan(t, of, enquo(within), enquo(along), NULL, name %||% paste0(of, "_moving_", what), "A moving figure")
  values <- run_along(t, plan, width = last, of)
  values[plan$place < last] <- NA
  if (what == "mean") {
    plan$decimals <- NULL
    values <- values / (last * 10^plan$minor_decimals)
  }
  words <- sprintf("%s: %s of %s over the last %s along %s %s; a period without a row counts as 0.%s%s", plan$name, what, of,
                   count_of(last, "period"), plan$along, plan$words, cut_words(t),
                   missing_words(values, "have a window that starts before the data"))
  add_running(t, plan, values, words, function(t) {
    add_moving(t, of, last, what, tidyselect::all_of(plan$within), tidyselect::all_of(plan$along), plan$name)
  })
}

add_running <- function(t, plan, values, words, step) {
  if (!is.null(plan$decimals)) values <- from_minor(values, plan$decimals)
  about <- about_column(plan$step, "figure", plan$of, known_column(memory_of(t), plan$of)$counts %||% "other", plan$decimals)
  about$along <- plan$along
  about$restart <- plan$restart
  add_derived(t, stats::setNames(list(values), plan$name), stats::setNames(list(about), plan$name), words, step)
}

# Everything a running figure needs: scope and place of each row, exact values.
running_plan <- function(t, of, within, along, restart, name, what, call = caller_env()) {
  check_totals(t, call = call)
  check_name(name, call)
  memory <- memory_of(t)
  values <- derive_values(t, of, call)
  check_adds_up(t, of, what, call)
  along <- running_along(t, along, what, call)
  default <- rlang::quo_is_null(within)
  within <- if (default) setdiff(c(memory$every, memory$by), along) else pick_within(within, t, call = call)
  place <- places_of(t, along)
  check_restart(memory, along, restart, call)
  scope <- derive_scope(t, within)$id
  if (!is.null(restart)) {
    turn <- period_bounds_kernel(as.integer(row_days(t)) + belongs_by(memory), restart, FALSE, memory$book$calendar$rules)
    scope <- group_lines(length(scope), list(new_key(NULL, scope, seq_len(max(scope, 0L))),
                                             new_key(NULL, match(turn, unique(turn)), unique(turn))))$codes
  }
  words <- if (length(within)) paste("within", and_list(within)) else "over the whole table"
  if (default && length(within)) words <- paste(words, "(all other columns, as no `within` was given)")
  whole <- minor_of(values)
  list(of = of, step = if (what == "A running total") "running" else "moving", within = within, along = along, restart = restart, place = place, scope = scope, name = name, words = words,
       decimals = whole$decimals, minor_decimals = whole$decimals, minor = whole$minor)
}

running_along <- function(t, along, what, call) {
  memory <- memory_of(t)
  if (!rlang::quo_is_null(along)) {
    name <- pick_within(along, t, "along", call)
    ordered <- length(name) == 1 && (identical(name, memory$every) || is.numeric(t[[name]]) || inherits(t[[name]], "Date"))
    if (ordered) {
      return(name)
    }
  } else if (!is.null(memory$every)) {
    return(memory$every)
  }
  stop_because("period", c(
    sprintf("%s needs a period to run along.", what),
    i = "Total with `every = \"month\"`, or give a column of dates or numbers as `along`."
  ), call = call)
}

# The place of each row along its column, counted from the first period of the data; 0 for totals.
places_of <- function(t, along) {
  memory <- memory_of(t)
  x <- t[[along]]
  if (!identical(along, memory$every)) {
    return(match(x, sort(unique(x))))
  }
  if (is.factor(x)) {
    return(replace(as.integer(x), x == memory$labels$total, 0L))
  }
  labels <- period_bounds_kernel(seq(as.integer(memory$book$span[1]), as.integer(memory$book$span[2])), memory$every, FALSE,
                                 memory$book$calendar$rules)
  place <- match(as.integer(row_days(t)), unique(labels))
  replace(place, is.na(place), 0L)
}

# A week belongs to the year that holds its fourth day, as ISO 8601 has it, and so to the quarter and the month.
belongs_by <- function(memory) {
  if (memory$every == "week" && memory$book$calendar$weeks != "445") 3L else 0L
}

# The first day of each row's period; missing for subtotals over all periods.
row_days <- function(t) {
  memory <- memory_of(t)
  x <- t[[memory$every]]
  if (is.character(x)) as.Date(replace(x, x == memory$labels$total, NA)) else x
}

check_restart <- function(memory, along, restart, call) {
  if (is.null(restart)) {
    return(invisible())
  }
  check_choice(restart, "restart", grains[-1], call = call)
  if (!identical(along, memory$every) || !memory$every %in% grains ||
      match(restart, grains) <= match(memory$every, grains)) {
    stop_because("period", c(
      sprintf("A running total along `%s` cannot start again each %s.", along, restart),
      i = "Restart with a longer period than the table's, in a table with a period that has a year."
    ), call = call)
  }
}

run_along <- function(t, plan, width, of, call = caller_env()) {
  rows <- which(plan$place > 0)
  order <- rows[order_kernel(plan$scope[rows], max(plan$scope, 1L), as.double(plan$place[rows]), NULL, NULL, FALSE, threads_wanted())]
  values <- running_kernel(order, plan$scope, plan$place, as.double(plan$minor), width)
  if (any(is.nan(values) & !is.na(plan$minor))) {
    stop_overflow(of, call)
  }
  values
}
