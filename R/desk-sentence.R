# The sentence: the inquiry in words, each part a button that opens its choices.

# The parts that stand in the sentence, in its order: text before, the words of the part; `off` for one that is not
# asked for, which stands at the end.
sentence_clauses <- function(state, desk) {
  table <- state$table
  clauses <- list()
  add <- function(clause, words, before = "", off = FALSE, after = "") {
    clauses[[length(clauses) + 1]] <<- list(clause = clause, words = words, before = before, off = off, after = after)
  }
  add("measure", capital(measures_in_words(table$measures)))
  add("counts", counted_words(state, desk), " of ")
  inner <- setdiff(unlist(table$by), unlist(state$within))
  every <- unlist(table$every)
  if (length(inner)) add("by", named_words(inner), " by ") else if (length(every) == 0) add("by", "in all", " ")
  if (length(state$within)) add("within", named_words(unlist(state$within)), " within ")
  if (length(every)) add("every", and_list(vapply(every, function(grain) grain_kinds[[grain]]$name, "")), ", per ")
  change <- step_given(state, "change")
  period <- step_given(state, "in_period")$period
  shown_period <- if (identical(period, "latest")) "the latest period" else period
  if (!is.null(change)) {
    against <- if (!is.null(change$periods)) names(change$periods)[2] else if (
      identical(change$versus, "period_before")) "the period before" else "the year before"
    if (!is.null(change$periods)) add("versus", names(change$periods)[1], ", in ")
    add("versus", paste0(against,
                         if (isTRUE(change$per_open_day)) ", per open day",
                         if (!is.null(step_given(state, "causes"))) ", with its causes",
                         if (!is.null(period)) sprintf(", in %s", shown_period)),
        ", against ")
  } else if (!is.null(period)) {
    add("versus", paste(shown_period, "only"), ", ")
  }
  if (!is.null(step_given(state, "target"))) add("versus", "its target", if (is.null(change)) ", against " else " and ")
  rank <- said_rank(state)
  if (!is.null(rank)) add("rank", rank, ", ")
  share <- said_share(state)
  if (!is.null(share)) add("share", share, ", as share of ")
  running <- said_running(state)
  if (!is.null(running)) add("running", running, ", ")
  if (!is.null(step_given(state, "pareto"))) add("pareto", "Pareto classes", ", in ")
  if (!is.null(table$crosstab)) {
    add("grid", paste(named_words(unlist(table$crosstab$columns)), "across"), ", with ")
  }
  extra <- c(if (isTRUE(table$subtotals)) "subtotals", if (isTRUE(table$fill)) "empty periods as 0")
  if (length(extra)) add("rows", and_list(extra), ", with ")
  shown <- vapply(clauses, function(clause) clause$clause, "")
  c(clauses, lapply(setdiff(names(off_words), shown), function(clause) {
    list(clause = clause, words = off_words[[clause]], before = "", off = TRUE)
  }))
}

off_words <- c(by = "split by", within = "within", every = "per period", versus = "against", rank = "ranked",
               share = "as share of", running = "running", pareto = "Pareto", grid = "across", rows = "with subtotals")

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
  list(
    tags$p(class = "sentence", lapply(clauses[!off], function(one) list(one$before, button(one))), ".",
           .noWS = "inside"),
    if (any(off)) tags$p(class = "more-parts", tags$span(class = "quiet", "Also: "), lapply(clauses[off], button))
  )
}

named_words <- function(names) {
  and_list(name_words(names))
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

said_rank <- function(state) {
  pick <- state$table$pick
  best <- state$table$crosstab$best
  rank <- step_given(state, "rank")
  scope <- function(given) {
    within <- unlist(given$within)
    if (length(within)) paste(" of each", named_words(vapply(within, column_or_grain, ""))) else ""
  }
  if (!is.null(best)) {
    sprintf("the best %d rows", best$n)
  } else if (!is.null(pick) && names(pick) %in% pick_kinds) {
    sprintf("the %s %d%s", if (names(pick) == "best_sellers") "best" else "slowest", pick[[1]]$n %||% 5L,
            scope(pick[[1]]))
  } else if (!is.null(pick)) {
    "the best of each"
  } else if (!is.null(rank)) {
    if (length(rank$within)) {
      paste0("ranked in each ", named_words(vapply(unlist(rank$within), column_or_grain, "")))
    } else {
      "ranked over all"
    }
  }
}

column_or_grain <- function(name) {
  if (name %in% names(grain_kinds)) grain_kinds[[name]]$name else name
}

said_share <- function(state) {
  given <- step_given(state, "share")
  if (is.null(given)) {
    return(NULL)
  }
  within <- unlist(given$within)
  if (length(within) == 0) "everything" else paste("its", named_words(vapply(within, column_or_grain, "")))
}

said_running <- function(state) {
  running <- step_given(state, "running_total")
  moving <- step_given(state, "moving")
  c(
    if (!is.null(running)) {
      paste0("running", if (!is.null(running$restart)) sprintf(" from each %s's start", running$restart))
    },
    if (!is.null(moving)) sprintf("moving %s of %d", moving$what %||% "sum", moving$last %||% 12L)
  )[1]
}
