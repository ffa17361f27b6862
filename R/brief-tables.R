# The tables and figures that a brief asks for.

brief_tables <- function(facts, specs, brief) {
  named_step("Table", specs, function(spec, name) brief_table(facts$table(name), spec, brief))
}

brief_table <- function(book, spec, brief) {
  if (!is.null(spec$unsold)) {
    return(for_reader(in_order(unsold_table(book, spec$unsold, brief), spec$sort), spec))
  }
  t <- totals_for(restrict_for_table(book, spec), spec)
  steps <- c(with_period(spec$add, spec$in_period), if (!is.null(spec$pick)) list(spec$pick))
  for (step in steps) t <- brief_step(t, names(step), step_arguments(step[[1]], brief))
  if (!is.null(spec$crosstab)) {
    t <- brief_crosstab(t, spec$crosstab)
  }
  t <- in_order(t, spec$sort)
  for_reader(with_headings(t, spec$headings), spec)
}

in_order <- function(t, sort) {
  order <- order_given(unlist(sort))
  if (is.null(order)) t else rlang::inject(sort_rows(t, !!!order_columns(order)))
}

# A chosen period is taken before shares, ranks and picks, which are then of that period; and after what needs the
# periods before it.
with_period <- function(steps, period) {
  if (is.null(period)) {
    return(steps)
  }
  first <- vapply(steps, names, "") %in% c("change", "causes", "target", "running_total", "moving")
  c(steps[first], list(list(in_period = list(period = period))), steps[!first])
}

# The lines of one table only.
restrict_for_table <- function(book, spec) {
  for (verb in c("keep", "leave_out")) {
    for (text in unlist(spec[[verb]])) book <- restrict_by(book, stats::setNames(list(text), verb))
  }
  book
}

# Columns as the reader will see them; they may be named as they were before the headings.
for_reader <- function(t, spec) {
  columns <- unlist(spec$columns)
  if (!is.null(columns)) {
    renamed <- match(columns, names(spec$headings))
    columns[!is.na(renamed)] <- unlist(spec$headings)[renamed[!is.na(renamed)]]
    t <- shown_columns(t, columns, call = NULL)
  }
  with_decimals_shown(t, spec$decimals_shown)
}

# Spread, then in order, then the best rows.
brief_crosstab <- function(t, spec) {
  given <- lapply(spec[setdiff(names(spec), c("order", "best"))], function(x) if (is.list(x)) unlist(x) else x)
  x <- rlang::exec(crosstab, t, !!!given)
  x <- in_order(x, spec$order)
  if (!is.null(spec$best)) x <- rlang::exec(best_sellers, x, !!!spec$best)
  x
}

brief_step <- function(t, kind, given) {
  take <- if (kind == "best_of_each") best_of_each else step_kinds[[kind]]$take
  rlang::exec(take, t, !!!given)
}

# Columns under other names, at last.
with_headings <- function(t, headings, call = caller_env()) {
  if (is.null(headings)) {
    return(t)
  }
  check_known(names(headings), names(t), "`headings` names %s, which the table does not have.", call = call)
  names(t)[match(names(headings), names(t))] <- unlist(headings)
  t
}

totals_for <- function(book, spec) {
  given <- spec[intersect(names(spec), c("every", "fill"))]
  if (!is.null(given$every)) given$every <- unlist(given$every)
  given$measures <- brief_measures(spec$measures)
  given$subtotals <- if (is.list(spec$subtotals)) lapply(spec$subtotals, unlist) else spec$subtotals
  rlang::exec(totals, book, by = unlist(spec$by), !!!given)
}

step_arguments <- function(given, brief = NULL) {
  if (!is.null(given$of)) given$of <- unlist(given$of)
  if (!is.null(given$within)) given$within <- as.character(unlist(given$within))
  if (!is.null(given$order)) given$order <- order_given(unlist(given$order))
  if (!is.null(given$classes)) given$classes <- unlist(given$classes)
  if (!is.null(given$as_of)) given$as_of <- as.Date(given$as_of)
  if (!is.null(given$periods)) given$periods <- lapply(given$periods, function(days) as.Date(unlist(days)))
  if (!is.null(given$targets)) {
    given$targets <- if (is_file_entry(given$targets)) {
      load_file(given$targets, brief, columns_of_names(brief$content))
    } else {
      as.data.frame(lapply(given$targets, unlist), optional = TRUE)
    }
  }
  given
}

# "-revenue" begins with the highest.
order_given <- function(names) {
  if (length(names) == 0) {
    return(NULL)
  }
  stats::setNames(startsWith(names, "-"), sub("^-", "", names))
}

brief_measures <- function(measures) {
  if (is.null(measures)) {
    return("revenue")
  }
  named <- lapply(as.list(measures),
                  function(measure) if (is.list(measure)) lapply(measure, brief_measure) else measure)
  unlist_once(named)
}

# list("revenue", list(best_day = m)) as list("revenue", best_day = m).
unlist_once <- function(x) {
  do.call(c, lapply(x, function(value) {
    if (is.list(value) && !inherits(value, "hinterfeld_measure")) value else list(value)
  }))
}

brief_measure <- function(spec) {
  kind <- kind_made_by(intersect(names(spec), measure_makers()))
  maker <- measure_kinds[[kind]]$maker
  x <- switch(measure_kinds[[kind]]$takes, column = rlang::new_quosure(spec[[maker]], rlang::empty_env()),
              numbers = , pair = brief_quo(spec[[maker]]), rlang::quo(NULL))
  per <- rlang::new_quosure(spec$per, rlang::empty_env())
  new_measure(kind, x, per, brief_quo(spec$where), spec$margin %||% "recompute", to = brief_quo(spec$to),
              incomplete = spec$incomplete %||% "leave_out")
}

unsold_table <- function(book, spec, brief) {
  given <- step_arguments(spec[intersect(names(spec), c("within", "product"))])
  if (!is.null(spec$where)) given$where <- brief_quo(spec$where)
  rlang::inject(unsold(book, load_file(spec$catalogue, brief, given$product %||% "product"), !!!given))
}

brief_figure <- function(table, spec, brief) {
  given <- step_arguments(spec[setdiff(names(spec), c("draw", "table"))])
  if (!is.null(given$places)) given$places <- load_file(given$places, brief)
  if (!is.null(given$outline)) given$outline <- brief_path(brief, given$outline)
  if (!is.null(given$at)) given$at <- as.Date(given$at)
  rlang::exec(made_figure, spec$draw, table, !!!given)
}

# Applies `make` to each entry and names the one that fails.
named_step <- function(what, entries, make) {
  results <- lapply(seq_along(entries), function(i) {
    say_progress("%s %s (%d of %d)", what, names(entries)[i], i, length(entries))
    tryCatch(make(entries[[i]], names(entries)[i]), error = function(cnd) {
      abort(sprintf("%s `%s` cannot be made.", what, names(entries)[i]),
            class = c("hinterfeld_error_run", "hinterfeld_error"),
            parent = cnd, call = NULL)
    })
  })
  stats::setNames(results, names(entries))
}
