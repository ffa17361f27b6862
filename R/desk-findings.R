# What stands out, beside the first view: each sentence opens the inquiry that shows it.

# At most five, each with the state of its inquiry; none for facts of which a finding cannot be told.
desk_findings <- function(facts) {
  found <- tryCatch(quietly(findings(facts, n = 5)), hinterfeld_error = function(cnd) NULL)
  if (is.null(found)) {
    return(list())
  }
  shown <- Map(function(sentence, q) {
    state <- brief_states(list(content = list(tables = list(found = brief_table_entry(q)))), facts)$found
    if (!is.null(state)) list(sentence = sentence, state = state)
  }, found$finding, listing_of(found)$details$inquiries)
  unname(Filter(Negate(is.null), shown))
}

findings_tags <- function(found) {
  tags <- htmltools::tags
  one <- function(finding) {
    tags$button(type = "button", class = "finding", `data-act` = "of-link", `data-link` = state_link(finding$state),
                printable(held_together(finding$sentence)))
  }
  if (length(found)) {
    list(tags$p(tags$strong("What stands out"), " ", one(found[[1]])), if (length(found) > 1) {
      tags$details(tags$summary(sprintf("%d more", length(found) - 1)),
                   tags$ul(class = "acts", lapply(found[-1], function(finding) tags$li(one(finding)))))
    })
  }
}

# Beside the first view only, and after a moment: whoever goes on at once does not wait for them. They are looked for
# once for all readers, by a copy of the process where there can be one.
offer_findings <- function(me, version) {
  if (identical(me$state, desk_start(me$desk))) {
    later_for(me, version, function() show_findings(me, version), if (is.null(me$desk$shared$found)) 1 else 0)
  }
}

show_findings <- function(me, version) {
  show <- function(found) {
    me$desk$shared$found <- found
    put(me, findings = findings_tags(found))
  }
  look <- function() desk_findings(me$desk$facts)
  found <- me$desk$shared$found
  if (is.null(found) && can_fork()) {
    in_copy_of_desk(me, version, "findings", look, function(done) show(value_of_copy(done)))
  } else {
    show(found %||% look())
  }
}
