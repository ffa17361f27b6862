# What a table is, for those who meet it in a file: title, sentences, and what each column holds.

table_description <- function(x) {
  memory <- memory_of(x)
  list(
    title = if (is.null(memory)) NULL else table_title(x),
    sentences = if (is.null(memory)) character() else as.character(unclass(in_words(x))),
    unit = memory$book$currency,
    columns = column_facts(x)
  )
}

table_title <- function(x) {
  memory <- memory_of(x)
  if (inherits(x, "hinterfeld_crosstab")) {
    sprintf("%s: %s by %s", capital(and_list(memory$of)), and_list(memory$rows_by), memory$columns_by)
  } else {
    title_words(memory)
  }
}

# For each column: `kind`, one of text, date, period, logical, money, number, percent, change (a signed percent), and the
# `decimals` to show; for exact columns these are all there are.
column_facts <- function(x) {
  memory <- memory_of(x)
  exact <- exact_decimals(x)
  reads <- lapply(memory$derived, function(d) d$reads)
  Map(function(values, name) {
    kind <- type_of(values)
    if (kind == "date" && identical(name, memory$every)) kind <- "period"
    if (identical(reads[[name]], "percent")) kind <- if (grepl("_change_pct$", name)) "change" else "percent"
    # A plain table has no memory, but shares bear the ending of shares.
    if (is.null(memory) && kind == "number" && grepl("_share$", name)) kind <- "percent"
    decimals <- exact[[name]]
    if (kind == "number" && !is.null(decimals) && decimals > 0) kind <- "money"
    mean <- kind == "number" && is.null(decimals) && any(values != round(values), na.rm = TRUE)
    list(name = name, kind = kind, decimals = decimals %||% if (mean) 2L else 0L, exact = !is.null(decimals),
         every = if (kind == "period") memory$every)
  }, as.list(x), names(x))
}

# Decimals of the columns that hold exact values.
exact_decimals <- function(x) {
  memory <- memory_of(x)
  measures <- if (inherits(x, "hinterfeld_crosstab")) {
    stats::setNames(memory$measures[memory$cells], names(memory$cells))
  } else {
    memory$measures
  }
  exact <- lapply(Filter(function(m) m$kind != "mean", measures), function(m) m$decimals)
  c(exact, Filter(Negate(is.null), lapply(memory$derived, function(d) d$decimals)))
}

# A column as text for readers: "2026-03", "1 234.50", "+4.2 %"; missing is blank.
shown_text <- function(values, fact, memory) {
  text <- switch(fact$kind,
    period = period_label(values, fact$every, memory$book$calendar),
    percent = percent_text(values),
    change = percent_text(values, signed = TRUE),
    money = ,
    number = money_text(values, fact$decimals),
    date = format(values),
    as.character(values)
  )
  replace(text, is.na(values), "")
}
