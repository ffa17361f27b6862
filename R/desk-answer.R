# The answer to a state: asked of the facts through the table of a brief, so that it is what a run of that brief gives.

# What a desk asks, for all of its readers: the facts, what they were restricted by and from, the columns that can be
# chosen, and the brief that they came from.
new_desk <- function(facts, brief = NULL, base = facts, rules = list()) {
  list2env(list(facts = facts, brief = brief, base = base, rules = rules, columns = column_choices(facts),
                counted = list(), shared = new.env(parent = emptyenv())), parent = emptyenv())
}

brief_desk <- function(brief) {
  if (is_large(parse_file_entry(brief$content$data$lines, brief))) {
    return(large_desk(brief))
  }
  rules <- brief$content$restrict
  brief$content$restrict <- NULL
  base <- brief_daybook(with_closed_days(brief), wanted = NULL)
  facts <- base
  for (rule in rules) facts <- restrict_by(facts, rule)
  new_desk(facts, brief, base, rules)
}

# Lines that memory does not hold are asked by way of a tally of days and of all that the brief's tables and report are
# split by; with a store only what is new is read.
large_desk <- function(brief, call = caller_env()) {
  content <- brief$content
  asked <- brief
  asked$purpose <- "desk"
  table <- list(by = desk_columns(content), every = "day", measures = desk_measures(content))
  asked$content$tables <- list(desk = table)
  asked$content[c("figures", "report")] <- NULL
  if (!is.null(store_folder(brief))) {
    asked$open_store <- open_store(store_folder(brief), call = call)
    on.exit(close_store(asked$open_store))
  }
  facts <- brief_facts(asked)$table("desk")
  say("large",
      sprintf("The lines of %s do not fit into memory, so the desk uses a tally per day%s.", basename(brief$path),
              if (length(facts$by)) paste(" by", and_list(facts$by)) else ""),
      i = if (is.null(store_folder(brief))) "Add `store` to the brief and the desk opens at once next time.")
  new_desk(facts, brief)
}

# Names of columns that are not there are left out where the tally is made.
desk_columns <- function(content) {
  asked <- lapply(content$tables, function(spec) {
    texts <- c(unlist(spec[c("keep", "leave_out")]), spec$unsold$where)
    c(unlist(spec$by), unlist(spec$unsold$within), unlist(lapply(texts, function(text) all.vars(str2lang(text)))))
  })
  as.list(setdiff(unique(c("product", unlist(asked), unlist(content$report[c("category", "region")]))), "day"))
}

# What is added up: revenue, also of days, pieces, and the further columns that the tables total.
desk_measures <- function(content) {
  named <- unlist(lapply(content$tables, function(spec) Filter(is.character, as.list(spec$measures))))
  c(as.list(unique(c("revenue", if (!is.null(content$daybook$units)) "units", setdiff(named, "lines")))),
    list(measure_entry("revenue", "largest_day")))
}

# The lines that count in a state. The last ones are kept: most choices leave the conditions as they are.
counted_facts <- function(desk, state) {
  conditions <- state$table[c("keep", "leave_out")]
  if (length(unlist(conditions)) == 0) {
    return(desk$facts)
  }
  key <- state_text(conditions)
  if (is.null(desk$counted[[key]])) {
    counted <- stats::setNames(list(restrict_for_table(desk$facts, conditions)), key)
    desk$counted <- c(utils::tail(desk$counted, 1), counted)
  }
  desk$counted[[key]]
}

# table, what it said while it was made, and the facts that it was asked of.
desk_answer <- function(desk, state) {
  notes <- character()
  noted <- function(cnd) notes <<- c(notes, rlang::cnd_message(cnd))
  table <- withCallingHandlers(
    {
      facts <- counted_facts(desk, state)
      check_rows(facts, state$table)
      check_across(facts, state$table)
      brief_table(facts, state$table[setdiff(names(state$table), c("keep", "leave_out"))], NULL)
    },
    hinterfeld_message = function(cnd) {
      noted(cnd)
      rlang::cnd_muffle(cnd)
    },
    warning = function(cnd) {
      noted(cnd)
      rlang::cnd_muffle(cnd)
    }
  )
  new_desk_answer(state, facts, table, unique(notes))
}

new_desk_answer <- function(state, facts, table, notes) {
  list2env(list(state = state, facts = facts, table = table, notes = notes, extra = list()), parent = emptyenv())
}

max_across <- 400L

# So many columns beside each other cannot be read, and take minutes.
check_across <- function(facts, table) {
  columns <- unlist(table$crosstab$columns)
  if (length(columns) == 0) {
    return(invisible())
  }
  every <- intersect(unlist(table$every), columns)
  across <- nrow(totals(facts, by = tidyselect::all_of(setdiff(columns, every)), every = if (length(every)) every,
                        measures = "lines"))
  if (across > max_across) {
    stop_because("argument",
                 sprintf("%s columns across cannot be read; at most %d are shown.", group_digits(across), max_across),
                 i = "Put something else across, or let fewer lines count.", call = NULL)
  }
}

# What is made of the answer's table when a reader points at it, once.
extra_of <- function(answer, name, make) {
  if (is.null(answer$extra[[name]])) {
    answer$extra[[name]] <- list(tryCatch(suppressWarnings(quietly(make(answer$table))),
                                          hinterfeld_error = function(cnd) NULL))
  }
  answer$extra[[name]][[1]]
}

# Rows that are highlighted.
marked_rows <- function(answer) {
  mark <- answer$state$mark
  t <- answer$table
  about <- answer_of(t)
  if (is.null(mark) || is.null(about)) {
    return(rep(FALSE, nrow(t)))
  }
  plain <- tibble::as_tibble(t)
  if (mark$rows == "text") {
    return(rows_with_text(t, mark$text %||% ""))
  }
  if (mark$rows == "best") {
    totals <- total_rows(t)
    values <- plain[[utils::tail(intersect(c(names(about$measures)[1], names(about$cells)), names(plain)), 1)]]
    return(!totals & rank(-replace(values, totals, NA), ties.method = "min", na.last = "keep") %in%
             seq_len(mark$n %||% 3L))
  }
  change <- added_columns(about, "change", "change")
  if (length(change) == 0) {
    return(rep(FALSE, nrow(t)))
  }
  (if (mark$rows == "up") plain[[change[1]]] > 0 else plain[[change[1]]] < 0) %in% TRUE
}

rows_with_text <- function(t, text) {
  if (!nzchar(text)) {
    return(rep(FALSE, nrow(t)))
  }
  facts <- column_forms(t)
  keys <- row_keys(t)
  Reduce(`|`, lapply(keys, function(name) {
    grepl(tolower(text), tolower(shown_text(t[[name]], facts[[name]], calendar_of(t))), fixed = TRUE)
  }), rep(FALSE, nrow(t)))
}

# One reader's table must not keep the others waiting: how many rows it would have is found before it is made.
check_rows <- function(facts, table) {
  by <- unlist(table$by)
  every <- unlist(table$every)
  most <- getOption("hinterfeld.desk_rows", 500000)
  if (prod(key_sizes(facts_keys(facts, by, every))) <= most) {
    return(invisible())
  }
  count <- function(by, every) nrow(totals(facts, by = tidyselect::all_of(by), every = every, measures = "lines"))
  rows <- if (isTRUE(table$fill)) count(as.character(by), NULL) * count(character(), every) else
    count(as.character(by), every)
  if (rows > most) {
    stop_because("argument", sprintf("This would be a table of %s rows; at most %s can be looked at here.",
                                     group_digits(rows), group_digits(most)),
                 i = "Take a longer period or fewer columns, or let fewer lines count.", call = NULL)
  }
}
