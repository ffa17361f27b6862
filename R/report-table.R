# Tables of the report: HTML that a browser can sort and filter.

max_shown_rows <- 500L
# A table of more rows opens on demand.
max_open_rows <- 12L

html_table <- function(block) {
  x <- utils::head(block$table, max_shown_rows)
  answer <- answer_of(x)
  # Rows of totals say Total and are printed so.
  shown <- names(x) != (answer$level %||% "")
  forms <- column_forms(x)[shown]
  id <- paste0("table-", gsub("[^[:alnum:]]+", "-", block$name))
  title <- printable(block$title %||% block$name)
  tags <- htmltools::tags
  # Cells are many, and made as text: html_cells() escapes them.
  cells <- Map(function(values, form) html_cells(values, form, calendar_of(x), answer$added[[form$name]]$output),
               as.list(x)[shown], forms)
  rows <- if (nrow(x)) sprintf("<tr%s>%s</tr>", ifelse(total_rows(x), ' class="total"', ""),
                               do.call(paste0, unname(cells))) else character()
  rows_id <- paste0(id, "-rows")
  inside <- list(
    if (nrow(x) > 7) {
      tags$p(class = "filter", tags$label("Filter ", tags$input(type = "search", `aria-controls` = rows_id)), " ",
             tags$output(count_of(nrow(x), "row")))
    },
    tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = title, tags$table(
      tags$caption(title, unit_words(x, forms)),
      tags$thead(tags$tr(unname(Map(html_heading, forms, heading_words(x)[shown])))),
      tags$tbody(id = rows_id, htmltools::HTML(paste(rows, collapse = "\n")))
    )),
    if (nrow(block$table) > nrow(x)) {
      first <- sprintf("The first %s of %s.", group_digits(nrow(x)), count_of(nrow(block$table), "row"))
      tags$p(class = "note", first)
    }
  )
  summary <- tags$summary(sprintf("%s: %s", title, count_of(nrow(block$table), "row")))
  html_of(tags$div(class = "table", id = id, if (nrow(x) > max_open_rows) tags$details(summary, inside) else inside))
}

# Elements as text, without line ends of their own: a space between words is one that is seen.
html_of <- function(tag) {
  htmltools::doRenderTags(tag, indent = FALSE)
}

unit_words <- function(x, forms) {
  note <- money_note(forms, currency_of(x))
  if (nzchar(note)) list(" ", htmltools::tags$span(class = "unit", printable(trimws(note))))
}

is_number <- function(form) {
  form$kind %in% number_kinds
}

html_heading <- function(form, head) {
  # A word is not broken at its hyphens.
  words <- strsplit(printable(head), " ", fixed = TRUE)[[1]]
  spans <- unlist(lapply(words, function(word) list(" ", htmltools::tags$span(class = "whole", word))),
                  recursive = FALSE)[-1]
  htmltools::tags$th(scope = "col", class = if (is_number(form)) "number", `aria-sort` = "none",
                     htmltools::tags$button(type = "button", spans))
}

# A cell shows a readable text and carries the exact value: the browser sorts by it.
# `part` is that of a step that the column is.
html_cells <- function(values, form, calendar, output) {
  text <- escape(shorten(shown_text(values, form, calendar), longest_name))
  if (identical(output, "comparable")) text <- name_words(text)
  if (is_number(form)) text <- sub("^-", "\u2212", text)
  text[is.na(values)] <- "&ndash;"
  value <- if (is_number(form)) plain_columns_text(values, form) else as.character(values)
  value[is.na(values)] <- ""
  class <- if (form$kind == "change") {
    ifelse(is.na(values) | values == 0, "number", ifelse(values > 0, "number more", "number less"))
  } else if (is_number(form)) {
    "number"
  } else if (form$kind %in% c("date", "period")) {
    "whole"
  } else if (max(nchar(text, "width"), 0) > 14) {
    "wide"
  } else {
    ""
  }
  sprintf('<td%s data-value="%s">%s</td>', ifelse(class == "", "", sprintf(' class="%s"', class)), escape(value),
          gsub("(?<=[0-9]) ", "&nbsp;", text, perl = TRUE))
}

# No page is wide enough for more of a name.
longest_name <- 200

plain_columns_text <- function(values, form) {
  if (form$exact) fixed_text(values, form$decimals) else number_text(values)
}

# Safe between tags and inside an attribute alike: nobody has to remember which it is.
escape <- function(text) {
  htmltools::htmlEscape(printable(text), attribute = TRUE)
}
