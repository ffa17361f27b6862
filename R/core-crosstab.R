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
#' @param empty Text: what a combination without lines shows, `"blank"` (missing) or `"zero"`, which sums and counts then have;
#'   means and extremes of nothing stay missing.
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

  spread_totals(memory, list(rows = rows, columns = columns, of = of, margins = margins, empty = empty))
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

# Rows and columns stand in the order of their totals, whether these are shown or not; a cell is found by its codes.
spread_totals <- function(memory, how) {
  found <- ask_again(memory, c(how$rows, how$columns), how$of, list(how$rows, how$columns, "Total"))
  at_level <- function(columns) {
    level <- Position(function(level) setequal(level$columns, columns), found$levels)
    found$order[found$level[found$order] == level]
  }
  at <- list(rows = at_level(how$rows), columns = at_level(how$columns))
  if (how$margins) at <- lapply(at, c, at_level(character()))
  labels <- choose_labels(found$keys, lapply(found$codes, function(code) code[unlist(at)]))
  key <- function(names) match(names, found$names)
  heads <- column_heads(found, at$columns, key(how$columns), how, labels, memory)

  rows <- Map(function(k, name) {
    values <- key_values(found$keys[[k]], found$codes[[k]], at$rows, labels)
    if (name %in% memory$every) period_names(values, memory, labels) else values
  }, key(how$rows), how$rows)
  names(rows) <- how$rows
  cells <- lapply(seq_len(nrow(heads)), function(j) {
    codes <- lapply(seq_along(found$names), function(k) {
      if (k %in% key(how$rows)) found$codes[[k]][at$rows] else rep(heads$code[j], length(at$rows))
    })
    m <- found$measures[[heads$measure[j]]]
    value <- found$values[[match(heads$measure[j], names(found$measures))]][find_groups(codes, found$codes, key_sizes(found$keys))]
    show_value(m, if (how$empty == "zero") nothing_to_zero(m, value) else value)
  })
  names(cells) <- heads$name
  new_crosstab(c(rows, cells), memory, how, found$levels, heads, labels, length(at$rows))
}

new_crosstab <- function(columns, memory, how, levels, heads, labels, rows) {
  memory[c("derived", "sentences", "steps")] <- NULL
  memory$measures <- memory$measures[how$of]
  about <- list(levels = if (how$margins) levels else levels[1], labels = labels, rows = rows, cut = FALSE, heads = heads,
                cells = stats::setNames(heads$measure, heads$name), rows_by = how$rows, columns_by = how$columns)
  memory[names(about)] <- about
  memory[c("of", "margins", "empty")] <- how[c("of", "margins", "empty")]
  tibble::new_tibble(columns, nrow = rows, class = "hinterfeld_crosstab", memory = memory)
}

# One row per column of cells: its name, the code of its group, its measure, and whether it is a total.
column_heads <- function(found, at, k, how, labels, memory) {
  codes <- found$codes[[k]][at]
  shown <- key_values(found$keys[[k]], found$codes[[k]], at, labels)
  label <- if (how$columns %in% memory$every) period_names(shown, memory, labels) else plain_value(shown)
  label[is.na(label)] <- labels$not_given
  heads <- data.frame(code = rep(codes, each = length(how$of)), measure = rep(how$of, length(codes)))
  name <- if (length(how$of) == 1) label else paste(rep(label, each = length(how$of)), how$of)
  heads$name <- own_names(name, how$rows, how$columns)
  heads$total <- heads$code == total_code
  heads
}

# Names that are none of the other columns' and none of each other's.
own_names <- function(names, taken, column) {
  clash <- names %in% taken | names %in% names[duplicated(names)]
  names[clash] <- paste0(column, ": ", names[clash])
  utils::tail(make.unique(c(taken, names), " "), length(names))
}

# Readable names of periods given as dates, text or a factor; totals keep theirs.
period_names <- function(x, memory, labels = memory$labels) {
  x <- as.character(x)
  dates <- memory$every %in% grains & x != labels$total
  replace(x, dates, period_label(as.Date(x[dates]), memory$every, memory$book$calendar))
}

# Which rows and which cell columns of a crosstab are totals; a part of one may have lost them.
crosstab_totals <- function(x) {
  memory <- memory_of(x)
  heads <- memory$heads[memory$heads$name %in% names(x), ]
  list(rows = memory$margins & as.character(x[[memory$rows_by[1]]]) == memory$labels$total, columns = heads$name[heads$total], heads = heads)
}
