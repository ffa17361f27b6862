#' Reconcile: does the table add up to its daybook?
#'
#' Compares, for every measure that adds up (sums and counts of lines), the table's sum with the
#' daybook's total: per level where there are subtotals, over rows, columns and corner of a
#' crosstab. The daybook's total is taken from the lines anew.
#'
#' @param t A totals table or a crosstab.
#' @return A tibble, printed one line per check, with `measure` and `of` (text: the level, or the
#'   part of a crosstab), `table` and `daybook` (totals in the measure's own unit), `difference` and
#'   `matches` (logical). For a table cut to some of its rows, `matches` tells whether each row it
#'   still shows is right, and `cut` is `TRUE`.
#' @section Errors: `hinterfeld_error_argument` for anything but a totals table or a crosstab,
#'   `hinterfeld_error_measure` when no measure adds up.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(category, region), subtotals = TRUE)
#' reconcile(t)
#' reconcile(t[1:3, ])
reconcile <- function(t) {
  UseMethod("reconcile")
}

#' @export
reconcile.default <- function(t) {
  check_totals(t, call = NULL)
}

#' @export
reconcile.hinterfeld_totals <- function(t) {
  memory <- memory_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  names <- adding_measures(memory)
  whole <- daybook_totals(memory, names)
  several <- length(memory$levels) > 1
  levels <- if (several) vapply(memory$levels, function(level) level$label, "") else "all rows"
  if (memory$cut && several) levels <- intersect(levels, unique(as.character(data$level)))
  checks <- lapply(names, function(name) {
    lapply(levels, function(level) {
      rows <- if (several) data$level == level else rep(TRUE, nrow(data))
      new_check(name, level, data[[name]][rows], whole[[name]], memory$measures[[name]]$decimals)
    })
  })
  checks <- do.call(rbind, unlist(checks, recursive = FALSE))
  checks$cut <- memory$cut
  if (memory$cut) checks$matches <- rows_right(data, memory, names)[checks$measure]
  new_checks(checks, memory)
}

#' @export
reconcile.hinterfeld_crosstab <- function(t) {
  memory <- memory_of(t)
  names <- intersect(memory$of, adding_measures(memory))
  if (length(names) == 0) stop_nothing_adds_up()
  whole <- daybook_totals(memory, names)
  cells <- as.list(t)
  totals <- crosstab_totals(t)
  checks <- lapply(names, function(name) {
    columns <- totals$heads$name[totals$heads$measure == name]
    corner <- intersect(columns, totals$columns)
    inner <- setdiff(columns, corner)
    taken <- function(columns, rows) unlist(lapply(cells[columns], function(x) x[rows]))
    check <- function(of, x) if (length(x)) new_check(name, of, x, whole[[name]], memory$measures[[name]]$decimals)
    rbind(
      check("cells", taken(inner, !totals$rows)),
      if (memory$margins) rbind(
        check("column totals", taken(inner, totals$rows)), check("row totals", taken(corner, !totals$rows)), check("corner", taken(corner, totals$rows))
      )
    )
  })
  checks <- do.call(rbind, checks)
  checks$cut <- memory$cut
  if (memory$cut) checks$matches <- cells_right(t, memory)
  new_checks(checks, memory)
}

# Does every cell that a part of a crosstab still shows equal that of the whole one, made anew?
cells_right <- function(t, memory) {
  again <- spread_totals(memory, c(memory[c("of", "margins", "empty")], list(rows = memory$rows_by, columns = memory$columns_by)))
  at <- match_rows(t, again, memory$rows_by)
  all(vapply(names(memory$cells), function(name) same_values(t[[name]], again[[name]], at), NA))
}

adding_measures <- function(memory, call = caller_env()) {
  names <- names(memory$measures)[vapply(memory$measures, function(m) m$adds_up, NA)]
  if (length(names) == 0) stop_nothing_adds_up(call)
  names
}

stop_nothing_adds_up <- function(call = caller_env()) {
  stop_because("measure", c(
    "No measure of this table adds up from row to row.",
    i = "Sums and counts of lines do; means, extremes and distinct counts do not."
  ), call = call)
}

daybook_totals <- function(memory, names) {
  measures <- quietly(resolve_measures(lapply(memory$measures[names], function(m) m$spec), memory$book))
  result <- measure_groups(memory$book, list(), measures)
  Map(show_value, measures, result$values)
}

new_check <- function(measure, of, x, daybook, decimals) {
  table <- from_minor(sum_minor(to_minor(x, decimals), measure), decimals)
  tibble::tibble(measure = measure, of = of, table = table, daybook = daybook,
                 difference = from_minor(round((table - daybook) * 10^decimals), decimals), matches = table == daybook)
}

# For each measure: does every row that a cut table still shows equal the row totalled anew? Rows of others are sums of
# rows that are not there.
rows_right <- function(data, memory, names) {
  levels <- memory$levels[-1]
  subtotals <- if (length(levels)) lapply(levels, function(level) if (length(level$columns)) level$columns else "Total")
  again <- retotal(memory, c(memory$every, memory$by), names, subtotals, memory$fill)
  # Labels may have changed their words, and a period its type, for want of subtotals.
  at <- match_codes(data, again, memory)
  here <- if (isTRUE(memory$others)) !is.na(at) else rep(TRUE, length(at))
  vapply(names, function(name) isTRUE(all(data[[name]][here] == replace(again[[name]][at], is.na(at), 0)[here])), NA)
}

match_codes <- function(data, again, memory) {
  theirs <- memory_of(again)
  keys <- table_keys(memory$book, memory$book_columns, memory$every)
  columns <- c(memory$every, memory$by)
  ours <- unname(Map(function(key, name) label_codes(key, data[[name]], memory$labels), keys, columns))
  among <- unname(Map(function(key, name) label_codes(key, again[[name]], theirs$labels), keys, columns))
  at <- rep_len(find_groups(ours, among, key_sizes(keys)), nrow(data))
  unknown <- Reduce(`|`, lapply(ours, is.na), rep(FALSE, nrow(data)))
  at <- replace(at, unknown, NA)
  level <- if (length(memory$levels) > 1) as.integer(data$level) == as.integer(again$level)[at] else TRUE
  replace(at, !is.na(at) & !level, NA)
}

new_checks <- function(checks, memory) {
  decimals <- vapply(memory$measures[checks$measure], function(m) m$decimals, 0L)
  tibble::new_tibble(checks, nrow = nrow(checks), decimals = unname(decimals), class = "hinterfeld_checks")
}
