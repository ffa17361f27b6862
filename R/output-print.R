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
  memory <- memory_of(x)
  heading <- sprintf("%s: %s, %s", title_words(memory), count_of(nrow(x), "row"), span_words(memory$book))
  decimals <- lapply(memory$measures, function(measure) measure$decimals)
  c(text_notes(heading), text_table(x, decimals, rows = n), text_notes(left_out_words(memory$book)))
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
  revenue <- money_text(from_units(sum_units(x$columns$revenue), decimals), decimals)
  heading <- sprintf("Daybook of %s, %s, revenue %s", count_of(x$lines, "line"), span_words(x), revenue)
  role_lines <- sprintf("  %-8s %s", names(x$roles), x$roles)
  returns <- x$columns$revenue < 0
  others <- setdiff(names(x$columns), names(x$roles))
  c(
    text_notes(heading), role_lines,
    if (length(others)) paste0("  ", text_notes(paste("columns ", paste(others, collapse = ", ")), text_width() - 2L)),
    if (any(returns)) {
      amount <- money_text(from_units(sum_units(x$columns$revenue[returns]), decimals), decimals)
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
  shown$lines_out[x$what %in% c("read", "attach", "settle", "daybook")] <- NA
  shown$revenue_out[x$what == "daybook"] <- NA
  decimals <- attr(x, "decimals")
  text_table(shown, list(lines_out = 0, lines = 0, revenue_out = decimals, revenue = decimals), rows = nrow(shown),
             headings = c("step", "lines out", "lines left", "revenue out", "revenue left"), wrap = TRUE)
}
