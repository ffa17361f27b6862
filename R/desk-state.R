# What a desk shows, as plain data: an inquiry as a brief writes it, and how it is looked at. A link is the same as
# text.

# table   the inquiry: a table of a brief
# within  the columns inside which ranks and shares start afresh, among the first that split
# figure  the kind of figure that was chosen; NULL for the one that suits the table
# mark    what is highlighted: list(rows = "up", "down", "best" or "text", n =, text =); NULL for nothing
new_state <- function(table, within = NULL, figure = NULL, mark = NULL) {
  plain_state(list(table = table, within = as.list(within), figure = figure, mark = mark))
}

# The keys of a table that a desk knows: none that names a file.
desk_keys <- c("by", "every", "measures", "keep", "leave_out", "subtotals", "fill", "add", "pick", "crosstab", "sort")
max_link <- 20000L

# As JSON has it: what came by a link and what was chosen are the same.
plain_state <- function(state) {
  table <- Filter(Negate(is.null), state$table[intersect(desk_keys, names(state$table))])
  # A brief may write one alone, or leave revenue unsaid.
  table$measures <- table$measures %||% "revenue"
  lists <- intersect(c("by", "every", "measures", "keep", "leave_out", "sort"), names(table))
  table[lists] <- lapply(table[lists], as.list)
  state$table <- table[intersect(desk_keys, names(table))]
  if (length(state$within) == 0) state$within <- NULL
  jsonlite::parse_json(state_text(Filter(Negate(is.null), state)))
}

state_text <- function(state) {
  as.character(jsonlite::toJSON(state, auto_unbox = TRUE, null = "null", digits = NA))
}

state_link <- function(state) {
  paste0("?inquiry=", utils::URLencode(state_text(state), reserved = TRUE))
}

# The state that a link tells, checked like the table of a brief: a link may come from anybody.
state_of_link <- function(link, facts, call = NULL) {
  encoded <- sub("^[?&]inquiry=", "", regmatches(link, regexpr("[?&]inquiry=[^&]*", link)))
  if (length(encoded) == 0 || nchar(encoded) > max_link) {
    stop_link("it is too long or has no `inquiry`", call)
  }
  text <- tryCatch(utils::URLdecode(encoded), error = function(cnd) stop_link("it is cut off", call),
                   warning = function(cnd) stop_link("it is cut off", call))
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) stop_link("it does not contain text", call)
  state <- tryCatch(jsonlite::parse_json(text), error = function(cnd) stop_link("it is cut off", call))
  check_state(state, facts, call)
}

stop_link <- function(why, call) {
  stop_because("link", sprintf("This link does not hold an inquiry: %s.", why),
               i = "Copy all of it, or begin with the desk's first inquiry.", call = call)
}

check_state <- function(state, facts, call = NULL) {
  if (!is.list(state) || is.null(names(state)) || !is.list(state$table)) stop_link("it has no `table`", call)
  spare <- c(setdiff(names(state), c("table", "within", "figure", "mark")), setdiff(names(state$table), desk_keys))
  if (length(spare) || anyDuplicated(names(state$table))) {
    stop_link(sprintf("it has %s, which a desk does not know", if (length(spare)) quoted(spare[1]) else "keys twice"),
              call)
  }
  if (length(target_files(list(tables = list(inquiry = state$table))))) stop_link("it names a file", call)
  problems <- bind_problems(c(list(table_form_problems(state$table)), look_problems(state, facts)))
  if (nrow(problems) == 0) {
    problems <- bind_problems(c(table_problems(state$table, "inquiry", state_columns(facts)),
                                naming_problems(state$table$measures, facts)))
  }
  if (nrow(problems)) {
    hints <- ifelse(is.na(problems$hint), "", paste0(" ", problems$hint))
    stop_because("link", "This inquiry cannot be asked here.",
                 stats::setNames(paste0(problems$problem, hints), rep("x", nrow(problems))), call = call)
  }
  plain_state(state)
}

# The columns that a state may name: of a tally also those that its measures were taken of.
state_columns <- function(facts) {
  taken <- if (inherits(facts, "hinterfeld_tally")) lapply(facts$measures, function(m) {
    c(all.vars(bare_name(m$spec$x)), all.vars(bare_name(m$spec$to)), m$spec$per)
  })
  unique(c(split_columns(facts), if (!is.null(taken)) "revenue", names(taken), unlist(taken)))
}

# A sentence that says "Revenue" is about the column: nothing else may have its name.
naming_problems <- function(measures, facts) {
  columns <- c("revenue", "units", names(facts$decimals))
  lapply(Filter(is.list, measures), function(entry) {
    name <- names(entry)
    own <- identical(entry[[1]]$sum_of, name) && is.null(entry[[1]]$where)
    if (name %in% columns && !own) {
      new_problem("measures", sprintf("A measure cannot be called `%s`: that is a column.", name),
                  "Give it another name.")
    }
  })
}

look_problems <- function(state, facts) {
  within <- unlist(state$within)
  mark <- state$mark
  sound <- c(
    within = is.null(within) || is.character(within) && all(within %in% unlist(state$table$by)),
    figure = is.null(state$figure) || rlang::is_string(state$figure) && state$figure %in% names(figure_kinds),
    mark = is.null(mark) || is.list(mark) && rlang::is_string(mark$rows) && mark$rows %in% mark_kinds &&
      (is.null(mark$n) || rlang::is_scalar_integerish(mark$n) && mark$n >= 1) &&
      (is.null(mark$text) || rlang::is_string(mark$text))
  )
  lapply(names(sound)[!sound], function(key) new_problem(key, sprintf("`%s` has a value that is not allowed.", key)))
}

mark_kinds <- c("up", "down", "best", "text")

desk_start <- function(desk) {
  made_once(desk, "start", function() first_state(desk$facts))
}

# A fresh desk: the months of the last year, each against the year before; of a single year, revenue by product.
first_state <- function(facts) {
  measures <- list(facts_numbers(facts)[1])
  about <- about_facts(facts)
  years <- unique(period_start(about$span, "year", about$calendar))
  if (length(years) > 1 && holds_grain(facts, "month")) {
    return(new_state(list(every = list("month"), measures = measures, add = list(
      list(change = list(versus = "year_before")),
      list(in_period = list(period = period_label(years[2], "year", about$calendar)))
    ))))
  }
  columns <- column_choices(facts)
  product <- if ("product" %in% columns$name) "product" else columns$name[1]
  new_state(list(by = as.list(if (!is.na(product)) product), measures = measures))
}

# The tables of a brief that can be looked at.
brief_states <- function(brief, facts) {
  states <- lapply(brief$content$tables, function(table) {
    table$add <- with_period(table$add, table$in_period)
    table <- table[intersect(names(table), desk_keys)]
    if (length(table) == 0) {
      return(NULL)
    }
    tryCatch({
      table$add <- lapply(table$add, with_own_targets, every = unlist(table$every), brief = brief)
      check_state(new_state(table, within_of(table)), facts)
    }, hinterfeld_error = function(cnd) NULL)
  })
  Filter(Negate(is.null), states)
}

# A step with the targets of a file in the place of its name, as far as a link can hold them.
with_own_targets <- function(step, every, brief) {
  given <- step$target
  if (is.null(given) || !is_file_entry(given$targets)) {
    return(step)
  }
  targets <- step_arguments(given, brief)$targets
  if (nrow(targets) > 100) {
    return(step)
  }
  if (length(every) == 1) names(targets)[names(targets) == "period"] <- every
  step$target$targets <- lapply(targets, function(x) as.list(if (is.numeric(x)) x else as.character(x)))
  step
}

# What the steps of a table are taken within.
within_of <- function(table) {
  steps <- c(unlist(table$add, recursive = FALSE), table$pick)
  intersect(unlist(lapply(steps, function(given) if (is.list(given)) given$within)), unlist(table$by))
}
