# Answers: a totals table or a crosstab with its inquiry and, for each column, what it is. Nothing is ever inferred from
# a column's name. The facts stand behind a handle that is empty once the table was saved and read again.

answer_classes <- c("hinterfeld_totals", "hinterfeld_crosstab")

new_totals <- function(columns, answer) {
  n <- if (length(columns)) length(columns[[1]]) else 0L
  table <- inner_table(columns, n)
  # structure() would expand the row names.
  attr(table, "answer") <- check_answer(answer, names(columns))
  class(table) <- c("hinterfeld_totals", tibble_class)
  table
}

# What an answer holds:
# inquiry  what was asked, in the names that columns had first
# columns  by its present name, what each column is that was totalled or added: new_column()
# levels   the detail and its subtotals: label, places and names of the keys that they split
# labels   the words for totals and for what is missing
# rows     how many rows there were; cut: whether some are gone; by_hand: whether not by a step; others: rows of others
# found    for each step of the inquiry what its sentence tells
# about    of the facts: calendar, currency, days, number of lines, trail
# facts    the handle
# A crosstab also has a `grid`: which names stand where, what its cells are, and the answer its added columns stood in.
answer_fields <- c("inquiry", "columns", "levels", "labels", "rows", "cut", "by_hand", "others", "step_stats", "about",
                   "facts")

new_answer <- function(inquiry, columns, levels, labels, rows, facts) {
  list(
    inquiry = inquiry, columns = columns, levels = levels, labels = labels, rows = rows, cut = FALSE, by_hand = FALSE,
    others = FALSE, step_stats = list(), about = about_facts(facts), facts = handle_kernel(facts)
  )
}

column_roles <- c("key", "level", "measure", "added", "cell", "singles")

# What a column is: `id` the name it had first, `role`, what it `counts` (money, pieces, lines, orders, days, percent,
# rank, class, other), its `decimals` (NULL where it is not exact), and what else belongs to its role.
new_column <- function(id, role, counts = "other", decimals = NULL, signed = FALSE, ...) {
  c(list(id = id, role = role, counts = counts, decimals = decimals, signed = signed), list(...))
}

check_answer <- function(answer, names) {
  described <- vapply(answer$columns,
                      function(column) isTRUE(column$role %in% column_roles) && rlang::is_string(column$id), NA)
  sound <- setequal(names(answer), answer_fields) && inherits(answer$inquiry, "hinterfeld_inquiry") && all(described) &&
    all(names(answer$columns) %in% names) && !anyDuplicated(names) && length(answer$levels) > 0 &&
    length(answer$step_stats) == length(answer$inquiry$steps)
  if (!sound) rlang::abort("An answer that contradicts itself.", .internal = TRUE)
  answer
}

# The answer of a table, with its columns by role; NULL for any other table, whatever attributes it was left with.
answer_of <- function(t) {
  answer <- if (inherits(t, answer_classes)) attr(t, "answer", exact = TRUE)
  if (!is.null(answer)) c(answer, roles_of(answer$columns, answer$inquiry$every))
}

# `everys` are the grains of its periods and `periods` their columns; `every` is the single period that they identify
# together, or else the finest recurring one; `period` is the column of the finest. `by` are the other columns that
# split; where periods come again, each longer one splits like these.
roles_of <- function(columns, everys) {
  if (identical(last_roles$columns, columns) && identical(last_roles$roles$everys, everys)) {
    return(last_roles$roles)
  }
  role <- vapply(columns, function(column) column$role, "")
  dated <- vapply(columns, function(column) !is.null(column$every), NA)
  named <- names(columns)
  periods <- if (any(dated)) named[dated]
  single <- single_grain(everys)
  outer <- if (is.null(single)) utils::head(periods, -1)
  last_roles$columns <- columns
  last_roles$roles <- list(
    everys = everys, periods = periods, every = single %||% utils::tail(everys, 1), period = utils::tail(periods, 1),
    by = c(outer, named[role == "key" & !dated]),
    keys = named[role == "key"], singles = named[role == "singles"],
    level = if (any(role == "level")) named[role == "level"],
    measures = columns[role == "measure"], added = columns[role == "added"],
    cells = columns[role == "cell"], values = named[role %in% c("measure", "added", "cell")]
  )
}

# The roles that were computed last, as the same table is asked many times in a row.
last_roles <- new.env(parent = emptyenv())

set_answer <- function(t, ...) {
  answer <- attr(t, "answer", exact = TRUE)
  changed <- list(...)
  answer[names(changed)] <- changed
  attr(t, "answer") <- answer
  t
}

# The facts behind a table.
facts_of <- function(answer, call = NULL) {
  handle_value_kernel(answer$facts) %||%
    stop_because("facts", "This table no longer has its facts: it was saved and read back.",
                 i = "Make it again from its daybook or tally; `as_code(inquiry_of(t))` prints the code.", call = call)
}

check_totals <- function(t, name = "t", call = caller_env()) {
  check_whole_names(call)
  check_made(inherits(t, "hinterfeld_totals"), t, name, "a totals table", "Make one with `totals()`.", call)
}

# The first names of columns, and their present names.
ids_of <- function(answer, names) {
  at <- match(names, names(answer$columns))
  replace(names, !is.na(at), vapply(answer$columns[at[!is.na(at)]], function(column) column$id, ""))
}

names_of <- function(answer, ids) {
  at <- match(ids, vapply(answer$columns, function(column) column$id, ""))
  replace(ids, !is.na(at), names(answer$columns)[at[!is.na(at)]])
}

# What is known of a column of numbers: what it counts, and its decimals where it is exact. NULL for a column of the
# user's own.
known_column <- function(answer, name) {
  column <- answer$columns[[name]]
  if (!is.null(column) && column$role %in% c("measure", "added", "cell")) column
}

# Is a measure, or a cell of one, among these columns?
has_measure_among <- function(answer, names) {
  any(c(names(answer$measures), names(answer$cells)) %in% names)
}

#' @exportS3Method tibble::as_tibble
as_tibble.hinterfeld_totals <- function(x, ...) {
  attr(x, "answer") <- NULL
  outer_table(x)
}

#' @exportS3Method tibble::as_tibble
as_tibble.hinterfeld_crosstab <- as_tibble.hinterfeld_totals
