# What was left out, and whether the table adds up: beside every answer.

aside_tags <- function(desk, answer) {
  tags <- htmltools::tags
  trail <- answer$facts$trail
  first <- max(trail$lines_after, na.rm = TRUE)
  gone <- trail[trail$lines_after < trail$lines_before, ]
  list(
    tags$p(tags$strong(printable(sprintf("%s of %s", group_digits(lines_and_revenue(answer$facts)[1]),
                                         count_of(first, "line")))),
           " counted; ", if (nrow(gone)) list(paste0("left out: ", amount_words(gone), ". "), tags$button(
             type = "button", `data-act` = "aside", "What was left out")) else "nothing was left out.",
           " ", tags$span(id = "adds-up", class = "quiet"))
  )
}

# "It adds up to the daybook: 3 367 098.86."
adds_up_words <- function(answer) {
  if (is.null(answer_of(answer$table))) {
    return("")
  }
  checks <- tryCatch(quietly(reconcile(answer$table)), hinterfeld_error = function(cnd) NULL)
  if (is.null(checks)) {
    return("Nothing in it adds up from row to row.")
  }
  first <- checks[1, ]
  decimals <- attr(checks, "decimals")[1]
  if (!all(checks$matches)) {
    return(sprintf("It does not add up: %s of %s.", fixed_number_text(first$table, decimals),
                   fixed_number_text(first$daybook, decimals)))
  }
  if (isTRUE(first$cut)) {
    sprintf("Only some rows are shown; they hold %s of %s.", fixed_number_text(first$table, decimals),
            fixed_number_text(first$daybook, decimals))
  } else {
    sprintf("It adds up to the lines that count: %s.", fixed_number_text(first$daybook, decimals))
  }
}

# Each step that took lines away, with a button for these lines.
left_out_tags <- function(desk, answer) {
  tags <- htmltools::tags
  trail <- answer$facts$trail
  gone <- which(trail$lines_after < trail$lines_before)
  list(tags$h2("What was left out"), tags$ul(class = "acts", lapply(gone, function(i) {
    why <- switch(trail$what[i], keep = sprintf("not \"%s\"", trail$why[i]), trail$why[i])
    what <- if (trail$what[i] %in% c("keep", "leave out")) "left out" else trail$what[i]
    tags$li(printable(sprintf("%s: %s: %s. ", capital(what), why, amount_words(trail[i, ]))),
            tags$button(type = "button", `data-act` = "left-out", `data-step` = i,
                        `aria-label` = printable(paste("The lines:", why)), "The lines"))
  })))
}

# The lines that a step of the trail took away.
left_out_lines <- function(desk, answer, step) {
  trail <- answer$facts$trail
  if (!inherits(desk$base, "hinterfeld_daybook")) {
    stop_because("facts", "A tally has no lines.", call = NULL)
  }
  if (trail$what[step] == "set aside") {
    apart <- set_aside(desk$base)
    return(apart[apart$reason %in% trail$why[step], ])
  }
  restrictions <- which(trail$what %in% c("keep", "leave out"))
  rules <- c(desk$rules, state_rules(answer$state))
  earlier <- length(restrictions) - length(rules)
  # "undecided" follows the restriction that left the lines undecided.
  place <- sum(restrictions <= step) - earlier
  if (place < 1) {
    stop_because("facts", "These lines were left out before the desk was opened.",
                 i = "Open the desk of the brief, or of the daybook before it was restricted.", call = NULL)
  }
  book <- desk$base
  for (rule in rules[seq_len(place - 1)]) book <- quietly(restrict_by(book, rule))
  rule <- rules[[place]]
  text <- rule$keep %||% rule$leave_out
  other <- if (!trail$what[step] %in% c("keep", "leave out")) list(keep = sprintf("is.na(%s)", text)) else if (
    is.null(rule$keep)) list(keep = text) else list(leave_out = text)
  left <- quietly(restrict_by(book, other))
  lines_of_rows(left, seq_len(left$lines))
}

state_rules <- function(state) {
  unlist(lapply(c("keep", "leave_out"), function(verb) {
    lapply(unlist(state$table[[verb]]), function(text) stats::setNames(list(text), verb))
  }), recursive = FALSE)
}
