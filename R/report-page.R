# The report's page: sections as HTML, with the style and the script inside.

report_page <- function(sections, title, words, book) {
  # The one script that may run is told by its bytes.
  script <- enc2utf8(page_asset("report.js"))
  hash <- jsonlite::base64_enc(sha256_bytes(charToRaw(script)))
  # Nothing is fetched, whatever the data or the words may hold.
  policy <- sprintf("default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'sha256-%s'", hash)
  tags <- htmltools::tags
  title <- printable(title)
  made <- sprintf("Made with hinterfeld %s from %s. Amounts are exact to the last decimal shown.",
                  utils::packageVersion("hinterfeld"), count_of(book$lines, "line"))
  head <- list(
    tags$meta(charset = "utf-8"), tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$meta(`http-equiv` = "Content-Security-Policy", content = policy), tags$title(title),
    tags$style(htmltools::HTML(page_asset("report.css")))
  )
  contents <- lapply(sections,
                     function(section) tags$li(tags$a(href = paste0("#", section$id), printable(section$heading))))
  body <- list(
    tags$a(class = "skip", href = "#headings", "Skip to the contents"),
    tags$header(tags$h1(title), tags$p(class = "span", printable(book_words(book)))),
    tags$nav(id = "headings", `aria-label` = "Contents",
             switch_element(sections),
             tags$details(open = NA, tags$summary("Contents"), tags$ol(contents))),
    tags$main(if (!is.null(words)) words_element(words), lapply(sections, section_element)),
    tags$footer(tags$p(made)),
    # What the hash is of: not a byte may stand around it.
    htmltools::HTML(paste0("<script>", script, "</script>"))
  )
  # htmltools has no place for a policy in the head of a page of its own, so the frame is written here.
  tags_of <- function(of) vapply(of, html_of, "")
  paste(c("<!DOCTYPE html>", "<html lang=\"en\">", "<head>", tags_of(head), "</head>", "<body>", tags_of(body),
          "</body>", "</html>"), collapse = "\n")
}

page_asset <- function(file) {
  paste(readLines(system.file("report", file, package = "hinterfeld", mustWork = TRUE), encoding = "UTF-8"),
        collapse = "\n")
}

book_words <- function(book) {
  unit <- if (!is.null(book$currency)) sprintf(", amounts in %s", book$currency) else ""
  sprintf("%s, %s%s. The data end on %s; every comparison is made up to that day.", span_words(book),
          count_of(book$lines, "line"),
          unit, format(book$span[2]))
}

section_element <- function(section) {
  tags <- htmltools::tags
  heading <- paste0(section$id, "-heading")
  tags$section(id = section$id, `aria-labelledby` = heading, tags$h2(id = heading, printable(section$heading)),
               if (length(section$variants)) {
               list(tags$div(class = "variant", `data-variant` = "", lapply(section$blocks, block_element)),
                    variants_elements(section))
             } else {
               lapply(section$blocks, block_element)
             })
}

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

# All figures of the report are drawn at once, and stand in their blocks as pictures.
with_pictures <- function(sections) {
  figures <- list()
  over_blocks <- function(change) {
    lapply(sections, function(section) {
      section$blocks <- lapply(section$blocks, change)
      section$variants <- lapply(section$variants, lapply, change)
      section
    })
  }
  over_blocks(function(block) figures <<- c(figures, list(block$figure)[block$kind == "figure"]))
  pictures <- draw_side_by_side(lapply(figures, function(figure) function() figure_picture(figure)))
  over_blocks(function(block) {
    if (block$kind == "figure") {
      block$picture <- pictures[[1]]
      pictures <<- pictures[-1]
    }
    block
  })
}

# Lines and texts, sharp at any size, as the address of a picture.
figure_picture <- function(figure) {
  file <- tempfile(fileext = ".svg")
  on.exit(unlink(file))
  write_svg(figure + ggplot2::labs(caption = NULL), file, 1280, 800)
  image <- jsonlite::base64_enc(readBin(file, "raw", file.size(file)))
  paste0("data:image/svg+xml;base64,", gsub("[\r\n]", "", image))
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
