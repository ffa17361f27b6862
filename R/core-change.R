#' Change against an earlier period
#'
#' Compares each period with the same period one year before, or with the period before it. "Now" is the
#' last day of the daybook, never the clock. When the last period is not complete, the earlier one is
#' cut to the same days, and the row says so. Everything is taken from the lines anew, so it holds for
#' any measure and for subtotals.
#'
#' @inheritParams add_rank
#' @param of Text: name of a measure of `t`.
#' @param versus Text: `"year_before"` or `"period_before"`.
#' @param align Text: what the same period one year before is. `"date"`: the same dates, the same week
#'   number, the same place in the fiscal year; 29 February has none. Days meet the same date also in 4-4-5 years, and weeks
#'   that start on another day than Monday are counted through the year as those of ISO 8601 are. `"weekday"`: 364 days before, so
#'   that Mondays meet Mondays.
#' @param like_for_like Logical: cut the earlier period of an incomplete last period to the days that
#'   have passed: up to the same date, or for weeks, 4-4-5 years and `"period_before"` to the same number
#'   of days.
#' @param as_of Date: take the table as it was at the end of this day instead of the daybook's last. A day before the first
#'   kept line leaves nothing to take, which is an error.
#' @param periods For a table without a period, two periods to compare: a named list of two pairs of dates,
#'   the later first, `list("Spring 2026" = as.Date(c("2026-03-01", "2026-05-31")), ...)`.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with the columns
#'   * `<of>_before`: the earlier value; missing where the earlier period lies before the data;
#'   * `<of>_change`: now less before, exact;
#'   * `<of>_change_pct`: the change as a fraction of the earlier value, missing unless that is above 0;
#'   * `<of>_direction`: `up`, `down`, `level`, `new` (nothing before: no line, or 0), `gone` (nothing now) or `unknown`
#'     (the earlier period lies before the data or does not exist, or its value is below 0);
#'   * `comparable`: `full`, `to_date` (both cut to the days that have passed) or `none` (the earlier period
#'     is not wholly in the data, or was not cut). With `name`, `<name>_comparable`.
#'
#'   With `periods`, `<of>_now` comes first. Members that sold before and not now get a row with 0, so that
#'   the changes of members add up to the change of their total; a table cut to some rows gets no new
#'   ones. Columns that were added before are computed anew over all rows.
#' @section Errors: `hinterfeld_error_period` for a table without a period or with a recurring one, a day outside
#'   the data, or periods that are not two pairs of dates; `hinterfeld_error_measure` for `of`.
#' @export
#' @examples
#' book <- demo_daybook()
#' add_change(totals(book, every = "year"))
#' add_change(totals(book, by = category, every = "month"), versus = "period_before")
#' add_change(totals(book, by = region), periods = list(
#'   "Spring 2026" = as.Date(c("2026-03-01", "2026-05-31")),
#'   "Autumn 2025" = as.Date(c("2025-09-01", "2025-11-30"))
#' ))
add_change <- function(t, of = "revenue", versus = c("year_before", "period_before"), align = c("date", "weekday"),
                       like_for_like = TRUE, as_of = NULL, periods = NULL, name = NULL) {
  check_totals(t)
  check_name(name)
  check_measure(t, of)
  parts <- c(before = "_before", change = "_change", pct = "_change_pct", direction = "_direction", comparable = "_comparable")
  if (!is.null(periods)) parts <- c(now = "_now", parts)
  columns <- stats::setNames(paste0(name %||% of, parts), names(parts))
  if (is.null(name)) columns[["comparable"]] <- "comparable"
  args <- if (is.null(periods)) {
    check_flag(like_for_like, "like_for_like")
    list(of = of, versus = check_choice(versus[1], "versus", c("year_before", "period_before")),
         align = check_choice(align[1], "align", c("date", "weekday")), like_for_like = like_for_like, as_of = as_of)
  } else {
    list(of = of, periods = periods)
  }
  check_no_others(t)
  if (is.null(periods)) check_change_period(answer_of(t)) else check_periods(periods, answer_of(t))
  take_step(step_on(t, "change", args, columns), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_change <- function(step, t, again = FALSE, call = caller_env()) {
  if (!is.null(step$args$periods)) {
    return(change_of_periods(step, t, call))
  }
  how <- step$args
  if (!is.null(how$as_of)) t <- table_as_of(t, how$as_of, call)
  of <- step_names(t, how$of)
  plan <- change_plan(answer_of(t)$about, answer_of(t)$every, how)
  compared <- compare_rows(t, of, plan, call)
  t <- compared$table
  columns <- change_columns(t, of, compared, plan)
  add_columns_of(t, step, columns, found_on(t, told = change_told(columns, plan)), call)
}

check_measure <- function(t, of, call = caller_env()) {
  known <- names(answer_of(t)$measures)
  if (!rlang::is_string(of) || !of %in% known) {
    stop_because("measure", c(
      "`of` must name a measure of the table.",
      i = sprintf("Its measures are %s.", columns_named(known))
    ), call = call)
  }
}

# Rows of others are sums of rows that are not there any more, so what they were before cannot be told.
check_no_others <- function(t, call = caller_env()) {
  if (answer_of(t)$others) {
    stop_because("argument", c("Rows of others have no earlier value to compare with.",
                               i = "Add the change first, then pick the best sellers."), call = call)
  }
}

check_change_period <- function(answer, call = caller_env()) {
  every <- answer$every
  if (is.null(every) || is_recurring(every)) {
    stop_because("period", c(
      if (is.null(every)) {
        "A change needs periods to compare."
      } else {
        sprintf("`%s` comes again every year: there is no earlier one to compare with.", every)
      },
      i = "Total with `every = \"year\"`, `\"month\"` or another period, or name two `periods` for a table without one."
    ), call = call)
  }
}

# The same table from the lines up to a day, with its steps taken anew.
table_as_of <- function(t, as_of, call = caller_env()) {
  answer <- answer_of(t)
  span <- answer$about$span
  if (!inherits(as_of, "Date") || length(as_of) != 1 || is.na(as_of) || as_of < span[1] || as_of > span[2]) {
    stop_because("period", c(
      "`as_of` must be one day of the data.",
      i = sprintf("They run from %s.", paste(format(span), collapse = " to "))
    ), call = call)
  }
  if (answer$cut) {
    stop_because("argument", c("A table cut to some rows cannot be taken as of another day.", i = "Use `as_of` first."), call = call)
  }
  # On its last day a table is as it is.
  if (as_of == span[2]) {
    return(t)
  }
  facts <- facts_to(facts_of(answer, call), as_of, call)
  split <- ids_of(answer, answer$keys)
  again <- retotal(answer, split, subtotals = subtotals_of(answer), fill = answer$inquiry$fill, facts = facts)
  as_before(replay(again, answer$inquiry$steps), answer)
}

facts_to <- function(facts, as_of, call) {
  day <- facts$every %||% "day"
  if (day != "day" && period_end(as_of, day, facts$calendar) > as_of) {
    stop_because("facts", c(sprintf("The tally holds no days, only each %s as a whole.", day),
                            i = sprintf("Take it as of the end of a %s, or tally with `every = \"day\"`.", day)), call = call)
  }
  when <- rlang::inject(rlang::quo(!!as.symbol(day) <= !!as_of))
  facts <- restrict(facts, when, sprintf("days to %s", as_of), TRUE, "keep", call)
  facts$span[2] <- as_of
  facts
}

# A table that was made anew, with the columns and the names that the former one had.
as_before <- function(t, answer) {
  own <- attr(t, "answer", exact = TRUE)
  ids <- vapply(own$columns, function(column) column$id, "")
  kept <- ids %in% vapply(answer$columns, function(column) column$id, "")
  t <- quietly(t[!names(t) %in% names(own$columns)[!kept]])
  names(t) <- names_of(answer, ids_of(answer_of(t), names(t)))
  set_answer(t, inquiry = answer$inquiry, by_hand = answer$by_hand)
}

# The columns ------------------------------------------------------------------------------------------

change_columns <- function(t, of, compared, plan) {
  measure <- answer_of(t)$measures[[of]]
  earlier <- nothing_to_zero(measure, compared$earlier)
  # Rows of totals over all periods have no earlier one.
  for_rows <- function(of_period, total) recode_kernel(compared$period, of_period, total, threads_wanted())
  unknown <- for_rows(plan$unknown, TRUE)
  words <- c("full", "to_date", "none")
  comparable <- lazy_text(for_rows(match(plan$comparable, words), 3L), words)
  change_values(derive_values(t, of)$values, earlier, unknown, comparable, measure)
}

directions <- c("up", "down", "level", "new", "gone", "unknown")

# Each column with what it is. What is unknown has no earlier value.
change_values <- function(now, earlier, unknown, comparable, measure) {
  decimals <- measure$decimals
  show <- function(x) if (is.null(decimals)) x else from_minor(x, decimals)
  found <- change_kernel(as.double(now), as.double(earlier), unknown, threads_wanted())
  list(
    before = list(values = show(found$earlier), counts = measure$counts, decimals = decimals),
    change = list(values = show(found$difference), counts = measure$counts, decimals = decimals, signed = TRUE),
    pct = list(values = found$part, counts = "percent", signed = TRUE),
    direction = list(values = lazy_text(found$direction, directions), counts = "class"),
    comparable = list(values = comparable, counts = "class")
  )
}

# What the sentence about a change tells: the days compared for the last period, and how many rows are special.
change_told <- function(columns, plan) {
  last <- length(plan$starts)
  earlier <- c(plan$earlier$start[last], plan$earlier$end[last])
  c(list(last = if (!is.na(earlier[1])) list(now = c(plan$starts[last], plan$ends[last]), before = earlier)),
    direction_counts(columns))
}

direction_counts <- function(columns) {
  direction <- distinct_codes(columns$direction$values)
  as.list(stats::setNames(tabulate(direction$codes, length(directions)), directions))[c("unknown", "new", "gone")]
}

# Rows and their earlier values ---------------------------------------------------------------------------

# The table, with rows for members that are gone, and for each row its period's code and its earlier value (missing
# where there is none).
compare_rows <- function(t, of, plan, call) {
  answer <- answer_of(t)
  codes <- row_codes(t, call)
  before <- earlier_rows(t, of, plan, codes, call)
  sizes <- key_sizes(codes$all)
  at <- find_groups(codes$keys, before$codes, sizes)
  earlier <- before$values[at]
  gone <- which(replace(rep(TRUE, length(before$values)), at, FALSE))
  gone <- gone[!before$values[gone] %in% c(NA, 0)]
  if (answer$cut || length(gone) == 0) {
    return(list(table = t, earlier = earlier, period = codes$keys[[1]]))
  }
  gone <- list(codes = lapply(before$codes, function(code) code[gone]), level = before$level[gone], values = before$values[gone])
  whole <- with_gone_rows(t, codes, gone)
  list(table = whole$table, earlier = c(earlier, gone$values)[whole$order],
       period = c(codes$keys[[1]], gone$codes[[1]])[whole$order])
}

# The measure of the earlier periods as rows of the periods they are compared with, for every level of the table. A whole
# earlier period is in the table already; only of parts of periods the lines are totalled anew.
earlier_rows <- function(t, of, plan, codes, call) {
  answer <- answer_of(t)
  if (answer$cut) {
    return(earlier_lines(answer, of, plan, codes, plan$target, call))
  }
  period <- codes$keys[[1]]
  later <- recode_kernel(period, plan$later, NA_integer_, threads_wanted())
  rows <- which(!is.na(later))
  held <- list(
    codes = c(list(later[rows]), lapply(codes$keys[-1], function(code) code[rows])),
    level = codes$level[rows], values = derive_values(t, of)$values[rows]
  )
  target <- replace(plan$target, plan$target %in% plan$later, NA)
  if (all(is.na(target))) {
    return(held)
  }
  lines <- earlier_lines(answer, of, plan, codes, target, call)
  list(codes = Map(c, held$codes, lines$codes), level = c(held$level, lines$level), values = c(held$values, lines$values))
}

# The same from the lines: `target` tells for each day of the span the period that it is an earlier day of.
earlier_lines <- function(answer, of, plan, codes, target, call) {
  facts <- codes$facts
  target <- period_target(facts, target, call)
  period <- lapply(parts_of(facts), function(part) target[places_in_span(part, facts)])
  rows <- lapply(period, function(of_row) which(!is.na(of_row)))
  keys <- keys_of_rows(codes$all, rows)
  at <- Map(function(of_row, rows) of_row[rows], period, rows)
  keys[[1]] <- replace(new_key(keys[[1]]$name, at[[1]], keys[[1]]$labels), "elsewhere", list(at[-1]))
  taken <- rows_of_levels(take_parts(facts, rows), keys, answer, of)
  list(codes = taken$codes, level = taken$level, values = taken$values[[1]])
}

# A tally of longer periods has the earlier lines only where each of its periods goes to one period as a whole: its first day
# stands for it.
period_target <- function(facts, target, call) {
  if (is.null(facts$every) || facts$every == "day") {
    return(target)
  }
  days <- seq(as.integer(facts$span[1]), as.integer(facts$span[2]))
  starts <- period_bounds_kernel(days, facts$every, FALSE, facts$calendar$rules)
  first <- match(starts, starts)
  if (!identical(target, target[first])) {
    stop_because("facts", c(
      sprintf("The tally holds each %s as a whole, but a part of one is compared.", facts$every),
      i = "Tally with `every = \"day\"`, or compare with `like_for_like = FALSE`."
    ), call = call)
  }
  target
}

# A measure as rows of the levels of a table, each with its level.
rows_of_levels <- function(facts, keys, answer, of) {
  measures <- inquiry_measures(facts, answer$inquiry, ids_of(answer, of))
  level_rows(facts, keys, measures, answer$levels, measure_groups(facts, keys, measures))
}

# The codes of a table's rows: from its labels back to the keys of its facts.
row_codes <- function(t, call = caller_env()) {
  answer <- answer_of(t)
  facts <- facts_of(answer, call)
  data <- as_tibble.hinterfeld_totals(t)
  keys <- facts_keys(facts, ids_of(answer, answer$by), answer$every)
  codes <- Map(function(key, name) label_codes(key, data[[name]], answer$labels), keys, answer$keys)
  level <- if (length(answer$levels) > 1) as.integer(data[[answer$level]]) else rep(1L, nrow(data))
  list(keys = unname(codes), level = level, all = keys, facts = facts)
}

# The table with rows of members that sold before and not now, and the order of its rows: those of `t`, then the gone. Steps
# that were taken before are taken anew; columns of the user's own are missing in the new rows.
with_gone_rows <- function(t, codes, gone) {
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  inquiry <- answer$inquiry
  measures <- inquiry_measures(codes$facts, inquiry)
  rows <- list(
    codes = Map(c, codes$keys, gone$codes), level = c(codes$level, gone$level),
    values = lapply(names(measures), function(id) {
      name <- names_of(answer, id)
      now <- if (name %in% names(data)) derive_values(t, name)$values else measure_again(answer, id, codes)
      c(now, nothing_to_zero(measures[[id]], rep(NA_real_, length(gone$values))))
    })
  )
  detail <- if (length(answer$levels) > 1) {
    own <- rows$level == 1
    list(codes = lapply(rows$codes, function(code) code[own]), values = lapply(rows$values, function(value) value[own]))
  } else {
    rows
  }
  rows$order <- row_order(codes$facts, codes$all, measures, answer$levels, rows, detail, 1)
  first <- inquiry
  first["steps"] <- list(list())
  levels <- lapply(answer$levels, function(level) replace(level, "columns", list(ids_of(answer, level$columns))))
  out <- table_of(rows, codes$all, measures, levels, answer$labels, first, codes$facts)
  was <- ifelse(rows$order <= nrow(data), rows$order, NA)
  for (name in setdiff(names(data), names(answer$columns))) out[[name]] <- data[[name]][was]
  list(table = as_before(replay(out, inquiry$steps), answer), order = rows$order)
}

# A measure whose column was left out, for the rows of a table.
measure_again <- function(answer, id, codes) {
  measures <- inquiry_measures(codes$facts, answer$inquiry, id)
  found <- level_rows(codes$facts, codes$all, measures, answer$levels, measure_groups(codes$facts, codes$all, measures))
  found$values[[1]][find_groups(codes$keys, found$codes, key_sizes(codes$all))]
}
