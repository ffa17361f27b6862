# The audit: one row per step from reading to restricting. Revenue stays in minor units until it is shown; a step knows their
# decimals, for lines that were made a daybook twice have had two kinds of them.

new_trail <- function(what = character(), why = character(), lines_before = double(), lines_after = double(),
                      revenue_before = NA_real_, revenue_after = NA_real_, decimals = 0L) {
  n <- length(what)
  tibble::new_tibble(list(
    what = what, why = why,
    lines_before = rep_len(as.double(lines_before), n), lines_after = rep_len(as.double(lines_after), n),
    revenue_before = rep_len(as.double(revenue_before), n), revenue_after = rep_len(as.double(revenue_after), n),
    decimals = rep_len(as.integer(decimals), n)
  ), nrow = n)
}

add_steps <- function(trail, steps) {
  tibble::as_tibble(rbind(trail, steps))
}

# Where a table's lines came from: its file, the steps so far, what was set aside before, and the decimal marks of its
# texts. Carried as an attribute, and only trusted while the table still has the rows it had.
set_origin <- function(table, file, trail, marks = NULL, aside = NULL, empty = NULL) {
  attr(table, "hinterfeld_origin") <- list(file = file, rows = nrow(table), trail = trail, marks = marks, aside = aside, empty = empty)
  table
}

# Rows as they are counted in their file, from 1 below the heading, empty lines counted too. `empty` are the places of these
# among all lines.
file_rows <- function(rows, empty) {
  if (length(empty) == 0) {
    return(rows)
  }
  before <- empty - seq_along(empty)
  place <- function(record) record + findInterval(record - 1, before)
  as.integer(place(rows + 1) - place(1))
}

origin_of <- function(table) {
  origin <- attr(table, "hinterfeld_origin", exact = TRUE)
  if (is.null(origin)) {
    return(list(file = NA_character_, trail = new_trail("read", "a table in memory", 0, nrow(table))))
  }
  if (origin$rows != nrow(table)) {
    changed <- new_trail("change", "rows changed outside the daybook", origin$rows, nrow(table))
    origin <- replace(origin, c("file", "trail", "empty"), list(NA_character_, add_steps(origin$trail, changed), NULL))
  }
  origin
}

#' What every step did to the lines and the revenue
#'
#' The audit of a daybook: one row per step, in the order the steps were taken. The lines after one
#' step are the lines before the next, and so is the revenue, so the first and the last row tell
#' how much of what was read is in the totals.
#'
#' @param book A daybook made by [daybook()].
#' @return A tibble with one row per step and the columns
#'   * `step`: integer, 1 for the first;
#'   * `what`: text, one of `read`, `attach`, `settle`, `change`, `daybook`, `set aside`, `keep`,
#'     `leave out`, `neither yes nor no`;
#'   * `why`: text, the file, the keys or the reason;
#'   * `lines_before`, `lines_after`: numbers of lines;
#'   * `revenue_before`, `revenue_after`: in the currency of the data; missing for the steps before
#'     the daybook, when what counts as revenue was not yet known.
#' @section Errors: `hinterfeld_error_argument` when `book` is no daybook.
#' @seealso [set_aside()] for the unusable lines themselves.
#' @export
#' @examples
#' audit(demo_daybook())
audit <- function(book) {
  check_daybook(book)
  steps <- book$trail
  for (column in c("revenue_before", "revenue_after")) steps[[column]] <- steps[[column]] / 10^steps$decimals
  decimals <- max(steps$decimals)
  steps <- tibble::add_column(steps[names(steps) != "decimals"], step = seq_len(nrow(steps)), .before = 1)
  tibble::new_tibble(steps, decimals = decimals, class = "hinterfeld_audit")
}

# A cut audit is a plain tibble: its lines could not be told.
#' @export
`[.hinterfeld_audit` <- function(x, ...) {
  plain_part(x, NextMethod())
}

# What was taken of a table that prints in its own way: plain where columns are missing or it is no table.
plain_part <- function(x, part) {
  if (is.data.frame(part) && !identical(names(part), names(x))) {
    part <- tibble::new_tibble(as.list(part), nrow = nrow(part))
  }
  part
}
