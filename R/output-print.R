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
  unit <- if (!is.null(memory$book$currency)) sprintf(" (%s)", memory$book$currency) else ""
  heading <- sprintf("%s%s: %s, %s", title_words(memory), unit, count_of(nrow(x), "row"), span_words(memory$book))
  shown <- as_tibble.hinterfeld_totals(x)
  percent <- intersect(names(Filter(function(d) d$reads == "percent", memory$derived)), names(shown))
  for (name in percent) shown[[name]] <- percent_text(shown[[name]], signed = grepl("_change_pct$", name))
  decimals <- c(shown_decimals(memory$measures), lapply(memory$derived, function(d) d$decimals %||% 2L))
  c(text_notes(heading), text_table(shown, decimals, rows = n, right = percent, headings = short_headings(names(shown), memory)),
    text_notes(left_out_words(memory$book)))
}

# With a single measure, the figures added to it need not repeat its name.
short_headings <- function(names, memory) {
  added <- names %in% names(memory$derived)
  if (length(memory$measures) > 1) names else ifelse(added, sub(paste0("^", names(memory$measures), "_"), "", names), names)
}

# Means have two decimals to look at, and all of them in the data.
shown_decimals <- function(measures) {
  lapply(measures, function(m) if (m$kind == "mean") max(2L, m$decimals) else m$decimals)
}

# "16.0 %", "+4.2 %"; missing stays missing.
percent_text <- function(x, signed = FALSE) {
  text <- paste(formatC(100 * x, format = "f", digits = 1, big.mark = " ", flag = if (signed) "+" else ""), "%")
  replace(text, is.na(x), NA)
}

#' @rdname printing
#' @export
print.hinterfeld_crosstab <- function(x, ..., n = 20) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_crosstab <- function(x, ..., n = 20) {
  memory <- memory_of(x)
  heading <- sprintf("%s: %s by %s, %s", capital(and_list(memory$of)), and_list(memory$rows_by), memory$columns_by,
                     span_words(memory$book))
  decimals <- shown_decimals(memory$measures)[memory$cells]
  names(decimals) <- names(memory$cells)
  c(text_notes(heading), text_table(crosstab_shown(x, memory, n), decimals, rows = n + 1L),
    cut_note(max(0, nrow(x) - n - memory$margins), character()), text_notes(left_out_words(memory$book)))
}

# The last row and column are totals: they stay in sight when others are cut.
crosstab_shown <- function(x, memory, n) {
  total <- nrow(x)
  rows <- if (memory$margins) c(utils::head(seq_len(total - 1), n), total) else utils::head(seq_len(total), n)
  x <- as.data.frame(lapply(x, function(column) column[rows]), check.names = FALSE)
  if (!memory$margins) {
    return(x)
  }
  last <- utils::tail(names(x), length(memory$of))
  x[c(memory$rows_by, last, setdiff(names(x), c(memory$rows_by, last)))]
}

#' @rdname printing
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
