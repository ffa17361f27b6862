#' The lines behind a number
#'
#' Gives the lines of the daybook that a row of a totals table, or a cell of a crosstab, was totalled from, each with
#' the file and the row it was read from.
#'
#' @param t A totals table or a crosstab of a daybook.
#' @param row Whole number: the row of `t`, 1 for the first. For a subtotal, these are the lines of all the rows it
#'   covers.
#' @param column Text: for a crosstab, the name of the cell's column. By default, you get the lines of the whole row.
#' @return A tibble of the lines with the daybook's columns, and `file` (text, missing for tables made in memory) and
#'   `row` (whole number, the first below the heading is 1). All lines of the row's group are given, including those
#'   that a measure's own `where` excludes. If the lines already have columns named `file` or `row`, they keep them, and
#'   the added ones are called `file of line` and `row of line`.
#' @section Errors: `hinterfeld_error_argument` for a row or column that the table does not have, and for an `others`
#'   row; `hinterfeld_error_facts` if the lines are not available, because the table was saved and read back or was made
#'   from a tally.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = product, every = "month")
#' lines_behind(t, 1)
lines_behind <- function(t, row, column = NULL) {
  answer <- answer_of(t)
  check_made(!is.null(answer), t, "t", "a totals table or a crosstab")
  check_row(row, t)
  cell <- if (!is.null(column)) check_cell(column, answer)
  facts <- facts_of(answer)
  if (!inherits(facts, "hinterfeld_daybook")) {
    stop_because("facts", "A tally has no lines.", i = "Make the table from the daybook.")
  }
  keys <- keys_named(ids_of(answer, answer$keys), answer$inquiry, facts)
  asked <- Map(function(key, name) row_code(key, t[[name]][row], answer), keys, answer$keys)
  # A member that only a target names has none.
  if (anyNA(unlist(asked))) {
    # A member that only a target names has none.
    planned <- any(vapply(answer$inquiry$steps, function(step) step$kind == "target", NA))
    if (planned && !answer$others) return(lines_of_rows(facts, integer()))
    stop_because("argument", sprintf("Row %d has no lines of its own: it sums several rows or was added by hand.", row),
                 i = "Ask for the rows one by one, in a table without `others`.")
  }
  if (!is.null(cell)) {
    keys <- c(keys, keys_named(cell$split, answer$inquiry, facts))
    asked <- c(asked, as.list(cell$codes))
  }
  lines_of_rows(facts, rows_of_group(facts, keys, asked))
}

# The keys of these columns of an inquiry, in their order.
keys_named <- function(names, inquiry, facts) {
  every <- intersect(inquiry$every, names)
  by <- intersect(names, inquiry$by)
  facts_keys(facts, by, every, inquiry$every)[match(names, c(every, by))]
}

# The rows of lines whose keys have these codes; a total has all of them.
rows_of_group <- function(facts, keys, asked) {
  good <- rep(TRUE, facts$lines)
  for (i in seq_along(keys)) {
    if (asked[[i]] == total_code) next
    codes <- as.integer(codes_in(keys[[i]], 1))
    good <- good & (if (asked[[i]] == 0L) is.na(codes) | codes == 0L else codes %in% asked[[i]])
  }
  which(good)
}

lines_of_rows <- function(facts, rows) {
  some <- take_rowsets(facts, list(rows))
  places <- line_places(seq_along(rows), list(places = facts$origin$places, at = some$at))
  lines <- tibble::as_tibble(lapply(stats::setNames(nm = names(some$columns)), column_values, book = some))
  lines[[make_distinct("file", names(lines), " of line")]] <- places$file
  lines[[make_distinct("row", names(lines), " of line")]] <- places$row
  lines
}

# The code of a value of a key's column; crosstabs name their periods.
row_code <- function(key, value, answer) {
  named <- !is.null(answer$grid) && inherits(key$labels, "Date") && key$name %in% answer$inquiry$every
  if (named) key$labels <- period_names(key$labels, key$name, answer$about$calendar)
  label_codes(key, value, answer$labels)
}

check_row <- function(row, t, call = caller_env()) {
  if (!is.numeric(row) || length(row) != 1 || !row %in% seq_len(nrow(t))) {
    stop_because("argument", sprintf("`row` must be a row of the table, from 1 to %s.", group_digits(nrow(t))),
                 i = sprintf("It is %s.", describe(row)),
                 call = call)
  }
}

# The groups of a column of cells: the columns that it splits, and the code of each.
check_cell <- function(column, answer, call = caller_env()) {
  check_text(column, "column", call = call)
  cell <- answer$cells[[column]]
  if (is.null(cell)) {
    problem <- if (!is.null(answer$grid)) sprintf("The crosstab has no cells \"%s\".", column)
    stop_because("argument", problem %||%
                   "`column` is only for crosstabs: a row of a totals table has a single group of lines.",
                 i = did_you_mean(column, names(answer$cells), "\""), call = call)
  }
  list(split = answer$inquiry$crosstab$columns, codes = cell$codes)
}

# A daybook where R is asked for rows --------------------------------------------------------------------------------

#' @rdname lines_of
#' @exportS3Method tibble::as_tibble
as_tibble.hinterfeld_daybook <- function(x, ...) {
  lines_of(x)
}

#' @rdname lines_of
#' @export
as.data.frame.hinterfeld_daybook <- function(x, ...) {
  as.data.frame(lines_of(x))
}

#' @rdname lines_of
#' @rawNamespace S3method(utils::head, hinterfeld_daybook)
head.hinterfeld_daybook <- function(x, n = 6L, ...) {
  check_whole_number(n, "n", 0)
  some <- take_rowsets(x, list(seq_len(min(n, x$lines))))
  tibble::as_tibble(lapply(stats::setNames(nm = names(some$columns)), column_values, book = some))
}
