# The part of the sentence that says what is totalled.

part_measure <- list(
  title = "What is totalled",
  words = function(state, desk) said(capital(measures_in_words(state$table$measures))),
  choices = function(state, desk) {
    facts <- desk$facts
    main <- entry_parts(state$table$measures[[1]])
    names <- brief_measure_names(state$table$measures)
    numbers <- facts_numbers(facts)
    counted <- intersect(c("order", "customer_id", "customer"), split_columns(facts))
    offered <- function(how) {
      entry <- measure_entry(main$column %||% numbers[1], how, setdiff(numbers, main$column)[1])
      if (!is_held(facts, entry)) "these data do not hold it"
    }
    single <- isTRUE(main$how %in% c("distinct", "other")) || identical(main$column, "lines")
    others <- setdiff(numbers, c(main$column, "lines"))
    htmltools::tagList(
      field_group("Of", radios("column", as_choices(c(numbers, if (!"lines" %in% numbers) "lines")), main$column),
                  lapply(counted, function(name) {
                    choice("radio", "column", paste0("distinct ", name), sprintf("distinct %ss", name_words(name)),
                           main$how == "distinct" && main$column == name,
                           why = if (!is_held(facts, measure_entry(name, "distinct"))) "these data do not hold it")
                  })),
      if (!single) field_group("How", lapply(setdiff(names(measure_hows), "ratio"), function(how) {
        choice("radio", "how", how, measure_hows[[how]]$words, main$how == how, why = offered(how))
      }), lapply(others, function(to) {
        choice("radio", "how", paste("ratio", to), paste("per", name_words(to)),
               main$how == "ratio" && identical(main$to, to), why = offered("ratio"))
      })),
      if (!single) field_group("The same column also as",
                               lapply(setdiff(names(measure_hows), c("ratio", main$how)), function(how) {
        entry <- measure_entry(main$column, how)
        choice("checkbox", "ways", how, measure_hows[[how]]$words, entry_name(entry) %in% names[-1], why = offered(how))
      })),
      field_group("Also shown", lapply(setdiff(c(numbers, "lines", if ("order" %in% counted) "orders"), names[1]),
                                      function(name) {
        choice("checkbox", "beside", name, name, name %in% names[-1],
               why = if (!is_held(facts, brief_entry_of(name))) "these data do not hold it")
      }))
    )
  },
  change = function(state, given, facts) {
    main <- chosen_measure(given, facts)
    own <- entry_parts(main)
    ways <- if (!is.null(own$column) && own$column != "lines" && !own$how %in% c("distinct", "other")) {
      lapply(setdiff(intersect(unlist(given$ways), names(measure_hows)), c("ratio", own$how)), measure_entry,
             column = own$column)
    }
    others <- c(ways, lapply(unlist(given$beside), brief_entry_of))
    others <- others[!duplicated(vapply(others, entry_name, ""))]
    state$table$measures <- c(list(main), Filter(function(entry) entry_name(entry) != entry_name(main), others))
    with_main(state, entry_name(main))
  }
)

# "distinct order" and "ratio units" are choices of one list each.
chosen_measure <- function(given, facts) {
  column <- given$column %||% facts_numbers(facts)[1]
  how <- strsplit(given$how %||% "total", " ", fixed = TRUE)[[1]]
  if (startsWith(column, "distinct ")) {
    return(measure_entry(sub("^distinct ", "", column), "distinct"))
  }
  same <- column == "lines" || length(how) > 1 && how[2] == column
  measure_entry(column, if (same) "total" else how[1], if (length(how) > 1) how[2])
}

# All steps are about the measure that the sentence is about.
with_main <- function(state, name) {
  renewed <- function(step) {
    given <- step[[1]]
    kind <- names(step)
    # What was planned was planned of one measure.
    if (kind != "target" && "of" %in% names(step_kinds[[kind]]$arguments)) given$of <- other_than_usual(name)
    given$name <- NULL
    stats::setNames(list(if (length(given)) given), kind)
  }
  if (!is.null(state$table$add)) state$table$add <- lapply(state$table$add, renewed)
  if (!is.null(state$table$pick)) state$table$pick <- renewed(state$table$pick)
  state$table$sort <- state$table$crosstab$order <- NULL
  state
}

measures_in_words <- function(measures) {
  and_list(vapply(as.list(measures), entry_words, ""))
}

entry_words <- function(entry) {
  about <- entry_parts(entry)
  column <- name_words(about$column)
  switch(about$how,
    total = column, distinct = paste0("number of different ", column, "s"),
    ratio = sprintf("%s for each of %s", column, name_words(about$to)),
    other = name_words(entry_name(entry)), sprintf("%s, %s", column, measure_hows[[about$how]]$words)
  )
}
