#' Crosstab: rows by columns, with totals of rows, columns and all
#'
#' Spreads a totals table: one row per group of `rows`, one column per value of `columns`. Totals are
#' taken from the lines, so that distinct counts and means are right in the margins too.
#'
#' @param t A totals table made by [totals()] that holds `rows` and `columns` and was not cut.
#' @param rows,columns Columns of `t`, bare or as strings: the period or the `by` columns. `rows` may
#'   be several.
#' @param of Text: names of measures of `t`, one or several.
#' @param margins Logical: give a last row and a last column of totals.
#' @param empty Text: what a combination without lines shows, `"blank"` (missing) or `"zero"`.
#' @return A crosstab: a tibble with the `rows` columns, a column for each value of `columns`, in
#'   calendar order or from the largest, labelled as by [period_label()] (`2026-03`, `Mar`, `Mon`),
#'   and `Total`. With several measures, `<label> <measure>`. [deliver()], [in_words()] and
#'   [reconcile()] take it.
#' @section Errors: `hinterfeld_error_column` for columns that `t` does not split by,
#'   `hinterfeld_error_measure` for an unknown measure, `hinterfeld_error_argument` for a table that
#'   was cut.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(category, region))
#' crosstab(t, rows = category, columns = region)
#' monthly <- totals(demo_daybook(), by = product, every = "month", measures = c("revenue", "units"))
#' crosstab(monthly, rows = product, columns = month, of = "units")
crosstab <- function(t, rows, columns, of = names(memory_of(t)$measures)[1], margins = TRUE,
                     empty = c("blank", "zero")) {
  check_totals(t)
  memory <- memory_of(t)
  check_flag(margins, "margins")
  empty <- check_choice(empty[1], "empty", c("blank", "zero"))
  dimensions <- c(memory$every, memory$by)
  rows <- pick_columns(enquo(rows), dimensions, "rows")
  columns <- pick_columns(enquo(columns), dimensions, "columns")
  check_crosstab(memory, rows, columns, of)

  whole <- retotal(memory, c(rows, columns), of, if (margins) list(rows, columns, "Total"))
  spread <- spread_totals(whole, rows, columns, of, empty)
  tibble::new_tibble(spread$cells, nrow = length(spread$cells[[1]]), class = "hinterfeld_crosstab", memory = c(
    memory_of(whole), list(rows_by = rows, columns_by = columns, of = of, margins = margins, cells = spread$measure)
  ))
}

check_crosstab <- function(memory, rows, columns, of, call = caller_env()) {
  if (memory$cut) {
    stop_because("argument", c(
      "This table was cut to some of its rows, so its margins would not be those of the daybook.",
      i = "Make the crosstab first, or keep fewer lines with `keep_lines()` before `totals()`."
    ), call = call)
  }
  if (length(rows) == 0 || length(columns) != 1 || columns %in% rows) {
    stop_because("column", c(
      "A crosstab needs `rows` and one other column as `columns`.",
      i = sprintf("The table splits by %s.", columns_named(c(memory$every, memory$by)))
    ), call = call)
  }
  unknown <- setdiff(of, names(memory$measures))
  if (!is.character(of) || length(of) == 0 || length(unknown)) {
    stop_because("measure", c(
      if (length(unknown)) sprintf("`of` names %s, which the table does not hold.", columns_named(unknown)) else "`of` must name measures.",
      i = sprintf("Its measures are %s.", columns_named(names(memory$measures)))
    ), call = call)
  }
}

# The same daybook and measures, split by other columns of the table.
retotal <- function(memory, split, of = names(memory$measures), subtotals = NULL) {
  measures <- lapply(memory$measures[of], function(m) m$spec)
  every <- intersect(memory$every, split)
  by <- setdiff(split, every)
  # A column may have been renamed since the table was made.
  original <- memory$book_columns[match(by, memory$by)]
  in_book <- function(names) replace(names, names %in% by, original[match(names[names %in% by], by)])
  t <- quietly(totals(memory$book, by = tidyselect::all_of(original), every = if (length(every)) every,
                      measures = measures, subtotals = lapply(subtotals, in_book)))
  at <- match(original, names(t))
  names(t)[at] <- by
  t
}

# Columns of cells, and the measure that each one holds.
spread_totals <- function(whole, rows, columns, of, empty) {
  memory <- memory_of(whole)
  data <- as_tibble.hinterfeld_totals(whole)
  heads <- column_heads(data, memory, columns)
  row_id <- do.call(paste, c(lapply(data[rows], as.character), sep = "\r"))
  ids <- row_ids(data, memory, rows, row_id)
  at <- match(ids, row_id)
  cells <- as.list(data[at, rows])
  if (any(rows %in% memory$every)) cells[[memory$every]] <- period_names(cells[[memory$every]], memory)
  held <- character()
  for (j in seq_along(heads$labels)) {
    for (measure in of) {
      from <- match(paste(ids, heads$values[j]), paste(row_id, as.character(data[[columns]])))
      value <- data[[measure]][from]
      if (empty == "zero") value[is.na(from)] <- 0
      name <- if (length(of) == 1) heads$labels[j] else paste(heads$labels[j], measure)
      cells[[name]] <- value
      held[[name]] <- measure
    }
  }
  list(cells = cells, measure = held)
}

# Periods in calendar order, other columns from the largest; the total last.
column_heads <- function(data, memory, columns) {
  total <- memory$labels$total
  values <- as.character(data[[columns]])
  own <- column_level(memory, columns)
  if (is.null(own)) {
    known <- unique(values)
  } else {
    known <- unique(values[data$level == own])
  }
  period <- identical(columns, memory$every)
  if (period && !memory$every %in% recurring_grains) known <- sort(setdiff(known, total))
  if (period && memory$every %in% recurring_grains) known <- setdiff(levels(factor(data[[columns]])), total)
  labels <- if (period) period_names(known, memory) else known
  if (is.null(own)) list(values = known, labels = labels) else list(values = c(known, total), labels = c(labels, total))
}

# Readable names of periods given as dates or text; totals keep theirs.
period_names <- function(x, memory) {
  x <- as.character(x)
  dates <- memory$every %in% grains & x != memory$labels$total
  replace(x, dates, period_label(as.Date(x[dates]), memory$every, memory$book$calendar))
}

# The level that splits by exactly this column, when the table has margins.
column_level <- function(memory, columns) {
  for (level in memory$levels) {
    if (length(memory$levels) > 1 && setequal(level$columns, columns)) {
      return(level$label)
    }
  }
  NULL
}

# Rows in the order of their own totals where the table has them, the total last.
row_ids <- function(data, memory, rows, row_id) {
  own <- column_level(memory, rows)
  if (is.null(own)) {
    return(unique(row_id))
  }
  c(unique(row_id[data$level == own]), row_id[data$level == "Total"])
}
