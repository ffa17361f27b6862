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
  checks <- lapply(names, function(name) {
    levels <- vapply(memory$levels, function(level) level$label, "")
    if (memory$cut && length(levels) > 1) levels <- intersect(levels, unique(as.character(data$level)))
    lapply(levels, function(level) {
      rows <- if (length(memory$levels) > 1) data$level == level else rep(TRUE, nrow(data))
      of <- if (length(memory$levels) > 1) level else "all rows"
      new_check(name, of, data[[name]][rows], whole[[name]], memory$measures[[name]]$decimals)
    })
  })
  checks <- do.call(rbind, unlist(checks, recursive = FALSE))
  checks$cut <- memory$cut
  if (memory$cut) checks$matches <- rows_right(data, memory, names)
  new_checks(checks, memory)
}

#' @export
reconcile.hinterfeld_crosstab <- function(t) {
  memory <- memory_of(t)
  names <- intersect(memory$of, adding_measures(memory))
  if (length(names) == 0) stop_nothing_adds_up()
  whole <- daybook_totals(memory, names)
  cells <- as.list(t)
  total <- memory$labels$total
  is_total <- as.character(cells[[memory$rows_by[1]]]) == total & memory$margins
  checks <- lapply(names, function(name) {
    columns <- names(memory$cells)[memory$cells == name]
    corner <- columns[memory$margins & columns %in% c(total, paste(total, name))]
    inner <- setdiff(columns, corner)
    body <- unlist(lapply(cells[inner], function(x) x[!is_total]))
    check <- function(of, x) new_check(name, of, x, whole[[name]], memory$measures[[name]]$decimals)
    rbind(
      check("cells", body),
      if (memory$margins) check("column totals", unlist(lapply(cells[inner], function(x) x[is_total]))),
      if (memory$margins) check("row totals", cells[[corner]][!is_total]),
      if (memory$margins) check("corner", cells[[corner]][is_total])
    )
  })
  checks <- do.call(rbind, checks)
  checks$cut <- FALSE
  new_checks(checks, memory)
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
  table <- from_units(sum_units(to_units(x, decimals), measure), decimals)
  tibble::tibble(measure = measure, of = of, table = table, daybook = daybook,
                 difference = from_units(round((table - daybook) * 10^decimals), decimals), matches = table == daybook)
}

# Does every row that a cut table still shows equal the row totalled anew?
rows_right <- function(data, memory, names) {
  levels <- memory$levels[-1]
  subtotals <- if (length(levels)) lapply(levels, function(level) if (length(level$columns)) level$columns else "Total")
  again <- retotal(memory, c(memory$every, memory$by), names, subtotals)
  again <- as_tibble.hinterfeld_totals(again)
  keys <- key_columns(memory)
  id <- function(x) do.call(paste, c(lapply(x[keys], as.character), list(character()), sep = "\r"))
  at <- match(id(data), id(again))
  all(vapply(names, function(name) all(data[[name]] == replace(again[[name]][at], is.na(at), 0)), NA))
}

new_checks <- function(checks, memory) {
  decimals <- vapply(memory$measures[checks$measure], function(m) m$decimals, 0L)
  tibble::new_tibble(checks, nrow = nrow(checks), decimals = unname(decimals), class = "hinterfeld_checks")
}
