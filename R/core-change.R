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
#'   ones. Figures that were added before are computed anew over all rows.
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
  if (!is.null(periods)) {
    check_no_others(t)
    return(add_change_of_periods(t, of, periods, name))
  }
  how <- list(
    versus = check_choice(versus[1], "versus", c("year_before", "period_before")),
    align = check_choice(align[1], "align", c("date", "weekday")), like_for_like = like_for_like
  )
  check_flag(like_for_like, "like_for_like")
  check_change_period(memory_of(t))
  check_no_others(t)
  if (!is.null(as_of)) t <- table_as_of(t, as_of)

  book <- memory_of(t)$book
  plan <- change_plan(book, memory_of(t)$every, how)
  compared <- compare_rows(t, of, plan)
  t <- compared$table
  columns <- change_columns(t, of, compared, plan, name %||% of, if (is.null(name)) "comparable" else paste0(name, "_comparable"))
  add_derived(t, columns$values, columns$about, change_words(t, columns$values, of, plan, how), function(t) {
    add_change(t, of, how$versus, how$align, how$like_for_like, name = name)
  })
}

check_measure <- function(t, of, call = caller_env()) {
  known <- names(memory_of(t)$measures)
  if (!rlang::is_string(of) || !of %in% known) {
    stop_because("measure", c(
      "`of` must name a measure of the table.",
      i = sprintf("Its measures are %s.", columns_named(known))
    ), call = call)
  }
}

# Rows of others are sums of rows that are not there any more, so what they were before cannot be told.
check_no_others <- function(t, call = caller_env()) {
  if (isTRUE(memory_of(t)$others)) {
    stop_because("argument", c("Rows of others have no earlier value to compare with.", i = "Add the change first, then pick the best sellers."),
                 call = call)
  }
}

check_change_period <- function(memory, call = caller_env()) {
  if (!isTRUE(memory$every %in% grains)) {
    stop_because("period", c(
      if (is.null(memory$every)) "A change needs periods to compare." else sprintf("`%s` comes again every year: there is no earlier one to compare with.", memory$every),
      i = "Total with `every = \"year\"`, `\"month\"` or another period, or name two `periods` for a table without one."
    ), call = call)
  }
}

# The same table from the lines up to a day, with the figures that were added to it.
table_as_of <- function(t, as_of, call = caller_env()) {
  memory <- memory_of(t)
  span <- memory$book$span
  if (!inherits(as_of, "Date") || length(as_of) != 1 || is.na(as_of) || as_of < span[1] || as_of > span[2]) {
    stop_because("period", c(
      "`as_of` must be one day of the data.",
      i = sprintf("They run from %s.", paste(format(span), collapse = " to "))
    ), call = call)
  }
  if (memory$cut) {
    stop_because("argument", c("A table cut to some rows cannot be taken as of another day.", i = "Use `as_of` first."), call = call)
  }
  memory$book <- restrict(memory$book, rlang::quo(day <= !!as_of), sprintf("days to %s", as_of), TRUE, "keep", call)
  memory$book$span[2] <- as_of
  subtotals <- lapply(memory$levels[-1], function(level) if (length(level$columns)) level$columns else "Total")
  again <- retotal(memory, c(memory$every, memory$by), subtotals = subtotals, fill = memory$fill)
  replay(again, memory)
}

# Adds the figures of `memory` anew. They are found by their old names only, so after a renaming they
# are left out, and it is said.
replay <- function(t, memory) {
  for (step in memory$steps) t <- quietly(step(t))
  lost <- setdiff(names(memory$derived), names(t))
  if (length(lost)) {
    say("lost", sprintf("%s cannot be computed for all rows after columns were renamed and %s left out.", columns_named(lost),
                        if (length(lost) == 1) "is" else "are"))
  }
  t
}

# The columns ------------------------------------------------------------------------------------------

change_columns <- function(t, of, compared, plan, prefix, comparable_name) {
  measure <- memory_of(t)$measures[[of]]
  earlier <- compared$earlier
  earlier <- nothing_to_zero(measure, earlier)
  # Rows of totals over all periods have no earlier one.
  for_rows <- function(of_period, total) recode_kernel(compared$period, of_period, total, threads_wanted())
  unknown <- for_rows(plan$unknown, TRUE)
  words <- c("full", "to_date", "none")
  comparable <- lazy_text(for_rows(match(plan$comparable, words), 3L), words)
  change_values(derive_values(t, of)$values, earlier, unknown, comparable, of, measure, prefix, comparable_name)
}

directions <- c("up", "down", "level", "new", "gone", "unknown")

# Values, and what to remember of each column. What is unknown has no earlier value.
change_values <- function(now, earlier, unknown, comparable, of, measure, prefix, comparable_name) {
  decimals <- if (measure$kind != "mean") measure$decimals
  show <- function(x) if (is.null(decimals)) x else from_minor(x, decimals)
  found <- change_kernel(as.double(now), as.double(earlier), unknown, threads_wanted())
  values <- list(show(found$earlier), show(found$difference), found$part, lazy_text(found$direction, directions), comparable)
  names(values) <- c(paste0(prefix, c("_before", "_change", "_change_pct", "_direction")), comparable_name)
  about <- Map(about_column, "change", c("before", "change", "pct", "direction", "comparable"), of,
               c(measure$counts, measure$counts, "percent", "class", "class"), list(decimals, decimals, NULL, NULL, NULL),
               c(FALSE, TRUE, TRUE, FALSE, FALSE))
  list(values = values, about = stats::setNames(about, names(values)))
}

# Rows and their earlier values ---------------------------------------------------------------------------

# The table, with rows for members that are gone, and for each row its period's code and its earlier value (missing
# where there is none).
compare_rows <- function(t, of, plan) {
  memory <- memory_of(t)
  codes <- row_codes(t)
  before <- earlier_rows(t, of, plan, codes)
  sizes <- key_sizes(codes$all)
  at <- find_groups(codes$keys, before$codes, sizes)
  earlier <- before$values[at]
  gone <- which(replace(rep(TRUE, length(before$values)), at, FALSE))
  gone <- gone[!before$values[gone] %in% c(NA, 0)]
  if (memory$cut || length(gone) == 0) {
    return(list(table = t, earlier = earlier, period = codes$keys[[1]]))
  }
  gone <- list(codes = lapply(before$codes, function(code) code[gone]), level = before$level[gone], values = before$values[gone])
  whole <- with_gone_rows(t, codes, gone)
  # Figures that were added before are added anew, which changes no rows.
  list(table = replay(whole$table, memory), earlier = c(earlier, gone$values)[whole$order],
       period = c(codes$keys[[1]], gone$codes[[1]])[whole$order])
}

# The measure of the earlier periods as rows of the periods they are compared with, for every level of the table. A whole
# earlier period is in the table already; only of parts of periods the lines are totalled anew.
earlier_rows <- function(t, of, plan, codes) {
  if (memory_of(t)$cut) {
    return(earlier_lines(t, of, plan, codes, plan$target))
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
  lines <- earlier_lines(t, of, plan, codes, target)
  list(codes = Map(c, held$codes, lines$codes), level = c(held$level, lines$level), values = c(held$values, lines$values))
}

# The same from the lines: `target` tells for each day of the span the period that it is an earlier day of.
earlier_lines <- function(t, of, plan, codes, target) {
  memory <- memory_of(t)
  period <- target[as.integer(memory$book$columns$day) - as.integer(memory$book$span[1]) + 1L]
  lines <- which(!is.na(period))
  book <- take_lines(memory$book, lines)
  measure <- quietly(resolve_measures(stats::setNames(list(memory$measures[[of]]$spec), of), book))
  keys <- lapply(codes$all, function(key) replace(key, "codes", list(key$codes[lines])))
  keys[[1]] <- new_key(keys[[1]]$name, period[lines], keys[[1]]$labels)
  rows <- rows_of_levels(book, keys, measure, memory$levels)
  list(codes = rows$codes, level = rows$level, values = rows$values[[1]])
}

# Rows of the levels, each with its level.
rows_of_levels <- function(book, keys, measures, levels) {
  level_rows(book, keys, measures, levels, measure_groups(book, keys, measures))
}

take_lines <- function(book, rows) {
  book$columns <- take_rows(book$columns, rows)
  book$lines <- length(rows)
  book
}

# The codes of a table's rows: from its labels back to the keys of its daybook.
row_codes <- function(t) {
  memory <- memory_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  keys <- table_keys(memory$book, memory$book_columns, memory$every)
  codes <- Map(function(key, name) label_codes(key, data[[name]], memory$labels), keys, c(memory$every, memory$by))
  level <- if (length(memory$levels) > 1) as.integer(data$level) else rep(1L, nrow(data))
  list(keys = unname(codes), level = level, all = keys)
}

# The table with rows of members that sold before and not now, and the order of its rows: those of `t`, then the gone.
# Only what was totalled and columns of the user's own are in it.
with_gone_rows <- function(t, codes, gone) {
  memory <- memory_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  rows <- list(
    codes = Map(c, codes$keys, gone$codes), level = c(codes$level, gone$level),
    values = lapply(names(memory$measures), function(name) {
      c(derive_values(t, name)$values, nothing_to_zero(memory$measures[[name]], rep(NA_real_, length(gone$values))))
    })
  )
  measures <- quietly(resolve_measures(lapply(memory$measures, function(m) m$spec), memory$book))
  detail <- if (length(memory$levels) > 1) {
    own <- rows$level == 1
    list(codes = lapply(rows$codes, function(code) code[own]), values = lapply(rows$values, function(value) value[own]))
  } else {
    rows
  }
  order <- row_order(memory$book, codes$all, measures, memory$levels, rows, detail, 1)
  rows$order <- order
  columns <- table_columns(rows, codes$all, c(memory$every, memory$by), measures, memory$levels, memory$labels)
  own <- setdiff(names(data), c(names(columns), names(memory$derived)))
  memory[c("derived", "sentences", "steps")] <- NULL
  memory$rows <- length(order)
  out <- new_totals(columns, memory)
  for (name in own) out[[name]] <- data[[name]][ifelse(order <= nrow(data), order, NA)]
  list(table = out, order = order)
}
