# How the columns of a table are written: what each holds, its decimals, its unit.

# Rounded for the reader, in print and in files of people; never in the data.
with_decimals_shown <- function(x, decimals) {
  if (!is.null(decimals)) attr(x, "decimals_shown") <- as.integer(decimals)
  x
}

currency_of <- function(x) {
  about_of(x)$currency
}

calendar_of <- function(x) {
  about_of(x)$calendar
}

# What the facts behind a table are about; NULL for a table of the user's own.
about_of <- function(x) {
  listing_of(x)$about %||% answer_of(x)$about
}

# " (Mk)" behind a title where all numbers are money (or parts of it), " (money in Mk)" where some are.
money_note <- function(forms, unit) {
  kinds <- vapply(forms, function(form) form$kind, "")
  if (is.null(unit) || !any(kinds == "money")) {
    ""
  } else if (any(kinds == "number")) {
    sprintf(" (money in %s)", unit)
  } else {
    sprintf(" (%s)", unit)
  }
}

# For each column: `kind`, one of text, date, period, logical, money, number, percent, change (a signed percent), name
# (a number that names a group), plain (a number of which nothing is known), its `decimals`, for exact columns all there
# are, and the `digits` of them that a reader is shown. Only what a table knows of its columns decides, never their
# names.
column_forms <- function(x) {
  described <- known_columns(x)
  most <- attr(x, "decimals_shown", exact = TRUE) %||% Inf
  Map(function(values, name) {
    about <- described[[name]]
    kind <- number_kind(type_of(values), about)
    if (!is.null(about$every) && !is_recurring(about$every)) kind <- "period"
    decimals <- about$decimals %||% shown_decimals(values, kind)
    digits <- if (is.null(about$decimals) && is.finite(most)) most else min(decimals, most)
    list(name = name, kind = kind, decimals = decimals, digits = digits,
         exact = !is.null(about$decimals) && kind != "date",
         signed = isTRUE(about$signed), every = if (kind == "period") about$every)
  }, as.list(x), names(x))
}

number_kind <- function(type, about) {
  if (type != "number") {
    type
  } else if (is.null(about)) {
    "plain"
  } else if (identical(about$role, "key")) {
    "name"
  } else {
    switch(about$counts, money = "money", percent = if (about$signed) "change" else "percent", "number")
  }
}

# Means and the like are read with two decimals, small numbers with three digits; the data have all of them.
shown_decimals <- function(values, kind) {
  if (kind == "money") {
    return(2L)
  }
  if (kind != "number" || !any(values != round(values), na.rm = TRUE)) {
    return(0L)
  }
  largest <- max(abs(values[is.finite(values)]))
  as.integer(min(max_decimals, max(2, if (largest < 1) 2 - floor(log10(largest)))))
}

# The name of a column as words.
name_words <- function(names) {
  sub(" pct$", " %", gsub("_", " ", names, fixed = TRUE))
}

# The heads of a table's columns as words. The cells of a crosstab have labels as heads, which stay as they are.
heading_words <- function(x, heads = names(x)) {
  answer <- answer_of(x)
  words <- name_words(heads)
  cells <- which(names(x) %in% names(answer$cells))
  labels <- names(x)[cells]
  of <- ""
  if (length(answer$grid$shown$of) > 1) {
    of <- paste0(" ", names_of(answer, vapply(answer$cells[labels], function(cell) cell$of, "")))
    # A column that the user renamed does not end in it.
    of[!endsWith(labels, of)] <- ""
    labels <- substr(labels, 1, nchar(labels) - nchar(of))
  }
  replace(words, cells, paste0(distinguishable(labels), name_words(of)))
}

# A number is one word.
held_together <- function(text) {
  gsub("(?<=[0-9]) (?=[0-9%])", "\u00a0", text, perl = TRUE)
}

# Decimals of the columns that hold exact values.
exact_decimals <- function(x) {
  lapply(Filter(function(form) form$exact, column_forms(x)), function(form) form$decimals)
}

# Which rows of a table are subtotals?
total_rows <- function(x) {
  answer <- answer_of(x)
  if (inherits(x, "hinterfeld_crosstab")) {
    crosstab_totals(x)$rows
  } else if (is.null(answer$level)) {
    rep(FALSE, nrow(x))
  } else {
    x[[answer$level]] != answer$levels[[1]]$label
  }
}

# A column as text for readers: "2026-03", "1 234.50", "+4.2 %"; missing is blank.
shown_text <- function(values, form, calendar) {
  text <- switch(form$kind,
    period = period_names(values, form$every, calendar),
    percent = percent_text(values),
    change = percent_text(values, signed = TRUE),
    money = ,
    number = fixed_number_text(values, form$digits),
    name = number_text(values),
    plain = people_plain(values),
    date = format(values),
    distinguishable(as.character(values))
  )
  replace(text, is.na(values), "")
}

# Kinds that stand flush right and are written as numbers.
number_kinds <- c("money", "number", "percent", "change", "name", "plain")
