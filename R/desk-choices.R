# The choices of each part of the sentence, as a form. Choices that make no sense are disabled, with the reason.

choice_form <- function(clause, state, desk) {
  tags <- htmltools::tags
  tags$form(`data-part` = clause, `aria-label` = choice_titles[[clause]], tags$h2(choice_titles[[clause]]),
            clause_choices[[clause]](state, desk))
}

choice_titles <- c(
  measure = "What is totalled", counts = "Which lines count", by = "Split by", within = "Within",
  every = "Per period", versus = "Compared with what, shown for which period", rank = "Ranked how",
  share = "Share of what", running = "Running totals", pareto = "Pareto classes", grid = "Across",
  rows = "Subtotals and empty periods"
)

# One choice of several, or one that can be made along with others. `why` it cannot be made.
choice <- function(type, name, value, label, checked = FALSE, note = NULL, why = NULL) {
  tags <- htmltools::tags
  tags$label(class = if (!is.null(why)) "refused",
             tags$input(type = type, name = name, value = value, checked = if (checked) NA,
                        disabled = if (!is.null(why)) NA),
             " ", tags$span(printable(label)),
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

clause_choices <- list(
  measure = function(state, desk) {
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
  counts = function(state, desk) counts_choices(state, desk),
  by = function(state, desk) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    list(column_list("by", desk, inner, setdiff(unlist(state$within), inner), "already under \"within\""),
         if (length(inner) > 1) field_group("Which comes first", lapply(inner[-1], function(name) {
           list(htmltools::tags$button(type = "button", `data-act` = "first", `data-column` = name,
                                       printable(paste(name_words(name), "first"))), " ")
         })))
  },
  within = function(state, desk) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    list(htmltools::tags$p(class = "quiet", "Ranks and shares start afresh in each of these."),
         column_list("within", desk, unlist(state$within), if (length(inner) == 1) inner, "the sentence splits by it"))
  },
  every = function(state, desk) {
    now <- paste(unlist(state$table$every), collapse = " ")
    all_grains <- names(grain_kinds)
    both <- c("year quarter", "year month", "year month_of_year", "year quarter_of_year")
    words <- function(every) and_list(vapply(strsplit(every, " ")[[1]], function(x) grain_kinds[[x]]$name, ""))
    offer <- function(every) {
      refused <- tryCatch({
        for (grain in strsplit(every, " ")[[1]]) check_grain(desk$facts, grain)
        NULL
      }, hinterfeld_error = function(cnd) "these data hold only longer periods")
      choice("radio", "every", every, words(every), every == now, why = refused)
    }
    recurring <- vapply(all_grains, is_recurring, NA)
    htmltools::tagList(
      choice("radio", "every", "", "no period", now == ""),
      field_group("Consecutive", lapply(all_grains[!recurring], offer)),
      field_group("Recurring, added up over the years", lapply(all_grains[recurring], offer)),
      field_group("In two columns", lapply(both, offer))
    )
  },
  versus = function(state, desk) {
    given <- step_given(state, "change")
    period <- step_given(state, "in_period")$period
    every <- unlist(state$table$every)
    why <- if (is.null(single_grain(every))) "first choose a period that includes the year"
    now <- if (is.null(given)) "none" else if (!is.null(given$periods)) "periods" else given$versus %||% "year_before"
    periods <- names(given$periods) %||% latest_months(desk$facts)
    only <- why %||% (if (!is.null(state$table$crosstab)) "not in a table with columns across: choose days that count")
    htmltools::tagList(
      field_group("Compared with", lapply(c("none", "year_before", "period_before"), function(value) {
        choice("radio", "versus", value, c(none = "nothing", year_before = "the year before",
                                           period_before = "the period before")[[value]], value == now,
               why = if (value != "none") why)
      }), choice("radio", "versus", "periods", "two periods of your choice, without others", now == "periods"),
        tags_of_periods(periods),
        choice("checkbox", "weekday", "true", "by weekdays: 364 days before", identical(given$align, "weekday"),
                 why = if (is.null(why) && identical(every, "day")) NULL else "only for days"),
        choice("checkbox", "causes", "true", "split into volume, mix, price, new and gone products",
               !is.null(step_given(state, "causes")),
               why = (if (now != "periods") why) %||% lacks_causes(state, desk$facts)),
        if (length(desk$facts$calendar$closed)) {
          choice("checkbox", "open", "true", "per open day, without causes", isTRUE(given$per_open_day),
                 why = (if (now != "periods") why) %||%
                   (if (!grows_with_days(state$table$measures[[1]])) "only for sums and counts"))
        }),
      field_group("Shown", choice("radio", "period", "", "every period", is.null(period)),
                  choice("radio", "period", "latest", "the latest period only", identical(period, "latest"),
                         why = only),
                  lapply(desk_years(desk), function(year) {
                    choice("radio", "period", year, paste(year, "only"), identical(period, year), why = only)
                  }))
    )
  },
  rank = function(state, desk) {
    pick <- state$table$pick
    best <- state$table$crosstab$best
    given <- pick[[1]] %||% best %||% step_given(state, "rank")
    now <- if (!is.null(best)) "best_sellers" else names(pick) %||% (if (!is.null(given)) "rank" else "none")
    split <- c(unlist(state$table$every), unlist(state$table$by))
    why <- if (length(split) == 0) "choose what to split by first"
    grid <- !is.null(state$table$crosstab)
    kinds <- c(none = "not ranked", rank = "every row with its rank", best_sellers = "the best only",
               slow_sellers = "the slowest only")
    htmltools::tagList(
      lapply(names(kinds), function(kind) {
        refused <- why %||% (if (grid && kind %in% c("rank", "slow_sellers")) "not in a table with columns across") %||%
          (if (grid && length(state$table$crosstab$rows) > 1) "only where rows are not grouped")
        choice("radio", "rank", kind, kinds[[kind]], kind == now, why = if (kind != "none") refused)
      }),
      count_input("n", "How many", given$n %||% 5L),
      choice("checkbox", "each", "true", "afresh in each period", starts_each_period(state, given),
             why = each_refused(state)),
      choice("checkbox", "others", "true", "one row for the rest", isTRUE(given$others),
             why = adding_refused(state) %||% (if (grid) "not in a table with columns across")),
      field_group("Equal values", lapply(tie_rules, function(rule) {
        choice("radio", "ties", rule, tie_choices[[rule]], rule == (given$ties %||% "standard"))
      }))
    )
  },
  share = function(state, desk) {
    given <- step_given(state, "share")
    grid <- state$table$crosstab
    within <- unlist(given$within)
    now <- if (is.null(given)) {
      "none"
    } else if (length(within) == 0) {
      "all"
    } else if (setequal(within, unlist(grid$rows))) {
      "row"
    } else if (setequal(within, unlist(grid$columns))) {
      "column"
    } else {
      "within"
    }
    no_scope <- if (length(state$within) == 0 &&
                    length(state$table$every) == 0) "first choose what ranks and shares start afresh in"
    htmltools::tagList(
      choice("radio", "share", "none", "no shares", now == "none"),
      choice("radio", "share", "all", "of everything", now == "all", why = adding_refused(state)),
      choice("radio", "share", "within", if (length(state$within)) sprintf("of its %s", named_words(unlist(
        state$within))) else "of its period", now == "within", why = adding_refused(state) %||% no_scope),
      choice("checkbox", "each", "true", "of its period as well", starts_each_period(state, given) &&
               length(state$within) > 0, why = each_refused(state)),
      if (!is.null(grid)) list(choice("radio", "share", "row", "of its row", now == "row"),
                               choice("radio", "share", "column", "of its column", now == "column"))
    )
  },
  running = function(state, desk) {
    running <- step_given(state, "running_total")
    moving <- step_given(state, "moving")
    now <- if (!is.null(running)) "running" else if (!is.null(moving)) "moving" else "none"
    why <- adding_refused(state) %||% (if (length(state$table$every) == 0) "choose a period first")
    restarts <- c(none = "never", year = "each year", quarter = "each quarter", month = "each month")
    htmltools::tagList(
      choice("radio", "running", "none", "nothing running", now == "none"),
      choice("radio", "running", "running", "running total", now == "running", why = why),
      choice("radio", "running", "moving", "moving sum or mean over the last periods", now == "moving", why = why),
      if (now == "running") field_group("Starting again", lapply(names(restarts), function(value) {
        choice("radio", "restart", value, restarts[[value]], value == (running$restart %||% "none"),
               why = if (!value %in% c("none",
                                       longer_grains(unlist(state$table$every)))) "not longer than the table's period")
      })),
      if (now == "moving") list(count_input("last", "Periods", moving$last %||% 12L),
                                choice("checkbox", "mean", "true", "their mean instead of their sum",
                                       identical(moving$what, "mean")))
    )
  },
  pareto = function(state, desk) {
    split <- c(unlist(state$table$by), unlist(state$table$every))
    why <- adding_refused(state) %||% (if (length(split) == 0) "choose what to split by first")
    now <- if (is.null(step_given(state, "pareto"))) "no" else "yes"
    htmltools::tagList(choice("radio", "pareto", "no", "no classes", now == "no"),
               choice("radio", "pareto", "yes", "A to 80 %, B to 95 %, C the rest", now == "yes", why = why))
  },
  grid = function(state, desk) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    columns <- unlist(state$table$crosstab$columns)
    if (length(split) < 2) {
      return(htmltools::tags$p("A table with columns across needs two things to split by."))
    }
    list(lapply(split, function(name) {
      choice("checkbox", "columns", name, paste(name_words(column_or_grain(name)), "across"), name %in% columns)
    }), if (length(columns)) {
      cells <- unlist(state$table$crosstab$of)
      field_group("In the cells", lapply(cell_choices(state$table), function(name) {
        choice("checkbox", "cells", name, name_words(name), name %in% cells)
      }))
    },
    if (length(columns)) htmltools::tags$button(type = "button", `data-act` = "swap", "Swap rows and columns"))
  },
  rows = function(state, desk) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    picked <- if (!is.null(state$table$pick)) "not where only the best are shown"
    htmltools::tagList(
      choice("checkbox", "subtotals", "true", "subtotals and a grand total", isTRUE(state$table$subtotals),
             why = if (length(split) < 2) "needs two columns or periods to split by" else picked),
      choice("checkbox", "fill", "true", "periods without sales as 0", isTRUE(state$table$fill),
             why = if (length(state$table$every) == 0) "choose a period first")
    )
  }
)

tie_choices <- c(standard = "share the better rank: 1, 2, 2, 4", dense = "leave no gap: 1, 2, 2, 3",
               ordinal = "go by name: 1, 2, 3, 4", modified = "share the worse rank: 1, 3, 3, 4",
               fractional = "share the mean: 1, 2.5, 2.5, 4")

adding_refused <- function(state) {
  if (!adds_up_entry(state$table$measures[[1]])) "this measure does not add up from row to row"
}

as_choices <- function(names) {
  stats::setNames(as.list(name_words(names)), names)
}

each_refused <- function(state) {
  if (length(state$table$every) == 0) "there are no periods" else if (length(state$table$by) == 0) "nothing else splits"
}

desk_years <- function(desk) {
  span <- desk$facts$span
  days <- seq(span[1], span[2], by = "month")
  rev(unique(period_label(c(days, span[2]), "year", desk$facts$calendar)))
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

tags_of_periods <- function(periods) {
  tags <- htmltools::tags
  field <- function(name, label, value) {
    tags$label(label, " ", tags$input(type = "text", name = name, value = printable(value), size = 10))
  }
  tags$p(class = "periods", field("now", "The later", periods[1]), " ", field("then", "against", periods[2]),
         tags$span(class = "quiet", " such as 2026-05, May 2026, 2026-Q1 or 2026"))
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

# The last month that is whole, and the same of the year before, by their names.
latest_months <- function(facts) {
  months <- periods_of(facts$span, "month", facts$calendar)
  whole <- utils::tail(months[cover_of_periods(facts, months, "month")$complete], 1)
  if (length(whole) == 0) whole <- months[1]
  before <- earlier_period(whole, "month", list(versus = "year_before", align = "date"), facts$calendar)$start
  period_label(c(whole, before), "month", facts$calendar)
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
