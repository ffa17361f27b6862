# What daybooks, totals tables and audits look like in a terminal.

#' Print daybooks, totals tables and audits
#'
#' A totals table prints a heading that says what it is, its first rows with money aligned, and a
#' footnote with what was left out before it.
#'
#' @param x A daybook, totals table or audit.
#' @param ... Not used.
#' @param n Whole number: how many rows to print.
#' @return `x`, invisibly.
#' @name printing
#' @examples
#' print(totals(demo_daybook(), by = category, every = "month"), n = 5)
NULL

#' @rdname printing
#' @export
print.hinterfeld_totals <- function(x, ..., n = 10) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_totals <- function(x, ..., n = 10) {
  answer <- answer_of(x)
  heading <- sprintf("%s: %s, %s", title_words(answer, unit = TRUE), count_of(nrow(x), "row"), span_words(answer$about))
  c(text_notes(heading), answer_table(x, n, short_headings(names(x), answer)), text_notes(left_out_words(answer$about)))
}

# The rows of a table whose columns are known: numbers as they are read, flush right.
answer_table <- function(x, n, headings = names(x), more = 0) {
  facts <- column_facts(x)
  shown <- utils::head(tibble::as_tibble(x), n)
  # A period keeps its first day here: it can be typed in a condition.
  readable <- vapply(facts, function(fact) fact$kind %in% number_kinds, NA)
  for (name in names(shown)[readable]) {
    text <- shown_text(shown[[name]], facts[[name]], calendar_of(x))
    shown[[name]] <- replace(text, is.na(shown[[name]]), NA)
  }
  text_table(shown, rows = n, right = names(shown)[readable], headings = headings, more = nrow(x) - nrow(shown))
}

# With a single measure, the columns added to it need not repeat its name.
short_headings <- function(names, answer) {
  added <- names %in% names(answer$added)
  start <- paste0(names(answer$measures)[1], "_")
  short <- added & length(answer$measures) == 1 & startsWith(names, start)
  ifelse(short, substring(names, nchar(start) + 1), names)
}

#' @export
print.hinterfeld_listing <- function(x, ..., n = 10) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_listing <- function(x, ..., n = 10) {
  listing <- listing_of(x)
  heading <- sprintf("%s%s: %s", listing_title(listing), money_note(column_facts(x), listing$about$currency),
                     count_of(nrow(x), "row"))
  c(text_notes(heading), answer_table(x, n), text_notes(listing_sentences(listing)))
}

#' @export
print.hinterfeld_crosstab <- function(x, ..., n = 20) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_crosstab <- function(x, ..., n = 20) {
  about <- answer_of(x)$about
  heading <- sprintf("%s, %s", table_title(x, unit = TRUE), span_words(about))
  shown <- crosstab_shown(x, n)
  c(text_notes(heading), answer_table(shown, nrow(shown)), cut_note(nrow(x) - nrow(shown), character()),
    text_notes(left_out_words(about)))
}

# Totals stay in sight when other rows and columns are cut.
crosstab_shown <- function(x, n) {
  keys <- answer_of(x)$keys
  totals <- crosstab_totals(x)
  rows <- c(utils::head(which(!totals$rows), n), which(totals$rows))
  columns <- c(keys, totals$columns, setdiff(names(x), c(keys, totals$columns)))
  quietly(x[rows, columns])
}

#' @export
print.hinterfeld_checks <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_checks <- function(x, ...) {
  decimals <- attr(x, "decimals")
  table <- mapply(money_text, x$table, decimals)
  daybook <- mapply(money_text, x$daybook, decimals)
  finding <- ifelse(x$cut, sprintf("shows %s of %s", table, daybook), sprintf("%s of %s", table, daybook))
  verdict <- ifelse(x$matches, ifelse(x$cut, "rows match", "adds up"), "DOES NOT ADD UP")
  text_notes(sprintf("%s, %s: %s, %s", x$measure, x$of, finding, verdict))
}

#' @rdname printing
#' @export
print.hinterfeld_words <- function(x, ...) {
  writeLines(text_notes(unclass(x)))
  invisible(x)
}

#' @rdname printing
#' @export
print.hinterfeld_daybook <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_daybook <- function(x, ...) {
  decimals <- x$decimals[["revenue"]]
  revenue <- money_text(from_minor(sum_minor(x$columns$revenue), decimals), decimals)
  heading <- sprintf("Daybook of %s, %s, revenue %s", count_of(x$lines, "line"), span_words(x), revenue)
  role_lines <- sprintf("  %-8s %s", names(x$roles), x$roles)
  returns <- x$columns$revenue < 0
  others <- setdiff(names(x$columns), names(x$roles))
  c(
    text_notes(heading), role_lines,
    if (length(others)) paste0("  ", text_notes(paste("columns ", paste(others, collapse = ", ")), text_width() - 2L)),
    if (any(returns)) {
      amount <- money_text(from_minor(sum_minor(x$columns$revenue[returns]), decimals), decimals)
      sprintf("Returns among them: %s, revenue %s.", count_of(sum(returns), "line"), amount)
    },
    text_notes(left_out_words(x))
  )
}

#' @rdname printing
#' @export
print.hinterfeld_audit <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_audit <- function(x, ...) {
  shown <- data.frame(
    step = paste(x$what, x$why, sep = ": "),
    lines_out = x$lines_before - x$lines_after, lines = x$lines_after,
    revenue_out = x$revenue_before - x$revenue_after, revenue = x$revenue_after
  )
  # Reading brings lines in and takes none out.
  shown$lines_out[x$what %in% c("read", "attach", "settle", "daybook", "extend")] <- NA
  shown$revenue_out[x$what == "daybook"] <- NA
  decimals <- attr(x, "decimals")
  text_table(shown, list(lines_out = 0, lines = 0, revenue_out = decimals, revenue = decimals), rows = nrow(shown),
             headings = c("step", "lines out", "lines left", "revenue out", "revenue left"), wrap = TRUE)
}
