# The blocks of a section as HTML: figures, tables, cards, sentences.

block_element <- function(block) {
  tags <- htmltools::tags
  switch(block$kind,
    table = htmltools::HTML(html_table(block)), figure = htmltools::HTML(html_figure(block$figure, block$picture)),
    cards = tags$ul(class = "cards", lapply(block$cards, card_element)),
    findings = tags$ol(class = "findings", Map(finding_element, printable(block$sentences), block$to)),
    text = lapply(printable(block$text), tags$p), words = words_element(block$words),
    sentences = tags$details(class = "method", tags$summary(printable(block$title)), sentence_list(block$sentences)),
    list = sentence_list(block$sentences)
  )
}

sentence_list <- function(sentences) {
  htmltools::tags$ul(lapply(printable(sentences), htmltools::tags$li))
}

finding_element <- function(sentence, to) {
  tags <- htmltools::tags
  tags$li(held_together(sentence), if (!is.na(to)) list(" ", tags$a(href = paste0("#", to), "See it")))
}

words_element <- function(words) {
  htmltools::tags$div(class = "words", htmltools::HTML(html_words(words)))
}

# The note below the picture is told in a short line, and whole on demand.
html_figure <- function(figure, picture) {
  tags <- htmltools::tags
  image <- tags$img(width = "1280", height = "800", alt = printable(figure_alt(figure)), src = picture)
  html_of(tags$figure(tags$div(class = "scroll", tabindex = "0", role = "region",
                               `aria-label` = printable(figure_title(figure)), image),
                      figure_line(figure$labels$caption), pages_note(figure)))
}

# The first sentence of a figure's caption; the rest opens.
figure_line <- function(caption) {
  sentences <- attr(caption, "sentences", exact = TRUE) %||% gsub("[[:space:]]+", " ", caption %||% character())
  sentences <- sentences[nzchar(sentences)]
  if (length(sentences) == 0) {
    return(NULL)
  }
  tags <- htmltools::tags
  long <- nchar(sentences[1]) > 110
  rest <- paste(if (long) sentences else sentences[-1], collapse = " ")
  tags$figcaption(printable(if (long) shorten(sentences[1], 100) else sentences[1]),
                  if (nzchar(rest)) tags$details(tags$summary("More"), tags$p(printable(rest))))
}

# The report shows the first page of a figure, and tells what is on the others.
pages_note <- function(figure) {
  holds <- attr(figure, "holds", exact = TRUE)
  if (!is.null(holds)) {
    htmltools::tags$figcaption(sprintf("The first of %d pages. On the others: %s.", length(holds),
                                       and_list(printable(unlist(holds[-1])))))
  }
}

figure_title <- function(figure) {
  paste("Figure:", figure$labels$title %||% "without a title")
}

# What the figure says of itself; its values stand in a table.
figure_alt <- function(figure) {
  words <- c(figure_title(figure), figure$labels$subtitle, figure$labels$caption,
             "The values are in the tables of this section.")
  words <- gsub("[[:space:]]+", " ", words)
  paste(ifelse(grepl("[.]$", words), words, paste0(words, ".")), collapse = " ")
}

card_element <- function(card) {
  tags <- htmltools::tags
  change <- if (is.na(card$pct)) {
    tags$p(class = "change none", "no comparison")
  } else {
    way <- if (card$pct > 0) "more" else if (card$pct < 0) "less" else "none"
    pct <- sub("-", "\u2212", percent_text(card$pct, signed = TRUE), fixed = TRUE)
    tags$p(class = paste("change", way), tags$strong(pct, .noWS = "outside"),
           paste(" from", card$before))
  }
  tags$li(
    tags$h3(paste0(printable(card$label), " "), tags$span(class = "period", card$period, .noWS = "outside")),
    tags$p(class = "value", `data-value` = number_text(card$exact), card$value,
           if (!is.null(card$unit)) list(" ", tags$span(class = "unit", printable(card$unit), .noWS = "outside"))),
    change, if (nzchar(card$against)) tags$p(class = "against", whole_days(card$against))
  )
}

# A day is not broken at its hyphens.
whole_days <- function(text) {
  day <- "[0-9]{4}-[0-9]{2}-[0-9]{2}"
  at <- gregexpr(day, text)
  between <- as.list(printable(regmatches(text, at, invert = TRUE)[[1]]))
  days <- lapply(regmatches(text, at)[[1]],
                 function(day_text) htmltools::tags$span(class = "whole", day_text, .noWS = "outside"))
  # What stands between days begins and ends the text.
  c(between[1], unlist(Map(list, days, between[-1]), recursive = FALSE))
}

# Markdown of the analyst: no HTML of its own, no pictures from elsewhere, links to pages and mail only.
html_words <- function(words) {
  need_package("commonmark", "for words in Markdown")
  html <- commonmark::markdown_html(gsub("<", "&lt;", words, fixed = TRUE), extensions = TRUE)
  html <- gsub("<img [^>]*alt=\"([^\"]*)\"[^>]*>", "\\1", html)
  html <- gsub("href=\"(?!https?:|mailto:|#)[^\"]*\"", "", html, perl = TRUE)
  # The report's own headings are of the second level.
  gsub("<(/?)h[1-3]>", "<\\1h3>", html)
}
