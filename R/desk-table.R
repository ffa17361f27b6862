# The table of an answer, a page of rows at a time.

rows_of_page <- 100L

answer_table_tags <- function(answer, page = 1L) {
  tags <- htmltools::tags
  t <- answer$table
  pages <- max(1L, ceiling(nrow(t) / rows_of_page))
  page <- min(max(1L, page), pages)
  rows <- page_rows(nrow(t), page)
  forms <- column_forms(t)
  about <- answer_of(t)
  title <- printable(if (is.null(about)) listing_title(listing_of(t)) else table_title(t))
  list(
    tags$div(class = "scroll", tags$table(
      role = "grid", `aria-label` = title, `aria-rowcount` = nrow(t) + 1L,
      tags$caption(title, unit_words(t, forms)), tags$thead(htmltools::HTML(head_cells(t, forms, about, answer$state))),
      tags$tbody(htmltools::HTML(body_rows(t, rows, forms, about, marked_rows(answer)[rows])))
    )),
    if (!is.null(answer$state$table$crosstab)) {
      tags$p(class = "pages", tags$button(type = "button", `data-act` = "swap", "Swap rows and columns"))
    },
    if (pages > 1) tags$p(
      class = "pages", tags$button(type = "button", `data-act` = "page", `data-page` = page - 1L,
                                   disabled = if (page == 1) NA, "Previous rows"),
      sprintf(" %s to %s of %s ", group_digits(min(rows)), group_digits(max(rows)), count_of(nrow(t), "row")),
      tags$button(type = "button", `data-act` = "page", `data-page` = page + 1L, disabled = if (page == pages) NA,
                  "Rows after")
    )
  )
}

page_rows <- function(n, page) {
  first <- (page - 1L) * rows_of_page
  first + seq_len(min(rows_of_page, n - first))
}

head_cells <- function(t, forms, about, state) {
  sorted <- unlist(if (is.null(state$table$crosstab)) state$table$sort else state$table$crosstab$order)[1]
  heads <- heading_words(t, if (inherits(t, "hinterfeld_totals")) short_headings(names(t), about) else names(t))
  cells <- mapply(function(form, head) {
    way <- if (identical(sorted, form$name)) "ascending" else if (identical(sorted, paste0("-", form$name))) {
      "descending"
    } else "none"
    name <- escape(head)
    class <- paste(c(if (is_number(form)) "number", if (!grepl(" ", name)) "whole"), collapse = " ")
    sprintf('<th scope="col" class="%s" aria-sort="%s">%s</th>', class, way,
            if (is.null(about)) name else sprintf(
              '<button type="button" data-act="sort" data-column="%s">%s</button>', escape(form$name), name
            ))
  }, forms, heads)
  sprintf("<tr>%s</tr>", paste(cells, collapse = ""))
}

body_rows <- function(t, rows, forms, about, marked) {
  x <- tibble::as_tibble(t)[rows, ]
  totals <- if (is.null(about)) rep(FALSE, length(rows)) else total_rows(t)[rows]
  cells <- Map(function(values, form) {
    html <- html_cells(values, form, calendar_of(t), about$added[[form$name]]$output)
    sub("<td", sprintf('<td role="gridcell" tabindex="-1" data-column="%s"', escape(form$name)), html, fixed = TRUE)
  }, as.list(x), forms)
  class <- trimws(paste(ifelse(totals, "total", ""), ifelse(marked, "marked", "")))
  paste(sprintf('<tr data-row="%d"%s>%s</tr>', rows, ifelse(nzchar(class), sprintf(' class="%s"', class), ""),
                do.call(paste0, unname(cells))), collapse = "\n")
}

# Lines, a page at a time, as they stand in the facts.
lines_tags <- function(lines, title, page = 1L, decimals = NULL) {
  tags <- htmltools::tags
  pages <- max(1L, ceiling(nrow(lines) / rows_of_page))
  page <- min(max(1L, page), pages)
  rows <- page_rows(nrow(lines), page)
  # File and row come first: by them a line is found again.
  first <- utils::tail(names(lines), 2)
  x <- as.data.frame(lines)[rows, c(first, setdiff(names(lines), first)), drop = FALSE]
  text <- Map(function(values, name) {
    shown <- if (name %in% names(decimals)) {
      fixed_number_text(values, decimals[[name]])
    } else if (is.numeric(values) && !inherits(values, "Date")) people_plain(values) else as.character(values)
    ifelse(is.na(values), "&ndash;", escape(sub("^-(?=[0-9])", "\u2212", shown, perl = TRUE)))
  }, x, names(x))
  number <- vapply(x, function(values) is.numeric(values) && !inherits(values, "Date"), NA)
  cells <- Map(function(text, number) {
    sprintf("<td%s>%s</td>", if (number) ' class="number"' else "", text)
  }, text, number)
  turn <- function(to, label, off) {
    tags$button(type = "button", `data-act` = "lines-page", `data-page` = to, disabled = if (off) NA, label)
  }
  list(
    tags$h2(printable(title)),
    tags$p(paste0(count_of(nrow(lines), "line"), ". "),
           tags$a(class = "file", href = "#", `data-file` = "lines", "Download as CSV")),
    tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = printable(title), tags$table(
      tags$thead(tags$tr(lapply(names(x), function(name) tags$th(scope = "col", printable(name_words(name)))))),
      tags$tbody(htmltools::HTML(
        if (length(rows)) paste0("<tr>", do.call(paste0, unname(cells)), "</tr>", collapse = "\n") else ""
      ))
    )),
    if (pages > 1) tags$p(class = "pages", turn(page - 1L, "Lines before", page == 1), sprintf(
      " %s to %s ", group_digits(min(rows)), group_digits(max(rows))), turn(page + 1L, "Lines after", page == pages))
  )
}
