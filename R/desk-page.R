# The page: the sentence, and below it the answer. All that changes is put in by the server.

# `states` are the inquiries of the brief, by name.
desk_page <- function(title, states = list()) {
  tags <- htmltools::tags
  # The first script stands before those of the library that carries the page.
  head <- list(
    tags$meta(charset = "utf-8"), tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$title(printable(title)),
    tags$link(rel = "icon", href = "data:,"), tags$link(rel = "stylesheet", href = "desk/desk.css"),
    tags$script(src = "desk/before.js"), tags$script(src = "desk/desk.js", defer = NA)
  )
  body <- htmltools::tagList(
    tags$a(class = "skip", href = "#answer", "Skip to the answer"),
    tags$header(tags$h1(printable(title)), tags$p(id = "news", role = "status"),
                tags$span(id = "earlier"), if (length(states)) tags$label(
      tags$span(class = "quiet", "From the brief "), tags$select(`data-act` = "of-brief", tags$option(
        value = "", "choose an inquiry"), unname(Map(function(state, name) {
          tags$option(value = state_link(state), printable(name_words(name)))
        }, states, names(states))))
    )),
    tags$main(
      tags$section(id = "inquiry", `aria-label` = "The inquiry"),
      tags$div(id = "choices", role = "dialog", `aria-label` = "Choices", tabindex = "-1", hidden = NA),
      tags$p(id = "problem", role = "alert", hidden = NA),
      tags$div(id = "aside"),
      tags$div(id = "headline"),
      tags$div(id = "answer", tabindex = "-1", `aria-busy` = "true",
               tags$section(id = "figure", `aria-label` = "Figure"),
               tags$section(id = "table", `aria-label` = "Table")),
      tags$div(id = "findings"),
      tags$p(id = "notice", role = "status"),
      tags$div(id = "notes")
    ),
    tags$footer(
      tags$div(class = "marking", tags$span(class = "quiet", "Highlight "), lapply(names(mark_words), function(rows) {
        tags$button(type = "button", `data-act` = "mark", `data-rows` = rows, mark_words[[rows]])
      }), tags$label(" or ", tags$input(
        type = "search", id = "mark-text", `aria-label` = "Highlight rows that hold this text"
      ))),
      tags$div(class = "out", tags$span(class = "quiet", "Download "), lapply(
        c("csv", "xlsx", "parquet", "png", "svg"), function(kind) {
          list(tags$a(id = paste0("file-", kind), class = "shiny-download-link file", href = "", target = "_blank",
                      download = NA, toupper(kind)), " ")
        }),
        tags$button(type = "button", `data-act` = "link", "Copy the link"),
        tags$button(type = "button", `data-act` = "ways-out", "R code and brief"),
        tags$a(id = "file-lines", class = "shiny-download-link", href = "", target = "_blank", download = NA,
               hidden = NA, "Lines"))
    ),
    tags$div(id = "lines", role = "dialog", `aria-label` = "Lines", tabindex = "-1", hidden = NA)
  )
  htmltools::htmlTemplate(
    text_ = "<!DOCTYPE html><html lang=\"en\"><head>{{ head }}{{ headContent() }}</head><body>{{ body }}</body></html>",
    document_ = TRUE, head = htmltools::tagList(head), body = body
  )
}

mark_words <- c(none = "nothing", up = "what rose", down = "what fell", best = "the best three")
