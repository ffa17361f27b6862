# What a table is, for those who meet it in a file: title, sentences, and what each column holds.

table_description <- function(x) {
  memory <- memory_of(x)
  listing <- listing_of(x)
  list(
    title = if (!is.null(listing)) listing$title else if (!is.null(memory)) table_title(x),
    sentences = if (is.null(memory) && is.null(listing)) character() else as.character(unclass(in_words(x))),
    unit = currency_of(x), columns = column_facts(x)
  )
}

currency_of <- function(x) {
  listing_of(x)$currency %||% memory_of(x)$book$currency
}

table_title <- function(x, unit = FALSE) {
  memory <- memory_of(x)
  if (inherits(x, "hinterfeld_crosstab")) {
    named <- if (unit) measures_named(memory, of = memory$of) else and_list(memory$of)
    sprintf("%s: %s by %s", capital(named), and_list(memory$rows_by), memory$columns_by)
  } else {
    title_words(memory, unit)
  }
}

# " (Mk)" behind a title where all numbers are money (or parts of it), " (money in Mk)" where some are.
money_note <- function(facts, unit) {
  kinds <- vapply(facts, function(fact) fact$kind, "")
  if (is.null(unit) || !any(kinds == "money")) {
    ""
  } else if (any(kinds == "number")) {
    sprintf(" (money in %s)", unit)
  } else {
    sprintf(" (%s)", unit)
  }
}

# For each column: `kind`, one of text, date, period, logical, money, number, percent, change (a signed percent), plain (a
# number of which nothing is known), and the `decimals` to show; for exact columns these are all there are. Only what a
# table knows of its columns decides, never their names.
column_facts <- function(x) {
  memory <- memory_of(x)
  known <- known_columns(x)
  Map(function(values, name) {
    about <- known[[name]]
    kind <- number_kind(type_of(values), about)
    if (kind == "date" && identical(name, memory$every)) kind <- "period"
    list(name = name, kind = kind, decimals = about$decimals %||% shown_decimals(values, kind), exact = !is.null(about$decimals),
         signed = isTRUE(about$signed), every = if (kind == "period") memory$every)
  }, as.list(x), names(x))
}

number_kind <- function(type, about) {
  if (type != "number") {
    type
  } else if (is.null(about)) {
    "plain"
  } else {
    switch(about$counts, money = "money", percent = if (about$signed) "change" else "percent", "number")
  }
}

# Means and the like are read with two decimals, and have all of them in the data.
shown_decimals <- function(values, kind) {
  if (kind == "money" || kind == "number" && any(values != round(values), na.rm = TRUE)) 2L else 0L
}

# Decimals of the columns that hold exact values.
exact_decimals <- function(x) {
  Filter(Negate(is.null), lapply(known_columns(x), function(about) about$decimals))
}

# A column as text for readers: "2026-03", "1 234.50", "+4.2 %"; missing is blank.
shown_text <- function(values, fact, memory) {
  text <- switch(fact$kind,
    period = period_label(values, fact$every, memory$book$calendar),
    percent = percent_text(values),
    change = percent_text(values, signed = TRUE),
    money = ,
    number = money_text(values, fact$decimals),
    plain = number_text(values),
    date = format(values),
    as.character(values)
  )
  replace(text, is.na(values), "")
}

# Kinds that stand flush right and are written as numbers.
number_kinds <- c("money", "number", "percent", "change", "plain")
