# Fields of the forms in which parts of the sentence are chosen. What makes no sense is disabled, with the reason.

# One choice of several, or one that can be made along with others. `why` it cannot be made.
choice <- function(type, name, value, label, checked = FALSE, note = NULL, why = NULL) {
  tags <- htmltools::tags
  tags$label(class = if (!is.null(why)) "refused",
             tags$input(type = type, name = name, value = value, checked = if (checked) NA,
                        disabled = if (!is.null(why)) NA),
             " ", tags$span(printable(shorten(label, longest_name))),
             if (!is.null(why %||% note)) list(" ", tags$span(class = "quiet", "\u00b7 ", printable(why %||% note))))
}

radios <- function(name, choices, now, ...) {
  lapply(names(choices), function(value) choice("radio", name, value, choices[[value]], identical(value, now), ...))
}

field_group <- function(legend, ...) {
  htmltools::tags$fieldset(htmltools::tags$legend(legend), ...)
}

count_input <- function(name, label, value, most = 1000) {
  tags <- htmltools::tags
  tags$label(label, " ", tags$input(type = "number", name = name, value = value, min = 1, max = most))
}

adding_refused <- function(state) {
  if (!adds_up_entry(state$table$measures[[1]])) "this measure does not add up from row to row"
}

as_choices <- function(names) {
  stats::setNames(as.list(name_words(names)), names)
}

each_refused <- function(state) {
  if (length(state$table$every) == 0) "there are no periods" else if (length(state$table$by) == 0) "nothing else splits"
}

column_list <- function(name, desk, checked, refused = NULL, why = NULL) {
  columns <- desk$columns
  lapply(seq_len(nrow(columns)), function(i) {
    column <- columns$name[i]
    reason <- if (!is.na(columns$why[i])) columns$why[i] else if (column %in% refused) why
    choice("checkbox", name, column, name_words(column), column %in% checked,
           note = count_of(columns$values[i], "value"), why = reason)
  })
}

column_or_grain <- function(name) {
  if (name %in% names(grain_kinds)) grain_kinds[[name]]$name else name
}

named_words <- function(names) {
  and_list(name_words(names))
}

# A piece of the sentence, if there are words; what stands before them.
said <- function(words, before = "") {
  if (!is.null(words)) list(list(words = words, before = before))
}
