# What daybooks, totals tables and audits look like in a terminal.

#' Print daybooks, totals tables, audits and calendars
#'
#' A totals table prints a heading that says what it is and its first rows with money aligned; columns that do not fit
#' in the console follow below, next to the columns that identify the rows. Then come the sentences of its added columns
#' and what was left out beforehand.
#'
#' @param x A daybook, totals table, audit or calendar.
#' @param ... Not used.
#' @param n Whole number: how many rows to print. Of a crosstab only the columns that fit are printed, and the totals;
#'   with `n = Inf` all rows and columns.
#' @param spellings Logical: for a survey of one column, show a row for each spelling instead of one for all spellings
#'   that read the same.
#' @param decimals Whole number: how many decimals to print (the values themselves are not rounded); `NULL` for all of
#'   them.
#' @return `x`, invisibly.
#' @name printing
#' @examples
#' print(totals(demo_daybook(), by = category, every = "month"), n = 5)
NULL

#' @rdname printing
#' @export
print.hinterfeld_totals <- function(x, ..., n = 10, decimals = NULL) {
  check_decimals_shown(decimals)
  writeLines(format(with_decimals_shown(x, decimals), n = n))
  invisible(x)
}

#' @rdname printing
#' @export
print.hinterfeld_calendar <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_calendar <- function(x, ...) {
  start <- as.integer(strsplit(x$year_starts, "-", fixed = TRUE)[[1]])
  made <- if (x$weeks == "445") {
    "quarters have 13 weeks, in months of 4, 4 and 5"
  } else if (x$week_starts == "monday") {
    "weeks are numbered as in ISO 8601"
  } else {
    "weeks are numbered in the way ISO 8601 numbers its weeks"
  }
  closed <- x$closed
  weekdays <- closed %in% weekdays_known
  closed <- c(paste0(capital(closed[weekdays]), if (any(weekdays)) "s"),
              if (sum(!weekdays) > 5) count_of(sum(!weekdays), "date") else closed[!weekdays])
  text_notes(c(sprintf("Sales calendar: years start on %d %s, weeks on %s; %s.", start[2], month.name[start[1]],
                       capital(x$week_starts), made),
               if (length(closed)) sprintf("Closed: %s.", and_list(closed))))
}

check_decimals_shown <- function(decimals, call = caller_env()) {
  check_whole_number(decimals, "decimals", 0L, none = TRUE, call = call)
}

#' @export
format.hinterfeld_totals <- function(x, ..., n = 10) {
  answer <- answer_of(x)
  heading <- sprintf("%s: %s, %s", title_words(answer, unit = TRUE), count_of(nrow(x), "row"),
                     span_words(list(span = shown_span(x))))
  keys <- sum(cumprod(names(x) %in% c(answer$keys, answer$level)))
  c(text_notes(heading), answer_table(x, n, short_headings(names(x), answer), keys),
    text_notes(c(recurring_note(answer), added_up_words(answer), alike_note(x, answer), empty_note(x, answer),
                 unlist(step_sentences(answer)),
                 left_out_note(answer$about))))
}

# The rows of a table whose columns are known: numbers as they are read, flush right. The first `keys` columns tell the
# rows.
answer_table <- function(x, n, headings = names(x), keys = 1, last = NULL, rows = nrow(x)) {
  forms <- column_forms(x)
  shown <- utils::head(tibble::as_tibble(x), n)
  number <- vapply(forms, function(form) form$kind %in% number_kinds, NA)
  readable <- number | vapply(forms, function(form) form$kind == "period", NA) | vapply(shown, is.character, NA)
  for (name in names(shown)[readable]) {
    text <- shown_text(shown[[name]], forms[[name]], calendar_of(x))
    shown[[name]] <- replace(text, is.na(shown[[name]]), NA)
  }
  text_table(shown, rows = n, right = names(shown)[number], headings = headings, more = rows - nrow(shown),
             keys = keys, last = last)
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
  heading <- sprintf("%s%s: %s", listing_title(listing), money_note(column_forms(x), listing$about$currency),
                     count_of(nrow(x), "row"))
  c(text_notes(heading), answer_table(x, n), text_notes(listing_sentences(listing)))
}

#' @export
print.hinterfeld_crosstab <- function(x, ..., n = 20, decimals = NULL) {
  check_decimals_shown(decimals)
  writeLines(format(with_decimals_shown(x, decimals), n = n))
  invisible(x)
}

#' @export
format.hinterfeld_crosstab <- function(x, ..., n = 20) {
  about <- answer_of(x)$about
  heading <- sprintf("%s, %s", table_title(x, unit = TRUE), span_words(about))
  shown <- with_decimals_shown(crosstab_shown(x, n), attr(x, "decimals_shown"))
  c(text_notes(heading),
    answer_table(shown, nrow(shown), crosstab_headings(shown, answer_of(x)), length(answer_of(x)$keys),
                 if (is.finite(n)) crosstab_totals(x)$whole, nrow(x)),
    text_notes(c(alike_note(x, answer_of(x)), crosstab_sentences(answer_of(x)), left_out_note(about))))
}

# The totals of all stay in sight when other rows are cut.
crosstab_shown <- function(x, n) {
  totals <- crosstab_totals(x)
  rows <- c(utils::head(which(!totals$whole_rows), n), which(totals$whole_rows))
  quietly(x[rows, ])
}

# The labels of each column one below the other, with what it shows at last where that is several.
crosstab_headings <- function(x, answer) {
  several <- length(answer$grid$shown$of) > 1
  labels <- unique(unlist(lapply(answer$cells, function(cell) cell$head)))
  shown <- stats::setNames(distinguishable(labels), labels)
  lapply(names(x), function(name) {
    cell <- answer$cells[[name]]
    if (is.null(cell)) {
      return(name)
    }
    head <- cell$head[nzchar(cell$head)]
    c(rep("", length(cell$head) - length(head)), shown[head], if (several) names_of(answer, cell$of))
  })
}

#' @export
print.hinterfeld_checks <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_checks <- function(x, ...) {
  decimals <- attr(x, "decimals")
  table <- mapply(fixed_number_text, x$table, decimals)
  daybook <- mapply(fixed_number_text, x$daybook, decimals)
  finding <- ifelse(x$cut, sprintf("shows %s of %s", table, daybook), sprintf("%s of %s", table, daybook))
  text_notes(sprintf("%s, %s: %s, %s", x$measure, x$of, finding, reconcile_verdicts(x)))
}

reconcile_verdicts <- function(checks) {
  ifelse(checks$matches, ifelse(checks$cut, "rows match", "adds up"), "DOES NOT ADD UP")
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

#' @rdname lines_of
#' @rawNamespace S3method(utils::str, hinterfeld_daybook)
str.hinterfeld_daybook <- function(object, ...) {
  writeLines(format(object))
}

#' @rdname lines_of
#' @export
summary.hinterfeld_daybook <- function(object, ...) {
  object
}

#' @rdname lines_of
#' @export
dim.hinterfeld_daybook <- function(x) {
  c(x$lines, length(x$columns))
}

#' @exportS3Method dplyr::filter
filter.hinterfeld_daybook <- function(.data, ...) {
  stop_because("argument", "A daybook is not filtered, because its audit would have no record of it.",
               i = "Keep lines with `keep_lines()`, or take them out with `as_tibble()` first.")
}

#' @exportS3Method dplyr::filter
filter.hinterfeld_tally <- filter.hinterfeld_daybook

#' @export
format.hinterfeld_daybook <- function(x, ...) {
  decimals <- x$decimals[["revenue"]]
  revenue <- fixed_number_text(from_minor(sum_minor(x$columns$revenue), decimals), decimals)
  heading <- sprintf("Daybook of %s, %s, revenue %s", count_of(x$lines, "line"), span_words(x), revenue)
  role_lines <- sprintf("  %-8s %s", names(x$roles), x$roles)
  returns <- x$columns$revenue < 0
  others <- setdiff(names(x$columns), names(x$roles))
  c(
    text_notes(heading), role_lines,
    if (length(others)) paste0("  ", text_notes(paste("columns ", paste(others, collapse = ", ")), text_width() - 2L)),
    if (any(returns)) {
      amount <- fixed_number_text(from_minor(sum_minor(x$columns$revenue[returns]), decimals), decimals)
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
    lines_out = x$lines_before - x$lines_after, lines = x$lines_after, orders = x$orders_after,
    revenue_out = x$revenue_before - x$revenue_after, revenue = x$revenue_after
  )
  # Reading brings lines in and takes none out.
  shown$lines_out[x$what %in% c("read", "attach", "settle", "daybook", "extend")] <- NA
  shown$revenue_out[x$what == "daybook"] <- NA
  decimals <- attr(x, "decimals")
  # What is left after each step.
  headings <- c(step = "step", lines_out = "lines out", lines = "lines", orders = "orders",
                revenue_out = "revenue out", revenue = "revenue")
  if (all(is.na(shown$orders))) shown$orders <- NULL
  text_table(shown, list(lines_out = 0, lines = 0, orders = 0, revenue_out = decimals, revenue = decimals),
             rows = nrow(shown), headings = unname(headings[names(shown)]), wrap = TRUE)
}

#' @export
print.hinterfeld_findings <- function(x, ..., n = Inf) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_findings <- function(x, ..., n = Inf) {
  listing <- listing_of(x)
  rows <- seq_len(min(n, nrow(x)))
  c(text_notes(sprintf("%s: %s", listing_title(listing), count_of(nrow(x), "finding"))),
    text_notes(sprintf("%d. %s", rows, x$finding[rows])), text_notes(listing_sentences(listing)))
}
