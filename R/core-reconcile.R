#' Reconcile: does the table add up to its daybook?
#'
#' For every measure that adds up (sums and counts of lines), compares the table's sum with the daybook's total: at each
#' level if there are subtotals, and for the rows, columns and corner of a crosstab. The daybook's total is computed
#' again from the lines by another road: expressions line by line, and without the tallies that tables are made of. Of a
#' tally, or rows that a database grouped, there are no lines, so the total is that of its groups.
#'
#' Of a table with [add_causes()] it also checks that the causes of each row add up to its change.
#'
#' @param t A totals table or a crosstab.
#' @return A tibble, printed one line per check, with `measure` and `of` (text: the level, or the part of a crosstab),
#'   `table` and `daybook` (totals in the measure's own unit), `difference` and `matches` (logical). For a table cut to
#'   some of its rows, `matches` says whether each row that is left is right, and `cut` is `TRUE`.
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
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  names <- adding_measures(answer$measures)
  whole <- whole_totals(answer, ids_of(answer, names))
  # A table without a row has no level to check.
  several <- length(answer$levels) > 1 && nrow(t) > 0
  level_of <- if (several) as.character(data[[answer$level]])
  levels <- if (several) vapply(answer$levels, function(level) level$label, "") else "all rows"
  if (answer$cut && several) levels <- intersect(levels, unique(level_of))
  checks <- Map(function(name, whole) {
    lapply(levels, function(level) {
      rows <- if (several) level_of == level else rep(TRUE, nrow(data))
      new_check(name, level, data[[name]][rows], whole, answer$measures[[name]]$decimals)
    })
  }, names, whole)
  checks <- do.call(rbind, unlist(unname(checks), recursive = FALSE))
  checks$cut <- answer$cut
  if (answer$cut) checks$matches <- rows_right(data, answer, names)[checks$measure]
  causes <- if (nrow(t)) do.call(rbind, unname(cause_checks(t, answer)))
  if (!is.null(causes)) checks <- rbind(checks, causes)
  new_checks(checks, c(answer$measures, answer$added[unique(causes$measure)]))
}

# Do the causes of every row add up to its change? One check for each split of a change.
cause_checks <- function(t, answer) {
  kinds <- vapply(answer$inquiry$steps, function(step) step$kind, "")
  lapply(which(kinds == "causes"), function(i) {
    step <- answer$inquiry$steps[[i]]
    # The change that was split is the last one before.
    earlier <- Filter(function(other) other$kind == "change" && other$args$of == step$args$of,
                      utils::head(answer$inquiry$steps, i - 1))
    parts <- names_of(answer, step$columns[names(step$columns) != "causes"])
    changed <- names_of(answer, earlier[[length(earlier)]]$columns[["change"]])
    if (!all(c(parts, changed) %in% names(t))) {
      return(NULL)
    }
    split <- !is.na(t[[parts[1]]])
    minor <- function(name) minor_of(exact_values(t, name))$minor[split]
    whole <- minor(changed)
    sum <- Reduce(`+`, lapply(parts, minor))
    decimals <- answer$added[[changed]]$decimals
    tibble::tibble(measure = changed, of = "its causes", table = from_minor(sum_minor(sum, changed), decimals),
                   daybook = from_minor(sum_minor(whole, changed), decimals),
                   difference = from_minor(sum(sum - whole), decimals), matches = all(sum == whole), cut = FALSE)
  })
}

#' @export
reconcile.hinterfeld_crosstab <- function(t) {
  answer <- answer_of(t)
  grid <- answer$grid
  names <- adding_measures(grid$measures)
  whole <- whole_totals(answer, answer$inquiry$crosstab$of[match(names, grid$shown$of)])
  cells <- as.list(t)
  totals <- crosstab_totals(t)
  measure_of <- vapply(answer$cells, function(cell) cell$of, "")
  checks <- Map(function(name, whole) {
    columns <- names(measure_of)[measure_of == answer$inquiry$crosstab$of[match(name, grid$shown$of)]]
    corner <- intersect(columns, totals$whole)
    inner <- setdiff(columns, totals$columns)
    taken <- function(columns, rows) unlist(lapply(cells[columns], function(x) x[rows]))
    check <- function(of, x) if (length(x)) new_check(name, of, x, whole, grid$measures[[name]]$decimals)
    rbind(
      check("cells", taken(inner, !totals$rows)),
      if (grid$margins) rbind(
        check("column totals", taken(inner, totals$whole_rows)),
        check("row totals", taken(corner, !totals$rows)), check("corner", taken(corner, totals$whole_rows))
      )
    )
  }, names, whole)
  checks <- do.call(rbind, unname(checks))
  checks$cut <- answer$cut
  if (answer$cut) checks$matches <- cells_right(t, answer)
  new_checks(checks, grid$measures)
}

# Does every cell that a part of a crosstab still shows equal that of the whole one, made again?
cells_right <- function(t, answer) {
  again <- quietly(ask(replace(answer$inquiry, "headings", list(NULL)), facts_of(answer)))
  whole <- answer_of(again)
  data <- as_tibble.hinterfeld_totals(t)
  at <- match_rows(data, stats::setNames(as.list(again)[seq_along(answer$keys)], answer$keys), answer$keys)
  same <- Map(function(name, cell) same_values(data[[name]], again[[names_of(whole, cell$id)]], at),
              names(answer$cells), answer$cells)
  all(unlist(same))
}

adding_measures <- function(measures, call = caller_env()) {
  names <- names(measures)[vapply(measures, function(m) m$adds_up, NA)]
  if (length(names) == 0) {
    stop_because("measure", "No measure of this table adds up from row to row.",
                 i = "Sums and counts of lines do; means, extremes and distinct counts do not.", call = call)
  }
  names
}

whole_totals <- function(answer, ids) {
  facts <- facts_of(answer)
  measures <- inquiry_measures(facts, answer$inquiry, ids)
  unname(Map(show_value, measures, Map(function(m, total) total_of_lines(m, facts) %||% total, measures,
                                       measure_groups(facts, list(), measures)$values)))
}

# A sum over the lines of a daybook by another road than the table's: an expression is computed line by line, and the
# lines are added up without a tally. NULL for what has no lines to add up.
total_of_lines <- function(m, facts) {
  if (m$kind != "sum" || !is.null(m$stage) || !inherits(facts, "hinterfeld_daybook") || !is.null(facts$grouped)) {
    return(NULL)
  }
  minor <- m$minor
  if (!is.character(m$spec$x)) {
    asked <- asked_quosure(m$spec$x, isTRUE(m$spec$language))
    formula <- quietly(line_formula(rlang::quo_get_expr(asked), rlang::quo_get_env(asked), facts, "x", NULL))
    minor <- quietly(formula_minor(formula, facts, m$decimals, one_by_one = TRUE))
  }
  sum_minor(minor, m$label, if (!is.null(m$mask)) which(m$mask))
}

new_check <- function(measure, of, x, daybook, decimals) {
  table <- from_minor(sum_minor(to_minor(x, decimals), measure), decimals)
  tibble::tibble(measure = measure, of = of, table = table, daybook = daybook,
                 difference = from_minor(round((table - daybook) * 10^decimals), decimals), matches = table == daybook)
}

# For each measure: does every row that a cut table still shows equal the row totalled again? Rows of others are sums of
# rows that are not there.
rows_right <- function(data, answer, names) {
  ids <- ids_of(answer, names)
  again <- retotal(answer, ids_of(answer, answer$keys), ids, subtotals_of(answer), answer$inquiry$fill)
  # Without subtotals a label may read differently and a period may be a date instead of text, so rows are matched by
  # codes.
  at <- match_codes(data, answer, again)
  here <- if (answer$others) !is.na(at) else rep(TRUE, length(at))
  right <- Map(function(name, id) {
    isTRUE(all(data[[name]][here] == replace(again[[id]][at], is.na(at), 0)[here]))
  }, names, ids)
  unlist(right)
}

match_codes <- function(data, answer, again) {
  theirs <- answer_of(again)
  keys <- table_keys(answer, facts_of(answer))
  ours <- unname(Map(function(key, name) label_codes(key, data[[name]], answer$labels), keys, answer$keys))
  among <- unname(Map(function(key, name) label_codes(key, again[[name]], theirs$labels), keys, theirs$keys))
  at <- rep_len(find_groups(ours, among, key_sizes(keys)), nrow(data))
  unknown <- Reduce(`|`, lapply(ours, is.na), rep(FALSE, nrow(data)))
  at <- replace(at, unknown, NA)
  level <- if (length(answer$levels) > 1) as.integer(data[[answer$level]]) == as.integer(
    again[[theirs$level]]
  )[at] else TRUE
  replace(at, !is.na(at) & !level, NA)
}

new_checks <- function(checks, measures) {
  decimals <- vapply(measures[checks$measure], function(m) m$decimals, 0L)
  tibble::new_tibble(checks, nrow = nrow(checks), decimals = unname(decimals), class = "hinterfeld_checks")
}
