# Tables of the report: HTML that a browser can sort and filter.

most_shown_rows <- 500L

html_table <- function(block) {
  x <- utils::head(block$table, most_shown_rows)
  facts <- column_facts(x)
  memory <- memory_of(x)
  id <- paste0("table-", gsub("[^[:alnum:]]+", "-", block$name))
  cells <- Map(function(values, fact) html_cells(values, fact, memory), as.list(x), facts)
  rows <- if (nrow(x)) sprintf("<tr%s>%s</tr>", ifelse(total_rows(x), ' class="total"', ""), do.call(paste0, unname(cells))) else character()
  paste0(
    sprintf('<div class="table" id="%s">', id),
    if (nrow(x) > 7) sprintf('<p class="filter"><label>Filter <input type="search" aria-controls="%s-rows"></label> <output>%s</output></p>', id, count_of(nrow(x), "row")),
    '<div class="scroll" tabindex="0" role="region" aria-label="', escape(block$title %||% block$name), '"><table>',
    sprintf("<caption>%s%s</caption>", escape(block$title %||% block$name), unit_words(x, facts)),
    "<thead><tr>", paste(Map(html_heading, facts), collapse = ""), "</tr></thead>\n",
    sprintf('<tbody id="%s-rows">', id), paste(rows, collapse = "\n"), "</tbody></table></div>",
    if (nrow(block$table) > nrow(x)) sprintf('<p class="note">The first %s of %s.</p>', group_digits(nrow(x)), count_of(nrow(block$table), "row")),
    "</div>\n"
  )
}

unit_words <- function(x, facts) {
  note <- money_note(facts, currency_of(x))
  if (nzchar(note)) sprintf(' <span class="unit">%s</span>', escape(trimws(note))) else ""
}

is_number <- function(fact) {
  fact$kind %in% number_kinds
}

html_heading <- function(fact) {
  sprintf('<th scope="col"%s aria-sort="none"><button type="button">%s</button></th>', if (is_number(fact)) ' class="number"' else "",
          gsub("([^ ]+)", '<span class="whole">\\1</span>', escape(gsub("_", " ", fact$name))))
}

# A cell shows a readable text and carries the exact value: the browser sorts by it.
html_cells <- function(values, fact, memory) {
  text <- escape(shown_text(values, fact, memory))
  if (identical(memory$derived[[fact$name]]$part, "comparable")) text <- gsub("_", " ", text)
  text[is.na(values)] <- "&ndash;"
  value <- if (is_number(fact)) plain_columns_text(values, fact) else as.character(values)
  value[is.na(values)] <- ""
  class <- if (fact$kind == "change") {
    ifelse(is.na(values) | values == 0, "number", ifelse(values > 0, "number more", "number less"))
  } else if (is_number(fact)) {
    "number"
  } else if (fact$kind %in% c("date", "period")) {
    "whole"
  } else if (max(nchar(text, "width"), 0) > 14) {
    "wide"
  } else {
    ""
  }
  sprintf('<td%s data-value="%s">%s</td>', ifelse(class == "", "", sprintf(' class="%s"', class)), escape(value), gsub("(?<=[0-9]) ", "&nbsp;", text, perl = TRUE))
}

plain_columns_text <- function(values, fact) {
  if (fact$exact) fixed_text(values, fact$decimals) else number_text(values)
}

# Totals stay at the end when a table is sorted.
total_rows <- function(x) {
  memory <- memory_of(x)
  if (inherits(x, "hinterfeld_crosstab")) {
    return(crosstab_totals(x)$rows)
  }
  if (is.null(memory) || length(memory$levels) < 2) {
    return(rep(FALSE, nrow(x)))
  }
  x[["level"]] != memory$levels[[1]]$label
}

# Safe between tags and inside an attribute alike: nobody has to remember which it is.
escape <- function(text) {
  htmltools::htmlEscape(visible(text), attribute = TRUE)
}
