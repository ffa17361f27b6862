# The columns of a change.

change_columns <- function(t, of, compared, plan, per_open_day) {
  measure <- answer_of(t)$measures[[of]]
  earlier <- fill_empty(measure, compared$earlier)
  # Rows of totals over all periods have no earlier one.
  for_rows <- function(of_period, total) recode_kernel(compared$period, of_period, total, threads_wanted())
  apart <- for_rows(plan$apart, 1L)
  words <- c("full", "to_date", "none")
  comparable <- lazy_text(for_rows(match(plan$comparable, words), 3L), words)
  open <- if (per_open_day) lapply(plan[c("open", "open_before")], for_rows, NA_integer_)
  change_values(exact_values(t, of)$values, earlier, apart, comparable, measure, open)
}

directions <- c("up", "down", "level", "new", "gone", "unknown")

# Each column with what it is. `apart` tells which earlier values are unknown (1), and which cannot be compared (2):
# these are told, without a percentage. `open` are the open days of now and before, if the change is per open day.
change_values <- function(now, earlier, apart, comparable, measure, open = NULL) {
  if (!is.null(open)) {
    # Without an open day there is nothing to go by.
    apart[open[[1]] == 0 | open[[2]] == 0] <- 1L
    open[[2]][apart == 1] <- NA
    earlier <- scaled_part(earlier, open[[1]], open[[2]])
  }
  decimals <- measure$decimals
  show <- function(x) if (is.null(decimals)) x else from_minor(x, decimals)
  change <- change_kernel(as.double(now), as.double(earlier), apart, threads_wanted())
  c(list(
    before = list(values = show(change$earlier), counts = measure$counts, decimals = decimals),
    change = list(values = show(change$difference), counts = measure$counts, decimals = decimals, signed = TRUE),
    pct = list(values = change$fraction, counts = "percent", signed = TRUE),
    direction = list(values = lazy_text(change$direction, directions), counts = "class"),
    comparable = list(values = comparable, counts = "class")
  ), if (!is.null(open)) lapply(stats::setNames(open, c("open", "open_before")), function(days) {
    list(values = as.integer(days), counts = "days")
  }))
}

# What the sentence about a change tells: the days of each period that are compared, why some are not, and how many rows
# are special.
change_summary <- function(columns, plan, facts) {
  own <- seq_len(plan$periods[[1]])
  days <- lapply(list(start = plan$starts, end = plan$ends, from = plan$earlier$start, to = plan$earlier$end),
                 function(day) plain_days(day[own]))
  every <- names(plan$periods)[1]
  compared <- c(days, list(open = plan$open[own], open_before = plan$open_before[own],
                           comparable = plan$comparable[own], why = plan$why[own]))
  c(list(compared = compared, empty = empty_inside(facts, every)), direction_counts(columns))
}

direction_counts <- function(columns) {
  direction <- distinct_codes(columns$direction$values)
  counts <- stats::setNames(tabulate(match(direction$labels, directions)[direction$codes], length(directions)),
                            directions)
  as.list(counts)[c("unknown", "new", "gone")]
}

# Of the rows that are left: their directions, and their periods.
#' @export
stats_of_rows.hinterfeld_step_change <- function(step, stats, t, columns) {
  summary <- stats$summary
  direction <- columns["direction"]
  summary[c("unknown", "new", "gone")] <- if (direction %in% names(t)) {
    direction_counts(list(direction = list(values = t[[direction]])))
  } else {
    0L
  }
  if (!is.null(summary$compared)) {
    shown <- summary$compared$start %in% row_days(t)
    summary$compared <- lapply(summary$compared, function(x) x[shown])
    summary$empty$start <- empty_of(summary$empty$start, summary$compared)
  }
  replace(NextMethod(), "summary", list(summary))
}
