# The sentence: the inquiry in words, each part a button that opens its choices.

# What stands in the sentence, in its order: the part, its words and the text before them; parts that are not asked for
# stand at the end, as `off`.
sentence_clauses <- function(state, desk) {
  clauses <- list()
  others <- list()
  for (name in names(desk_parts)) {
    part <- desk_parts[[name]]
    pieces <- part$words(state, desk)
    clauses <- c(clauses, lapply(pieces, function(piece) c(list(clause = name, off = FALSE), piece)))
    if (is.null(pieces) && !is.null(part$off)) {
      others <- c(others, list(list(clause = name, off = TRUE, words = part$off, before = "")))
    }
  }
  c(clauses, others)
}

# The sentence as text.
sentence_text <- function(state, desk) {
  asked <- Filter(function(one) !one$off, sentence_clauses(state, desk))
  paste0(paste0(vapply(asked, function(one) paste0(one$before, one$words), ""), collapse = ""), ".")
}

sentence_tags <- function(state, desk) {
  tags <- htmltools::tags
  clauses <- sentence_clauses(state, desk)
  button <- function(one) {
    tags$button(type = "button", class = if (one$off) "off" else "part", `data-part` = one$clause,
                `aria-haspopup` = "dialog", `aria-label` = if (one$off) paste("Add:", one$words),
                printable(one$words), .noWS = "outside")
  }
  off <- vapply(clauses, function(one) one$off, NA)
  asked <- clauses[!off]
  before <- vapply(asked, function(one) one$before, "")
  # A comma or full stop stays on the line of the words that it follows.
  marks <- c(sub("^(,?).*", "\\1", before[-1]), ".")
  kept <- Map(function(one, before, mark) {
    list(sub("^,", "", before), tags$span(button(one), mark, .noWS = c("outside", "inside")))
  }, asked, before, marks)
  list(
    tags$p(class = "sentence", unname(kept), .noWS = "inside"),
    if (any(off)) tags$p(class = "more-parts", tags$span(class = "quiet", "Also: "), lapply(clauses[off], button))
  )
}

# The choices of a part, as a form.
choice_form <- function(name, state, desk) {
  tags <- htmltools::tags
  part <- desk_parts[[name]]
  tags$form(`data-part` = name, `aria-label` = part$title, tags$h2(part$title), part$choices(state, desk))
}
