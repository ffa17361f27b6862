#' Survey: what columns hold
#'
#' Looks at every column, or at the distinct values of one, before anything is joined or totalled:
#' blanks, distinct values, the smallest and the largest, values that differ only by case or
#' spaces, text among numbers or days, days without lines.
#'
#' @param x A data frame, the path of a delimited text file (read with [load_table()]), or a
#'   daybook.
#' @param ... Columns, bare or as strings. With none, all columns are surveyed; with one, its distinct values are
#'   listed; with two or more, the distinct values of the later columns are counted for each value of the first.
#' @return A tibble. Without columns, one row per column of `x`:
#'   * `column`, `type`: text; a text column of which most values read as numbers or ISO days is
#'     `text, mostly numbers` or `text, mostly days`;
#'   * `lines`, `blanks`, `distinct`: numbers of lines, of blank ones and of distinct values;
#'   * `smallest`, `largest`: as text; in a column of mostly days or mostly numbers, of these only;
#'   * `commonest`: text, the commonest values with how many lines have each;
#'   * `variants`: how many distinct texts differ from another only by case or spaces;
#'   * `unreadable`: in a column of mostly numbers or mostly days, how many lines cannot be read as one;
#'   * `days_without`: for days, how many days from the first to the last have no line; `longest_without`: text, the
#'     longest stretches of them, three at most, if any is longer than a week.
#'
#'   For one column, one row per distinct value, commonest first, with the variants of a value kept together under
#'   `reads_as`. Its columns are the column itself, `reads_as`, `together` (lines of all variants), `lines`, `share`
#'   (fraction of all lines) and, for a daybook, `revenue`. For several columns, one row per value of the first,
#'   commonest first, with `distinct_<column>` for each other column, `lines` and, for a daybook, `revenue`.
#' @section Errors: `hinterfeld_error_column` for unknown columns, `hinterfeld_error_argument` when
#'   `x` cannot be surveyed, and the errors of [load_table()].
#' @export
#' @examples
#' orders <- load_table(demo_files()[["orders"]])
#' survey(orders)
#' survey(orders, status)
#' survey(demo_daybook(), category, product)
survey <- function(x, ...) {
  UseMethod("survey")
}

#' @export
survey.default <- function(x, ...) {
  check_made(FALSE, x, "x", "a data frame, the path of a file, or a daybook", call = NULL)
}

#' @rdname survey
#' @export
survey.data.frame <- function(x, ...) {
  columns <- lapply(x, function(column) if (type_of(column) == "text") encode_text(column) else column)
  survey_columns(columns, nrow(x), rlang::enquos(...), revenue = NULL, values_of = function(name) x[[name]])
}

#' @rdname survey
#' @export
survey.hinterfeld_daybook <- function(x, ...) {
  survey_columns(x$columns, x$lines, rlang::enquos(...), revenue = x$columns$revenue,
                 values_of = function(name) column_values(x, name), decimals = x$decimals[["revenue"]])
}

# `columns` with text coded, `values_of` to get one as its owner knows it.
survey_columns <- function(columns, lines, quos, revenue, values_of, decimals = NULL, call = caller_env()) {
  picked <- unique(unlist(lapply(quos, pick_columns, columns = names(columns), name = "...", call = call)))
  if (length(picked) == 0) {
    rows <- lapply(names(columns), function(name) survey_column(name, columns[[name]], values_of, lines))
    return(new_survey(do.call(rbind, c(list(survey_row("", "", 0)[0, ]), rows)), "columns", lines))
  }
  keys <- lapply(stats::setNames(nm = picked), function(name) {
    values <- if (is_coded(columns[[name]])) columns[[name]] else values_of(name)
    key_of_column(name, values)
  })
  if (length(picked) == 1) {
    survey_values(keys[[1]], lines, revenue, decimals)
  } else {
    survey_several(keys, lines, revenue, decimals)
  }
}

new_survey <- function(rows, kind, lines, decimals = NULL) {
  tibble::new_tibble(rows, kind = kind, lines = lines, decimals = decimals, nrow = nrow(rows),
                     class = "hinterfeld_survey")
}

# A cut survey is a plain tibble: its lines could not be told.
#' @export
`[.hinterfeld_survey` <- function(x, ...) {
  plain_part(x, NextMethod())
}

# One column in one row ------------------------------------------------------------------------------

survey_column <- function(name, x, values_of, lines) {
  if (is.list(x)) {
    return(survey_row(name, "list", lines))
  }
  key <- key_of_column(name, if (is_coded(x)) x else values_of(name))
  counts <- tabulate(key$codes, length(key$labels))
  key$labels <- key$labels[counts > 0]
  counts <- counts[counts > 0]
  reading <- read_labels(key$labels, counts)
  ends <- if (length(reading$values)) smallest_and_largest(reading$values) else NA
  days <- if (inherits(ends, "Date") && !anyNA(ends)) sort(unique(floor(as.numeric(reading$values))))
  survey_row(
    name, reading$type, lines, lines - sum(counts), as.double(length(counts)),
    value_text(ends[1], name), value_text(ends[length(ends)], name), commonest_words(key$labels, counts, name),
    variants = if (is.character(key$labels)) sum(same_but_spelling(key$labels)) else NA,
    unreadable = reading$unreadable,
    days_without = if (length(days)) sum(diff(days) - 1) else NA, longest_without = longest_stretches(days)
  )
}

# "2024-03-01 to 2024-03-31 and 2025-12-24 to 2026-01-04": where days are missing for longer than a week.
longest_stretches <- function(days) {
  gaps <- diff(days) - 1
  longest <- utils::head(order(-gaps), 3)
  longest <- sort(longest[gaps[longest] > 7])
  if (length(longest) == 0) {
    return(NA_character_)
  }
  and_list(sprintf("%s to %s", format(plain_days(days[longest] + 1)), format(plain_days(days[longest + 1] - 1))))
}

survey_row <- function(column, type, lines, blanks = NA_real_, distinct = NA_real_,
                       smallest = NA_character_, largest = NA_character_, commonest = NA_character_, variants = NA,
                       unreadable = NA, days_without = NA, longest_without = NA_character_) {
  tibble::tibble(column, type, lines = as.double(lines), blanks = as.double(blanks), distinct, smallest, largest,
                 commonest, variants, unreadable, days_without, longest_without)
}

# What the distinct values are, read as numbers or days where most lines can be.
read_labels <- function(labels, counts) {
  as_is <- list(type = type_of(labels), values = labels, unreadable = NA)
  if (as_is$type == "date-time") {
    as_is$values <- as.Date(labels, tz = (attr(labels, "tzone") %||% "")[1])
  }
  if (!is.character(labels) || length(labels) == 0) {
    return(as_is)
  }
  days <- plain_days(read_iso_days_kernel(labels))
  numbers <- read_numbers(labels)
  # Codes such as 007 are text that happens to have digits.
  if (any(grepl("^[[:space:]]*0[0-9]", labels))) numbers[] <- NA
  for (reading in list(list("days", days), list("numbers", numbers))) {
    unread <- is.na(reading[[2]])
    if (sum(counts[unread]) < sum(counts) / 2) {
      return(list(type = paste("text, mostly", reading[[1]]), values = reading[[2]][!unread],
                  unreadable = sum(counts[unread])))
    }
  }
  as_is
}

# TRUE for each text that another one equals but for case and spaces.
same_but_spelling <- function(labels) {
  plain <- plain_text(labels)
  duplicated(plain) | duplicated(plain, fromLast = TRUE)
}

# Text is compared byte by byte, as everywhere.
smallest_and_largest <- function(x) {
  if (is.character(x)) sort(x, method = "radix")[c(1, length(x))] else sort(x)[c(1, length(x))]
}

# `named` is the name of the column: numbers that name something have no separators.
value_text <- function(x, named = "") {
  if (length(x) == 0 || is.na(x)) {
    NA_character_
  } else if (is.numeric(x) && !inherits(x, "Date")) {
    if (is_name_of_things(named) && x == round(x)) number_text(x) else people_plain(x)
  } else {
    as.character(x)
  }
}

# Is this what a column of identifiers is called, or of years?
is_name_of_things <- function(named) {
  words <- "(id|no|nr|number|code|key|ean|gtin|sku|zip|postcode|order|invoice|receipt|basket|year)"
  grepl(paste0("(^|[_. ])", words, "$"), tolower(gsub("([a-z])([A-Z])", "\\1_\\2", named)))
}

commonest_words <- function(labels, counts, named, most = 3) {
  if (length(labels) == 0) {
    return(NA_character_)
  }
  top <- utils::head(order(-counts, labels, method = "radix"), most)
  shown <- if (is.character(labels)) quoted(labels[top]) else vapply(labels[top], value_text, "", named = named)
  if (inherits(labels, "Date")) shown <- format(labels[top])
  paste0(shown, " (", group_digits(counts[top]), ")", collapse = ", ")
}

# Distinct values of one column ----------------------------------------------------------------------

# Lines and, where known, revenue of each group of the keys.
survey_counts <- function(keys, lines, revenue) {
  amounts <- list(lines = new_amount("count"))
  if (!is.null(revenue)) amounts$revenue <- new_amount("sum", revenue)
  tally_lines(lines, keys, amounts)
}

survey_values <- function(key, lines, revenue, decimals) {
  counts <- survey_counts(list(key), lines, revenue)
  codes <- replace(counts$codes[[1]], counts$codes[[1]] == 0, NA)
  values <- key$labels[codes]
  heading <- if (is.character(values)) plain_text(values) else as.character(values)
  here <- counts$values$lines
  alike <- match(heading, unique(heading))
  together <- tally_lines(length(alike), list(new_key(NULL, alike, unique(alike))),
                          list(lines = new_amount("sum", here)))$values$lines[alike]
  rows <- tibble::tibble(!!key$name := values, reads_as = heading, together = together, lines = here,
                         share = here / !!lines)
  if (!is.null(revenue)) rows$revenue <- from_minor(counts$values$revenue, decimals)
  rows <- rows[order(-together, heading, -here, key_ranks(key)[codes], method = "radix"), ]
  new_survey(rows, "values", lines, decimals)
}

survey_several <- function(keys, lines, revenue, decimals) {
  first <- keys[[1]]
  counts <- survey_counts(keys[1], lines, revenue)
  codes <- replace(counts$codes[[1]], counts$codes[[1]] == 0, NA)
  rows <- tibble::tibble(!!first$name := first$labels[codes])
  for (key in keys[-1]) {
    pairs <- survey_counts(list(first, key), lines, NULL)$codes
    pairs <- pairs[[1]][pairs[[2]] > 0]
    found <- tabulate(pairs + 1L, length(first$labels) + 1L)
    rows[[paste0("distinct_", key$name)]] <- as.double(found[counts$codes[[1]] + 1L])
  }
  rows$lines <- counts$values$lines
  if (!is.null(revenue)) rows$revenue <- from_minor(counts$values$revenue, decimals)
  rows <- rows[order(-rows$lines, key_ranks(first)[codes], method = "radix"), ]
  new_survey(rows, "several", lines, decimals)
}
