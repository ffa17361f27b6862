# Above the first view: the numbers that a reader asks for first, and what can be done with the page.

headline_of <- function(desk) {
  made_once(desk, "headline", function() page_html(headline_tags(desk$facts)))
}

headline_tags <- function(facts) {
  cards <- tryCatch(quietly(utils::head(headline_cards(facts), 4)), hinterfeld_error = function(cnd) list())
  # What they are compared with is in the sentence.
  cards <- lapply(cards, replace, "against", "")
  tags <- htmltools::tags
  list(
    if (length(cards)) tags$ul(class = "cards", lapply(cards, card_element)),
    tags$p(class = "quiet", "Choose a word of the sentence to ask for something else. Choose a bar, a row or a cell",
           " to see what is behind it, and a heading to sort by it.")
  )
}

# The last inquiries of a reader, each once, latest first, and the way back to the first view.
earlier_tags <- function(me) {
  tags <- htmltools::tags
  first <- desk_start(me$desk)
  former <- Filter(function(state) !identical(state, me$state) && !identical(state, first), me$earlier)
  shown <- c(utils::head(former, 10), if (!identical(me$state, first)) list(first))
  if (length(shown) == 0) {
    return(list())
  }
  option <- function(state) {
    words <- if (identical(state, first)) "Back to the beginning" else shorten(sentence_text(state, me$desk), 110)
    tags$option(value = state_link(state), printable(words))
  }
  tags$label(tags$span(class = "quiet", "Earlier "),
             tags$select(`data-act` = "of-brief", tags$option(value = "", "inquiries"), lapply(shown, option)))
}

remember_state <- function(me, state) {
  me$earlier <- utils::head(unique(c(list(state), me$earlier)), 12)
}
