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
#' @param empty Text: what a combination without lines shows, `"blank"` (missing) or `"zero"`, which sums and counts
#'   then have; means and extremes of nothing stay missing.
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
crosstab <- function(t, rows, columns, of = names(answer_of(t)$measures)[1], margins = TRUE,
                     empty = c("blank", "zero")) {
  check_totals(t)
  answer <- answer_of(t)
  check_flag(margins, "margins")
  empty <- check_choice(empty[1], "empty", c("blank", "zero"))
  rows <- pick_columns(enquo(rows), answer$keys, "rows")
  columns <- pick_columns(enquo(columns), answer$keys, "columns")
  check_crosstab(answer, rows, columns, of)
  ids <- lapply(list(rows = rows, columns = columns, of = of), ids_of, answer = answer)
  spread_totals(answer, c(ids, list(margins = margins, empty = empty)))
}

check_crosstab <- function(answer, rows, columns, of, call = caller_env()) {
  if (answer$cut) {
    stop_because("argument", c(
      "This table was cut to some of its rows, so its margins would not be those of the daybook.",
      i = "Make the crosstab first, or keep fewer lines with `keep_lines()` before `totals()`."
    ), call = call)
  }
  if (length(rows) == 0 || length(columns) != 1 || columns %in% rows) {
    stop_because("column", c(
      "A crosstab needs `rows` and one other column as `columns`.",
      i = sprintf("The table splits by %s.", columns_named(answer$keys))
    ), call = call)
  }
  unknown <- setdiff(of, names(answer$measures))
  if (!is.character(of) || length(of) == 0 || length(unknown)) {
    stop_because("measure", c(
      if (length(unknown)) sprintf("`of` names %s, which the table does not hold.",
                                   columns_named(unknown)) else "`of` must name measures.",
      i = sprintf("Its measures are %s.", columns_named(names(answer$measures)))
    ), call = call)
  }
}

# Rows and columns stand in the order of their totals, whether these are shown or not; a cell is found by its codes.
# `how` tells rows, columns and `of` by their first names; they are shown by their present ones.
spread_totals <- function(answer, how) {
  found <- ask_again(answer, c(how$rows, how$columns), how$of, list(how$rows, how$columns, "Total"))
  at_level <- function(columns) {
    level <- Position(function(level) setequal(level$columns, columns), found$levels)
    found$order[found$level[found$order] == level]
  }
  at <- list(rows = at_level(how$rows), columns = at_level(how$columns))
  if (how$margins) at <- lapply(at, c, at_level(character()))
  labels <- choose_labels(found$keys, lapply(found$codes, function(code) code[unlist(at)]))
  key <- function(names) match(names, found$names)
  heads <- column_heads(found, at$columns, key(how$columns), how, labels, answer)
  every <- answer$every
  rows <- Map(function(k, name) {
    values <- key_values(found$keys[[k]], found$codes[[k]], at$rows, labels)
    if (name %in% every) period_names(values, every, labels, answer$about$calendar) else values
  }, key(how$rows), how$rows)
  names(rows) <- names_of(answer, how$rows)
  cells <- lapply(seq_len(nrow(heads)), function(j) {
    codes <- lapply(seq_along(found$names), function(k) {
      if (k %in% key(how$rows)) found$codes[[k]][at$rows] else rep(heads$code[j], length(at$rows))
    })
    m <- found$measures[[heads$measure[j]]]
    value <- found$values[[match(heads$measure[j], names(found$measures))]]
    value <- value[find_groups(codes, found$codes, key_sizes(found$keys))]
    show_value(m, if (how$empty == "zero") nothing_to_zero(m, value) else value)
  })
  names(cells) <- heads$name
  new_crosstab(c(rows, cells), answer, how, found, heads, labels)
}

# A crosstab is the answer to the inquiry of its table without the steps: `grid` tells what stands where.
new_crosstab <- function(values, answer, how, found, heads, labels) {
  asked <- answer$inquiry
  inquiry <- new_inquiry(asked$by, asked$every, asked$measures, asked$subtotals, asked$fill, crosstab = how)
  measures <- lapply(stats::setNames(nm = how$of), function(id) measure_about(id, found$measures[[id]]))
  rows <- Map(function(id, key) replace(key_about(id, key, FALSE), "every", list(NULL)), how$rows,
              found$keys[match(how$rows, found$names)])
  columns <- c(unname(rows), lapply(seq_len(nrow(heads)), function(j) {
    cell <- measures[[heads$measure[j]]]
    rlang::exec(new_column, heads$id[j], "cell", cell$counts, cell$decimals, of = heads$measure[j],
                total = heads$total[j])
  }))
  names(columns) <- names(values)
  levels <- if (how$margins) found$levels else found$levels[1]
  levels <- lapply(levels, function(level) replace(level, "columns", list(names_of(answer, level$columns))))
  size <- length(values[[1]])
  out <- c(new_answer(inquiry, columns, levels, labels, size, found$facts), list(grid = c(
    list(shown = list(rows = names_of(answer, how$rows), columns = names_of(answer, how$columns),
                      of = names_of(answer, how$of)),
         measures = stats::setNames(measures, names_of(answer, how$of))), how[c("margins", "empty")]
  )))
  tibble::new_tibble(values, nrow = size, class = "hinterfeld_crosstab", answer = out)
}

# One row per column of cells: its name, the code of its group, its measure, and whether it is a total.
column_heads <- function(found, at, k, how, labels, answer) {
  codes <- found$codes[[k]][at]
  shown <- key_values(found$keys[[k]], found$codes[[k]], at, labels)
  every <- answer$every
  label <- if (how$columns %in% every) period_names(shown, every, labels, answer$about$calendar) else plain_value(shown)
  label[is.na(label)] <- labels$not_given
  heads <- data.frame(code = rep(codes, each = length(how$of)), measure = rep(how$of, length(codes)))
  named <- function(how) {
    name <- if (length(how$of) == 1) label else paste(rep(label, each = length(how$of)), how$of)
    own_names(name, how$rows, how$columns)
  }
  heads$id <- named(how)
  heads$name <- named(lapply(how[c("rows", "columns", "of")], names_of, answer = answer))
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
period_names <- function(x, every, labels, calendar) {
  x <- as.character(x)
  dates <- !is_recurring(every) & x != labels$total
  replace(x, dates, period_label(as.Date(x[dates]), every, calendar))
}

# Which rows and which cell columns of a crosstab are totals; a part of one may have lost them.
crosstab_totals <- function(x) {
  answer <- answer_of(x)
  total <- vapply(answer$cells, function(cell) cell$total, NA)
  list(rows = answer$grid$margins & as.character(x[[answer$keys[1]]]) == answer$labels$total,
       columns = names(answer$cells)[total], cells = names(answer$cells))
}
