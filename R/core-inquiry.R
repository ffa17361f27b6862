# Inquiries: everything that defines a table, as plain data. No function, no environment, no line.

# by         columns that split, by the names that they have in the facts
# every      the periods, from long to short; NULL for none
# measures   by name, each a kind with its expression: plain_measure()
# subtotals  as totals() takes them
# fill       logical
# steps      what was added or picked, in order: new_step()
# crosstab   rows, columns, of, margins, empty; NULL for none
# headings   present names of columns, by those they had first
new_inquiry <- function(by, every, measures, subtotals = NULL, fill = FALSE, steps = list(), crosstab = NULL,
                        headings = NULL) {
  check_inquiry(structure(list(
    by = by, every = every, measures = measures, subtotals = subtotals, fill = fill, steps = steps, crosstab = crosstab,
    headings = headings
  ), class = "hinterfeld_inquiry"))
}

check_inquiry <- function(inquiry) {
  if (!is_sound(inquiry)) rlang::abort("An inquiry that cannot be asked.", .internal = TRUE)
  inquiry
}

is_sound <- function(inquiry) {
  named <- function(x) is.list(x) && rlang::is_named(x) && !anyDuplicated(names(x))
  is.character(inquiry$by) && !anyNA(inquiry$by) && !anyDuplicated(inquiry$by) && is_every(inquiry$every) &&
    length(inquiry$measures) > 0 && named(inquiry$measures) && all(vapply(inquiry$measures, is_plain_measure, NA)) &&
    (is.null(inquiry$subtotals) || isTRUE(inquiry$subtotals) ||
       is.list(inquiry$subtotals) && all(vapply(inquiry$subtotals, is.character, NA))) &&
    rlang::is_bool(inquiry$fill) && is.list(inquiry$steps) && all(vapply(inquiry$steps, is_step, NA)) &&
    is_plain_data(unclass(inquiry))
}

is_step <- function(step) {
  inherits(step, "hinterfeld_step") && rlang::is_string(step$kind) &&
    inherits(step, paste0("hinterfeld_step_", step$kind)) &&
    is.list(step$args) && is.character(step$columns) && !anyNA(step$columns)
}

is_every <- function(every) {
  is.null(every) || is.character(every) && length(every) > 0 && all(every %in% names(grain_kinds)) &&
    from_long_to_short(every)
}

is_plain_data <- function(x) {
  if (is.list(x)) all(vapply(x, is_plain_data, NA)) else is.null(x) || is.atomic(x) || is.symbol(x) || is.call(x)
}

# A step of an inquiry: its kind, its arguments, in the names that columns had first, and the names of the columns that
# it adds, by their part in it.
new_step <- function(kind, args, columns) {
  structure(list(kind = kind, args = args, columns = columns),
            class = c(paste0("hinterfeld_step_", kind), "hinterfeld_step"))
}

# Steps that take rows away.
pick_kinds <- c("best_sellers", "slow_sellers")

# The steps of an answer that picked rows.
picks_of <- function(answer) {
  Filter(function(step) step$kind %in% pick_kinds, answer$inquiry$steps)
}

# Takes a step: each kind has a method, in the file of its verb. `again` is for a table whose rows the step must not
# change.
take_step <- function(step, t, again = FALSE, call = caller_env()) {
  UseMethod("take_step")
}

#' The inquiry of a table: everything that defines it, as data
#'
#' A totals table is the answer to an inquiry: the columns and the period it is split by, its measures, subtotals and
#' steps. An inquiry holds no lines. It can be kept, shown as R calls, or written into a brief.
#'
#' @param t A totals table or a crosstab.
#' @return An inquiry. Rows left out by hand and columns added by hand are not part of it, and a message says so;
#'   renamed columns are.
#' @section Errors: `hinterfeld_error_argument` for any other table.
#' @seealso [as_code()], [in_words()]
#' @export
#' @examples
#' t <- add_rank(totals(demo_daybook(), by = c(region, product)), within = region)
#' inquiry_of(t)
inquiry_of <- function(t) {
  if (!inherits(t, "hinterfeld_crosstab")) check_totals(t)
  answer <- answer_of(t)
  own <- setdiff(names(t), names(answer$columns))
  if (answer$by_hand) {
    say("inquiry", "Rows or columns were dropped from this table by hand; its inquiry describes the whole table.")
  }
  if (length(own)) {
    say("inquiry",
        sprintf("The inquiry does not include %s, which %s added by hand.", columns_named(own),
                if (length(own) == 1) "was" else "were"))
  }
  inquiry <- answer$inquiry
  first <- vapply(answer$columns, function(column) column$id, "")
  renamed <- first != names(answer$columns) & is.null(inquiry$crosstab)
  inquiry["headings"] <- list(if (any(renamed)) stats::setNames(names(answer$columns)[renamed], first[renamed]))
  check_inquiry(inquiry)
}
