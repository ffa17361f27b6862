# Tables of the report: HTML that a browser can sort and filter.

most_shown_rows <- 500L

html_table <- function(block) {
  x <- utils::head(block$table, most_shown_rows)
  facts <- column_facts(x)
  answer <- answer_of(x)
  id <- paste0("table-", gsub("[^[:alnum:]]+", "-", block$name))
  title <- visible(block$title %||% block$name)
  tags <- htmltools::tags
  # Cells are many, and made as text: html_cells() escapes them.
  cells <- Map(function(values, fact) html_cells(values, fact, calendar_of(x), answer$added[[fact$name]]$part),
               as.list(x), facts)
  rows <- if (nrow(x)) sprintf("<tr%s>%s</tr>", ifelse(total_rows(x), ' class="total"', ""),
                               do.call(paste0, unname(cells))) else character()
  rows_id <- paste0(id, "-rows")
  html_of(tags$div(
    class = "table", id = id,
    if (nrow(x) > 7) {
      tags$p(class = "filter", tags$label("Filter ", tags$input(type = "search", `aria-controls` = rows_id)), " ",
             tags$output(count_of(nrow(x), "row")))
    },
    tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = title, tags$table(
      tags$caption(title, unit_words(x, facts)), tags$thead(tags$tr(unname(lapply(facts, html_heading)))),
      tags$tbody(id = rows_id, htmltools::HTML(paste(rows, collapse = "\n")))
    )),
    if (nrow(block$table) > nrow(x)) tags$p(class = "note", sprintf("The first %s of %s.", group_digits(nrow(x)),
                                                                    count_of(nrow(block$table), "row")))
  ))
}

# Elements as text, without line ends of their own: a space between words is one that is seen.
html_of <- function(tag) {
  htmltools::doRenderTags(tag, indent = FALSE)
}

unit_words <- function(x, facts) {
  note <- money_note(facts, currency_of(x))
  if (nzchar(note)) list(" ", htmltools::tags$span(class = "unit", visible(trimws(note))))
}

is_number <- function(fact) {
  fact$kind %in% number_kinds
}

html_heading <- function(fact) {
  # A word is not broken at its hyphens.
  words <- strsplit(visible(gsub("_", " ", fact$name)), " ", fixed = TRUE)[[1]]
  spans <- unlist(lapply(words, function(word) list(" ", htmltools::tags$span(class = "whole", word))),
                  recursive = FALSE)[-1]
  htmltools::tags$th(scope = "col", class = if (is_number(fact)) "number", `aria-sort` = "none",
                     htmltools::tags$button(type = "button", spans))
}

# A cell shows a readable text and carries the exact value: the browser sorts by it.
# `part` is that of a step that the column is.
html_cells <- function(values, fact, calendar, part) {
  text <- escape(shown_text(values, fact, calendar))
  if (identical(part, "comparable")) text <- gsub("_", " ", text)
  if (is_number(fact)) text <- sub("^-", "\u2212", text)
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
  sprintf('<td%s data-value="%s">%s</td>', ifelse(class == "", "", sprintf(' class="%s"', class)), escape(value),
          gsub("(?<=[0-9]) ", "&nbsp;", text, perl = TRUE))
}

plain_columns_text <- function(values, fact) {
  if (fact$exact) fixed_text(values, fact$decimals) else number_text(values)
}

# Safe between tags and inside an attribute alike: nobody has to remember which it is.
escape <- function(text) {
  htmltools::htmlEscape(visible(text), attribute = TRUE)
}
