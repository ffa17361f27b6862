# The audit as its reader sees it.

#' What every step did to the lines and the revenue
#'
#' The audit of a daybook or a tally: one row per step, in the order the steps were taken. Lines and revenue after one
#' step are those before the next, so the first and last rows show how much of what was read is in the totals.
#'
#' @param book A daybook made by [daybook()], or a tally made by [tally_of()].
#' @return A tibble with one row per step and the columns
#'   * `step`: integer, 1 for the first;
#'   * `what`: text, one of `read`, `attach`, `settle`, `change`, `daybook`, `extend`, `set aside`, `keep`, `leave out`,
#'     `undecided`;
#'   * `why`: text, the file, the keys or the reason;
#'   * `lines_before`, `lines_after`: numbers of lines;
#'   * `orders_before`, `orders_after`: numbers of orders with at least one of these lines; missing for steps before the
#'     daybook, if no column has the role `order`, and for restrictions of a tally, which has no lines;
#'   * `revenue_before`, `revenue_after`: in the currency of the data; missing for the steps before
#'     the daybook, when what counts as revenue was not yet known.
#' @section Errors: `hinterfeld_error_argument` if `book` is neither a daybook nor a tally.
#' @seealso [set_aside()] for the unusable lines themselves.
#' @export
#' @examples
#' audit(demo_daybook())
audit <- function(book) {
  check_facts(book, "book")
  structure(outer_table(audit_steps(book)), decimals = max(book$trail$decimals),
            class = c("hinterfeld_audit", tibble_class))
}

audit_steps <- function(book) {
  steps <- count_orders(book$trail, book$orders)
  for (column in c("revenue_before", "revenue_after")) steps[[column]] <- steps[[column]] / 10^steps$decimals
  steps$why <- why_words(steps)
  shown <- c("what", "why", "lines_before", "lines_after", "orders_before", "orders_after", "revenue_before",
             "revenue_after")
  inner_table(c(list(step = seq_len(nrow(steps))), steps[shown]), nrow(steps))
}

# "products by product; 3 unmatched; 1 row unused", "january.csv and 11 more"
why_words <- function(steps) {
  noted <- function(number, word) ifelse(number > 0, sprintf("; %s %s", group_digits(number), word), "")
  rows <- ifelse(steps$unused == 1, "row unused", "rows unused")
  more <- ifelse(steps$what == "read" & steps$merged > 1, sprintf(" and %s more", group_digits(steps$merged - 1)), "")
  paste0(steps$why, more, noted(steps$unmatched, "unmatched"), noted(steps$unused, rows))
}

# A cut audit is a plain tibble: its lines could not be told.
#' @export
`[.hinterfeld_audit` <- function(x, ...) {
  plain_part(x, NextMethod())
}

# What was taken of a table that prints in its own way: plain where columns are missing or it is not a table.
plain_part <- function(x, part) {
  if (is.data.frame(part) && !identical(names(part), names(x))) {
    part <- tibble::new_tibble(as.list(part), nrow = nrow(part))
  }
  part
}
