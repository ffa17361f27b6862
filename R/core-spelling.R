# Spellings of one value, made one.

#' Settle spelling: give texts that differ only by case or spaces one spelling
#'
#' Where values of a column differ only by case, by outer spaces, by how many spaces are between words, or by whether a
#' letter and its mark are one character or two (which needs the package stringi), all of them get the commonest
#' spelling (of equally common ones the first by bytes), without outer spaces.
#'
#' @param x A data frame or a daybook.
#' @param ... Text columns, bare or as strings.
#' @return `x` with the columns changed. For each column, a message says how many distinct values there were before and
#'   after, and which were merged. In a daybook, this is a step of the [audit()].
#' @section Errors: `hinterfeld_error_column` for unknown columns or columns that are not text,
#'   `hinterfeld_error_argument` when no column is named.
#' @export
#' @examples
#' orders <- load_table(demo_files()[["orders"]])
#' orders <- settle_spelling(orders, status)
#' survey(orders, status)
settle_spelling <- function(x, ...) {
  book <- inherits(x, "hinterfeld_daybook")
  if (!book) check_table(x, "x")
  columns <- if (book) x$columns else x
  names <- unique(unlist(lapply(rlang::enquos(...), pick_columns, columns = names(columns), name = "...")))
  check_settled(names, columns)
  for (name in names) {
    spelling <- spelling_of(columns[[name]], name)
    say("settle", spelling$words, column = name)
    x <- respell(x, name, spelling)
  }
  x
}

# The spelling that each value of a column gets, as plain data: the values `from`, their spellings `to`, and what the
# audit and a message say.
spelling_of <- function(x, name) {
  coded <- encode_text(x)
  counts <- tabulate(coded, nlevels(coded))
  # Values that no line has any more are not spoken of.
  here <- counts > 0
  from <- levels(coded)[here]
  to <- settled_levels(from, counts[here])
  list(from = from, to = to, words = settle_words(name, from, to),
       why = sprintf("%s: %s became %s", name, count_of(length(from), "value"), group_digits(length(unique(to)))))
}

# Lines or a daybook with the spellings of a column.
respell <- function(x, name, spelling) {
  book <- inherits(x, "hinterfeld_daybook")
  coded <- encode_text(if (book) x$columns[[name]] else x[[name]])
  values <- unique(spelling$to)
  at <- match(spelling$to, values)[match(levels(coded), spelling$from)]
  merged <- structure(at[as.integer(coded)], levels = values, class = "factor")
  if (book) settle_book(x, name, merged, spelling$why) else settle_table(x, name, merged, spelling$why)
}

check_settled <- function(names, columns, call = caller_env()) {
  if (length(names) == 0) {
    stop_because("argument", "Name the text columns to settle.", i = "For example `settle_spelling(lines, status)`.",
                 call = call)
  }
  odd <- names[vapply(columns[names], type_of, "") != "text"]
  if (length(odd)) {
    stop_because("column", sprintf("%s %s not text.", columns_named(odd), if (length(odd) == 1) "is" else "are"),
                 i = "Only text has spellings to settle.", call = call)
  }
}

# The spelling that each value gets: the commonest as it was written, but for spaces around it.
settled_levels <- function(values, counts) {
  plain <- plain_text(values)
  best <- order(-counts, values, method = "radix")
  composed(gsub(sprintf("^%1$s|%1$s$", blanks), "", values[best][match(plain, plain[best])]))
}

settle_words <- function(name, before, after) {
  changed <- before != after
  if (!any(changed)) {
    return(sprintf("%s: %s, none of which differ only in spelling.", name, count_of(length(before), "value")))
  }
  merged <- vapply(unique(after[changed]), function(value) {
    sprintf("\"%s\" from %s", value, examples_of(setdiff(before[after == value], value)))
  }, "")
  c(sprintf("%s: %s became %s.", name, count_of(length(before), "value"), group_digits(length(unique(after)))),
    stats::setNames(sprintf("%s.", utils::head(merged, 10)), rep("i", min(10, length(merged)))),
    if (length(merged) > 10) c(i = sprintf("And %s more.", group_digits(length(merged) - 10))))
}

settle_book <- function(book, name, merged, why) {
  book$columns[[name]] <- merged
  revenue <- sum_minor(book$columns$revenue)
  settled <- new_trail("settle", why, book$lines, book$lines, revenue, revenue, book$decimals[["revenue"]])
  book$trail <- add_steps(book$trail, settled)
  book$orders <- record_step(book$orders)
  book
}

settle_table <- function(table, name, merged, why) {
  origin <- origin_of(table)
  table[[name]] <- levels(merged)[as.integer(merged)]
  n <- nrow(table)
  hand_on_origin(table, origin, new_trail("settle", why, n, n))
}
