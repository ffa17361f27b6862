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
  file <- temporary_file(".svg")
  on.exit(remove_temporary(file))
  write_svg(figure + ggplot2::labs(caption = NULL), file, 1280, 800)
  svg_address(rawToChar(readBin(file, "raw", file.size(file))))
}
