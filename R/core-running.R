#' Running totals and moving sums and means along time
#'
#' `add_running_total()` adds up from period to period; `add_moving()` gives the sum or mean of the last few periods. If
#' a scope has several rows in one period, all of them get the value at the end of that period.
#'
#' Year to date is `add_running_total(t, restart = "year")`; the moving annual total of a monthly table is
#' `add_moving(t, last = 12)`.
#'
#' @inheritParams add_rank
#' @param of A measure that adds up, a sum or a count of lines, as in [add_rank()].
#' @param within Columns inside which it starts afresh; by default all columns except `along`.
#' @param along Column to run along; by default the period. Otherwise a `by` column of dates or numbers.
#' @param restart Text: `"year"`, `"quarter"`, `"month"` or `"week"`: start again with each of these in the daybook's
#'   calendar. A week that spans two of them belongs to the one that contains its fourth day, which is the Thursday of
#'   an ISO week.
#' @param name Text: name of the new column instead of `<of>_running`, `<of>_moving_sum` or
#'   `<of>_moving_mean`.
#' @return `t` with the new column. A period in which a group has no row counts as 0; `totals(fill = TRUE)`
#'   gives it a row. A moving window is missing where it holds a period that the data do not cover whole, but for the
#'   last one, and where it holds a missing value. A running total has no value where `of` has none, and goes on from
#'   what is known. Rows of subtotals over all periods have no value.
#' @section Errors: As for [add_share()]; `hinterfeld_error_period` for a table without a period, or a
#'   restart that is not longer than the period.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = region, every = "month")
#' add_running_total(t, restart = "year", name = "year_to_date")
#' add_moving(totals(demo_daybook(), every = "month"), last = 12)
add_running_total <- function(t, of = NULL, within = NULL, along = NULL, restart = NULL, name = NULL) {
  of <- columns_given(enquo(of), t)
  args <- running_args(t, of, enquo(within), enquo(along), restart, name, "A running total")
  step <- step_on(t, "running_total", args, c(running = name %||% paste0(of, "_running")))
  take_step(step, t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_running_total <- function(step, t, again = FALSE, call = caller_env()) {
  plan <- running_plan(t, step, call)
  values <- run_along(plan, 0L, plan$of, call)
  add_columns_of(t, step, list(running_column(from_minor(values, plan$decimals), plan$decimals, plan)),
                 step_stats_of(t, if (any_not_finite(plan$minor)) sum(is.na(plan$minor) & plan$place > 0) else 0L,
                               summary = list(out = periods_left_out(t, plan))), call)
}

#' @rdname add_running_total
#' @param last Whole number: how many periods the window has, including the row's own.
#' @param what Text: `"sum"` or `"mean"` of the window.
#' @export
add_moving <- function(t, of = NULL, last = 12, what = c("sum", "mean"), within = NULL, along = NULL,
                       name = NULL) {
  check_totals(t)
  of <- columns_given(enquo(of), t)
  what <- check_choice(what[1], "what", c("sum", "mean"))
  check_whole_number(last, "last", 1L)
  args <- running_args(t, of, enquo(within), enquo(along), NULL, name, "A moving sum or mean")
  args <- replace(args, c("last", "what"), list(as.integer(last), what))
  step <- step_on(t, "moving", args, c(moving = name %||% paste0(of, "_moving_", what)))
  take_step(step, t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_moving <- function(step, t, again = FALSE, call = caller_env()) {
  plan <- running_plan(t, step, call)
  last <- step$args$last
  values <- run_along(plan, last, plan$of, call)
  # A window is known only if all of it is.
  unknown <- c(0L, cumsum(seq_len(max(plan$place, 0L)) %in% plan$out))
  from <- pmax(plan$place - last, 0L)
  values[plan$place < last | unknown[plan$place + 1L] > unknown[from + 1L]] <- NA
  sum <- step$args$what == "sum"
  values <- if (sum) from_minor(values, plan$decimals) else values / (last * 10^plan$decimals)
  column <- running_column(values, if (sum) plan$decimals, plan)
  add_columns_of(t, step, list(column), step_stats_of(t, count_missing(values),
                                                      summary = list(unfinished = unfinished_window(t, plan))), call)
}

# The first day of the last period that windows hold, if that period is not finished.
unfinished_window <- function(t, plan) {
  answer <- answer_of(t)
  about <- answer$about
  if (!identical(plan$along, answer$period) || is_recurring(answer$every) || answer$every == "day") {
    return(NULL)
  }
  last <- period_start(about$span[2], answer$every, about$calendar)
  held <- length(plan$place) > 0 && max(plan$place) == length(periods_of(about$span, answer$every, about$calendar))
  if (held && cover_of_periods(about, last, answer$every)$unfinished) last
}

running_column <- function(values, decimals, plan) {
  list(values = values, counts = plan$counts, decimals = decimals, along = plan$along, restart = plan$restart)
}

# Arguments of a column that runs along another; `within` is NULL where none was given.
running_args <- function(t, of, within, along, restart, name, what, call = caller_env()) {
  check_totals(t, call = call)
  check_name(name, call)
  check_number_column(t, of, call)
  check_adds_up(t, of, what, call)
  along <- running_along(t, along, what, call)
  within <- if (!rlang::quo_is_null(within)) pick_within(within, t, call = call)
  check_restart(answer_of(t), along, restart, call)
  list(of = of, within = within, along = along, restart = restart)
}

# Everything that runs along needs: scope and place of each row, exact values.
running_plan <- function(t, step, call) {
  answer <- answer_of(t)
  args <- step$args
  of <- step_names(t, args$of)
  along <- step_names(t, args$along)
  within <- if (is.null(args$within)) running_scope(answer, along) else step_names(t, args$within)
  scope <- derive_scope(t, within)$id
  if (!is.null(args$restart)) {
    days <- as.integer(row_days(t)) + week_anchor(answer)
    turn <- period_bounds_kernel(days, args$restart, FALSE, answer$about$calendar$rules)
    keys <- list(new_key(NULL, scope, seq_len(max(scope, 0L))), new_key(NULL, match(turn, unique(turn)), unique(turn)))
    scope <- group_lines(length(scope), keys)$codes
  }
  whole <- minor_of(exact_values(t, of, call))
  list(of = of, along = along, restart = args$restart, place = places_of(t, along), scope = scope, minor = whole$minor,
       decimals = whole$decimals, counts = known_column(answer, of)$counts %||% "other",
       out = places_out(answer, along))
}

# The places along the period that the data do not cover whole, but for a last one that is not finished.
places_out <- function(answer, along) {
  if (!identical(along, answer$period) || is_recurring(answer$every)) {
    return(integer())
  }
  starts <- periods_of(answer$about$span, answer$every, answer$about$calendar)
  which(!cover_of_periods(answer$about, starts, answer$every)$whole)
}

# By default it runs within all other columns; periods that together make up a single one count as one.
running_scope <- function(answer, along) {
  if (identical(along, answer$period) && !is_recurring(answer$every)) {
    return(setdiff(answer$keys, answer$periods))
  }
  setdiff(answer$keys, along)
}

running_along <- function(t, along, what, call) {
  answer <- answer_of(t)
  if (!rlang::quo_is_null(along)) {
    name <- pick_within(along, t, "along", call)
    ordered <- length(name) == 1 &&
      (identical(name, answer$period) || is.numeric(t[[name]]) || inherits(t[[name]], "Date"))
    if (ordered) {
      return(name)
    }
  } else if (!is.null(answer$every)) {
    return(answer$period)
  }
  stop_because("period", sprintf("%s needs a period to run along.", what),
               i = sprintf("Total with %s, or give a column of dates or numbers as `along`.",
                           as_typed("every = \"month\"")), call = call)
}

# The first days of periods that a running total passes over, for the data do not cover a day of them.
periods_left_out <- function(t, plan) {
  answer <- answer_of(t)
  if (identical(plan$along, answer$period) && !is_recurring(answer$every)) periods_out(answer$about, answer$every)
}

# The place of each row along its column, counted from the first period of the data; 0 for totals.
places_of <- function(t, along) {
  answer <- answer_of(t)
  x <- t[[along]]
  if (!identical(along, answer$period)) {
    return(match(x, sort(unique(x))))
  }
  if (is_recurring(answer$every)) {
    return(replace(as.integer(x), x == answer$labels$total, 0L))
  }
  periods <- periods_of(answer$about$span, answer$every, answer$about$calendar)
  coded <- distinct_codes(row_days(t))
  recode_kernel(coded$codes, match(coded$labels, as.double(periods), 0L), 0L, threads_wanted())
}

# A week belongs to the year that holds its fourth day, as ISO 8601 has it, and so to the quarter and the month.
week_anchor <- function(answer) {
  if (answer$every == "week" && answer$about$calendar$weeks != "445") 3L else 0L
}

# The first day of each row's period; missing for subtotals over all periods and for the rest of some.
row_days <- function(t) {
  answer <- answer_of(t)
  x <- t[[answer$period]]
  if (is_recurring(answer$columns[[answer$period]]$every)) {
    place_days(t)
  } else if (is.character(x)) {
    as.Date(replace(x, !grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x), NA))
  } else {
    x
  }
}

# The same where the period comes again, and the longer ones tell which it is.
place_days <- function(t) {
  answer <- answer_of(t)
  keys <- period_keys(answer)
  codes <- period_codes(answer, keys, as_tibble.hinterfeld_totals(t))
  places <- places_in_time(keys)
  period_start(places$first, answer$every, answer$about$calendar)[find_groups(codes, places$codes, key_sizes(keys))]
}

# The days that the rows of a table are about; where it was cut, those of the periods that are left.
shown_span <- function(t) {
  answer <- answer_of(t)
  span <- answer$about$span
  if (!answer$cut || is.null(answer$every) || is_recurring(answer$every)) {
    return(span)
  }
  days <- row_days(t)
  if (anyNA(days) || length(days) == 0) {
    return(span)
  }
  c(max(min(days), span[1]), min(period_end(max(days), answer$every, answer$about$calendar), span[2]))
}

check_restart <- function(answer, along, restart, call) {
  if (is.null(restart)) {
    return(invisible())
  }
  check_choice(restart, "restart", grains[-1], call = call)
  if (!identical(along, answer$period) || is_recurring(answer$every) ||
      match(restart, grains) <= match(answer$every, grains)) {
    stop_because("period", sprintf("A running total along `%s` cannot restart each %s.", along, restart),
                 i = "Restart each period longer than the table's own, which must not be a recurring one.", call = call)
  }
}

run_along <- function(plan, width, of, call = caller_env()) {
  scopes <- max(plan$scope, 1L)
  # Mostly the rows are in order of time already.
  values <- if (width == 0) running_in_order_kernel(plan$scope, scopes, plan$place, as.double(plan$minor))
  if (is.null(values)) {
    rows <- which(plan$place > 0)
    order <- rows[order_kernel(plan$scope[rows], scopes, as.double(plan$place[rows]), NULL, NULL, FALSE,
                               threads_wanted())]
    values <- running_kernel(order, plan$scope, plan$place, as.double(plan$minor), width)
  }
  if (!any_not_finite(values) && !any_not_finite(plan$minor)) {
    return(values)
  }
  if (any(is.nan(values) & !is.na(plan$minor))) {
    stop_overflow(of, call)
  }
  # A value that is not known is not nothing: a total has no value there, a window none as long as it holds one.
  lacking <- is.na(plan$minor)
  if (width > 0 && any(lacking)) {
    lacking <- running_kernel(order, plan$scope, plan$place, as.double(lacking), width) %in% seq_along(lacking)
  }
  replace(values, lacking, NA)
}
