# The tables and figures that a brief asks for.

steps_to_add <- list(
  change = function(...) add_change(...), rank = function(...) add_rank(...), share = function(...) add_share(...),
  running_total = function(...) add_running_total(...), moving = function(...) add_moving(...), pareto = function(...) add_pareto(...)
)

brief_table <- function(book, spec, brief) {
  if (!is.null(spec$unsold)) {
    return(unsold_table(book, spec$unsold, brief))
  }
  t <- totals_for(book, spec)
  for (step in spec$add) t <- rlang::exec(steps_to_add[[names(step)]], t, !!!step_arguments(step[[1]]))
  if (!is.null(spec$pick)) {
    pick <- list(best_sellers = best_sellers, slow_sellers = slow_sellers, best_of_each = best_of_each)[[names(spec$pick)]]
    t <- rlang::exec(pick, t, !!!step_arguments(spec$pick[[1]]))
  }
  if (!is.null(spec$crosstab)) {
    t <- rlang::exec(crosstab, t, !!!lapply(spec$crosstab, function(x) if (is.list(x)) unlist(x) else x))
  }
  t
}

totals_for <- function(book, spec) {
  given <- spec[intersect(names(spec), c("every", "fill"))]
  given$measures <- brief_measures(spec$measures)
  given$subtotals <- if (is.list(spec$subtotals)) lapply(spec$subtotals, unlist) else spec$subtotals
  rlang::exec(totals, book, by = unlist(spec$by), !!!given)
}

step_arguments <- function(given) {
  if (!is.null(given$within)) given$within <- unlist(given$within)
  if (!is.null(given$classes)) given$classes <- unlist(given$classes)
  if (!is.null(given$as_of)) given$as_of <- as.Date(given$as_of)
  if (!is.null(given$periods)) given$periods <- lapply(given$periods, function(days) as.Date(unlist(days)))
  given
}

measure_makers <- c("sum_of", "mean_of", "smallest_of", "largest_of", "count_distinct", "count_lines")

brief_measures <- function(measures) {
  if (is.null(measures)) {
    return("revenue")
  }
  named <- lapply(as.list(measures), function(measure) if (is.list(measure)) lapply(measure, brief_measure) else measure)
  unlist_once(named)
}

# list("revenue", list(best_day = m)) as list("revenue", best_day = m).
unlist_once <- function(x) {
  do.call(c, lapply(x, function(one) if (is.list(one) && !inherits(one, "hinterfeld_measure")) one else list(one)))
}

brief_measure <- function(spec) {
  maker <- intersect(names(spec), measure_makers)
  given <- spec[intersect(names(spec), c("per", "margin"))]
  if (!is.null(spec$where)) given$where <- brief_quo(spec$where)
  switch(maker,
    count_lines = rlang::inject(count_lines(!!!given)),
    count_distinct = rlang::inject(count_distinct(!!spec$count_distinct, !!!given)),
    sum_of = rlang::inject(sum_of(!!brief_quo(spec$sum_of), !!!given)),
    mean_of = rlang::inject(mean_of(!!brief_quo(spec$mean_of), !!!given)),
    smallest_of = rlang::inject(smallest_of(!!brief_quo(spec$smallest_of), !!!given)),
    largest_of = rlang::inject(largest_of(!!brief_quo(spec$largest_of), !!!given))
  )
}

unsold_table <- function(book, spec, brief) {
  given <- step_arguments(spec[intersect(names(spec), c("within", "product"))])
  if (!is.null(spec$where)) given$where <- brief_quo(spec$where)
  rlang::inject(unsold(book, load_file(spec$catalogue, brief, given$product %||% "product"), !!!given))
}

figures_to_draw <- list(
  trend = function(...) figure_trend(...), years = function(...) figure_years(...), change = function(...) figure_change(...),
  ranking = function(...) figure_ranking(...), share = function(...) figure_share(...), running = function(...) figure_running(...),
  pareto = function(...) figure_pareto(...), crosstab = function(...) figure_crosstab(...), weekdays = function(...) figure_weekdays(...),
  places = function(...) figure_places(...)
)

brief_figure <- function(table, spec, brief) {
  given <- step_arguments(spec[setdiff(names(spec), c("draw", "table"))])
  if (!is.null(given$places)) given$places <- load_file(given$places, brief)
  if (!is.null(given$outline)) given$outline <- brief_path(brief, given$outline)
  if (!is.null(given$at)) given$at <- as.Date(given$at)
  rlang::exec(figures_to_draw[[spec$draw]], table, !!!given)
}
