# The report's page: sections as HTML, with the style and the script inside.

report_page <- function(sections, title, words, book) {
  # The one script that may run is told by its bytes.
  script <- enc2utf8(page_part("report.js"))
  headings <- lapply(sections,
                     function(section) sprintf('<li><a href="#%s">%s</a></li>', section$id, escape(section$heading)))
  paste(c(
    "<!DOCTYPE html>", '<html lang="en">', "<head>", '<meta charset="utf-8">',
    '<meta name="viewport" content="width=device-width, initial-scale=1">',
    # Nothing is fetched, whatever the data or the words may hold.
    sprintf(paste0('<meta http-equiv="Content-Security-Policy" content="default-src \'none\'; img-src data:; ',
                   'style-src \'unsafe-inline\'; script-src \'sha256-%s\'">'),
            jsonlite::base64_enc(digest::digest(script, algo = "sha256", serialize = FALSE, raw = TRUE))),
    sprintf("<title>%s</title>", escape(title)), "<style>", page_part("report.css"), "</style>", "</head>", "<body>",
    '<a class="skip" href="#headings">Skip to the contents</a>',
    "<header>", sprintf("<h1>%s</h1>", escape(title)), sprintf('<p class="span">%s</p>', escape(book_words(book))),
    "</header>",
    '<nav id="headings" aria-label="Contents">', "<details open><summary>Contents</summary>", "<ol>", unlist(headings),
    "</ol>", "</details>", "</nav>",
    "<main>", if (!is.null(words)) sprintf('<div class="words">%s</div>', html_words(words)),
    unlist(lapply(sections, html_section)), "</main>",
    sprintf("<footer><p>Made with hinterfeld %s from %s. Amounts are exact to their decimals.</p></footer>",
            utils::packageVersion("hinterfeld"),
            escape(count_of(book$lines, "line"))),
    paste0("<script>", script, "</script>"), "</body>", "</html>"
  ), collapse = "\n")
}

page_part <- function(file) {
  paste(readLines(system.file("report", file, package = "hinterfeld", mustWork = TRUE), encoding = "UTF-8"),
        collapse = "\n")
}

book_words <- function(book) {
  unit <- if (!is.null(book$currency)) sprintf(", amounts in %s", book$currency) else ""
  sprintf("%s, %s%s. The data end on %s, and so does every comparison.", span_words(book), count_of(book$lines, "line"),
          unit, format(book$span[2]))
}

html_section <- function(section) {
  c(sprintf('<section id="%s" aria-labelledby="%s-heading">', section$id, section$id),
    sprintf('<h2 id="%s-heading">%s</h2>', section$id, escape(section$heading)),
    vapply(section$blocks, html_block, ""), "</section>")
}

html_block <- function(block) {
  switch(block$kind,
    table = html_table(block), figure = html_figure(block$figure), cards = html_cards(block$cards),
    text = paste(sprintf("<p>%s</p>", escape(block$text)), collapse = "\n"),
    words = sprintf('<div class="words">%s</div>', html_words(block$words)),
    sentences = paste0(sprintf("<h3>%s</h3>", escape(block$title)), "<ul>",
                       paste(sprintf("<li>%s</li>", escape(block$sentences)), collapse = ""), "</ul>")
  )
}

# Pixels for screens of twice the density.
html_figure <- function(figure) {
  file <- tempfile(fileext = ".png")
  on.exit(unlink(file))
  write_png(figure, file, 1920, 1200, dpi = 216)
  image <- jsonlite::base64_enc(readBin(file, "raw", file.size(file)))
  picture <- htmltools::tags$img(width = "1280", height = "800", alt = visible(figure_alt(figure)),
                                 src = paste0("data:image/png;base64,", gsub("[\r\n]", "", image)))
  html_of(htmltools::tags$figure(htmltools::tags$div(class = "scroll", tabindex = "0", role = "region",
                                                     `aria-label` = visible(figure_title(figure)), picture)))
}

figure_title <- function(figure) {
  paste("Figure:", figure$labels$title %||% "without a title")
}

# What the figure says of itself; its values stand in a table.
figure_alt <- function(figure) {
  words <- c(figure_title(figure), figure$labels$subtitle, figure$labels$caption,
             "The values stand in the tables of this section.")
  words <- gsub("[[:space:]]+", " ", words)
  paste(ifelse(grepl("[.]$", words), words, paste0(words, ".")), collapse = " ")
}

html_cards <- function(cards) {
  one <- function(card) {
    change <- if (is.na(card$pct)) {
      '<p class="change none">no comparison</p>'
    } else {
      sprintf('<p class="change %s"><strong>%s</strong> from %s</p>',
              if (card$pct > 0) "more" else if (card$pct < 0) "less" else "none",
              escape(percent_text(card$pct, signed = TRUE)), escape(card$before))
    }
    sprintf(paste0('<li><h3>%s <span class="period">%s</span></h3><p class="value" data-value="%s">%s%s</p>%s',
                   '<p class="against">%s</p></li>'),
            escape(card$label), escape(card$period), number_text(card$exact), escape(card$value),
            if (is.null(card$unit)) "" else sprintf(' <span class="unit">%s</span>', escape(card$unit)), change,
            whole_days(escape(card$against)))
  }
  paste0('<ul class="cards">', paste(vapply(cards, one, ""), collapse = "\n"), "</ul>")
}

# A day is not broken at its hyphens.
whole_days <- function(html) {
  gsub("([0-9]{4}-[0-9]{2}-[0-9]{2})", '<span class="whole">\\1</span>', html)
}

# Markdown of the analyst: no HTML of its own, no pictures from elsewhere, links to pages and mail only.
html_words <- function(words) {
  html <- commonmark::markdown_html(gsub("<", "&lt;", words, fixed = TRUE), extensions = TRUE)
  html <- gsub("<img [^>]*alt=\"([^\"]*)\"[^>]*>", "\\1", html)
  html <- gsub("href=\"(?!https?:|mailto:|#)[^\"]*\"", "", html, perl = TRUE)
  # The report's own headings are of the second level.
  gsub("<(/?)h[1-3]>", "<\\1h3>", html)
}
