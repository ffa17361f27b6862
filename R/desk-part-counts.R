# The part of the sentence that says which lines count.

part_counts <- list(
  title = "Which lines count",
  words = function(state, desk) said(counted_words(state, desk), " of "),
  choices = function(state, desk) counts_choices(state, desk)
)

# Which lines count: the state's conditions as words that can be taken away, and new ones.
counts_choices <- function(state, desk) {
  tags <- htmltools::tags
  word <- function(verb) lapply(seq_along(unlist(state$table[[verb]])), function(i) {
    words <- condition_words(unlist(state$table[[verb]])[i], verb)
    tags$li(tags$span(printable(words)), " ",
            tags$button(type = "button", `data-act` = "drop", `data-verb` = verb, `data-place` = i,
                        `aria-label` = paste("Take away:", printable(words)), "remove"))
  })
  span <- format(desk$facts$span)
  columns <- desk$columns[is.na(desk$columns$why), ]
  htmltools::tagList(
    tags$ul(class = "words", word("keep"), word("leave_out")),
    field_group("Days", day_input("from", span[1]), " ", day_input("until", span[2]), " ",
                tags$button(type = "button", `data-act` = "days", "Only these days")),
    number_fields(desk$facts),
    field_group("Values", tags$label("Column ", tags$select(name = "column", `data-act` = "values", tags$option(
      value = "", "choose one"), lapply(columns$name, function(name) tags$option(value = name, name_words(name))))),
      tags$div(id = "values", `aria-live` = "polite"))
  )
}

# A condition on a number of each line, which groups no longer have.
number_fields <- function(facts) {
  tags <- htmltools::tags
  numbers <- setdiff(facts_numbers(facts), "lines")
  if (!inherits(facts, "hinterfeld_daybook") || length(numbers) == 0) {
    return(NULL)
  }
  offered <- lapply(numbers, function(name) tags$option(value = name, printable(name_words(name))))
  compared <- lapply(names(number_operators), function(operator) {
    tags$option(value = operator, number_operators[[operator]])
  })
  field_group("Numbers of a line", tags$select(name = "number", `aria-label` = "Number", offered), " ",
              tags$select(name = "operator", `aria-label` = "Comparison", compared), " ",
              tags$input(type = "text", name = "value", placeholder = "500", size = 8, `aria-label` = "Amount"), " ",
              tags$button(type = "button", `data-act` = "numbers", "Only these lines"))
}

day_input <- function(name, example) {
  tags <- htmltools::tags
  tags$label(paste0(name, " "), tags$input(type = "text", name = name, placeholder = example, size = 10))
}

# Those that are `chosen` already come first, ticked.
values_choices <- function(desk, column, search = "", chosen = NULL) {
  tags <- htmltools::tags
  choices <- value_choices(desk$facts, column, search)
  ticked <- vapply(choices, function(value) any(as.character(value$spellings) %in% as.character(chosen)), NA)
  order <- utils::head(order(!ticked), max_values)
  list(
    tags$label("Search ", tags$input(type = "search", name = "search", `data-act` = "search", value = search)),
    tags$div(class = "listed", Map(function(value, checked) {
      several <- length(value$spellings) > 1
      choice("checkbox", "values", value$place, value$label, checked,
             note = paste0(count_of(value$lines, "line"),
                           if (several) sprintf(", also written %s", examples_of(as.character(value$spellings)[-1]))))
    }, choices[order], ticked[order])),
    if (length(choices) == 0) tags$p("No value contains this text."),
    if (length(choices) > max_values) {
      tags$p(class = "quiet", sprintf("And %s more: search for them.", group_digits(length(choices) - max_values)))
    },
    tags$p(tags$button(type = "button", `data-act` = "only", "Only these"), " ",
           if (length(chosen)) list(tags$button(type = "button", `data-act` = "also", "These as well"), " "),
           tags$button(type = "button", `data-act` = "without", "Without these"))
  )
}

# The values of a column that the state's own conditions keep; NULL if it has none for the column.
kept_values <- function(state, column) {
  held <- Filter(function(one) identical(one$column, column), lapply(unlist(state$table$keep), text_values))
  unlist(lapply(held, function(one) one$values))
}

text_values <- function(text) {
  condition_values(parsed_condition(text))
}

parsed_condition <- function(text) {
  tryCatch(str2lang(text), error = function(cnd) NULL)
}

# Whether a condition says something of the column that the new `texts` say again: values, or one end of the days.
is_about <- function(text, column, texts) {
  compares <- function(expr) rlang::is_call(expr, c("<=", ">="), n = 2) && identical(expr[[2]], as.symbol(column))
  old <- parsed_condition(text)
  identical(condition_values(old)$column, column) ||
    compares(old) && any(vapply(texts, function(new) identical(parsed_condition(new)[[1]], old[[1]]), NA))
}

# The columns of a grid are others when other lines count.
in_first_order <- function(state) {
  if (!is.null(state$table$crosstab)) state$table$crosstab$order <- NULL
  state
}

# What counts: what the facts were restricted to, and the state's own conditions.
counted_words <- function(state, desk) {
  own <- unlist(lapply(c("keep", "leave_out"), function(verb) {
    vapply(unlist(state$table[[verb]]), condition_words, "", verb = verb, USE.NAMES = FALSE)
  }))
  trail <- desk$facts$trail
  before <- trail$why[trail$what == "keep"]
  words <- c(if (length(before)) and_list(before) else "all lines", own)
  paste(words, collapse = ", ")
}
