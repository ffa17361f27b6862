# What one reader's page is sent: parts of it, problems, and what comes a moment later.

put <- function(me, ...) {
  me$session$sendCustomMessage("desk-put", lapply(list(...), page_html))
}

page_html <- function(tags) {
  if (is.character(tags)) tags else as.character(html_of(htmltools::tagList(tags)))
}

# Whatever runs for a reader, at once or later, runs in here: an error is told in the page, the last answer stays, and
# the desk goes on for everybody.
tell_problem <- function(me, code) {
  tryCatch({
    force(code)
    # What is wrong with a link is told until the reader acts, and what is wrong with the inquiry as long as it stands.
    put(me, problem = me$notice %||% me$failed %||% "")
    TRUE
  }, error = function(cnd) {
    me$notice <- escape(reader_words(cnd))
    put(me, problem = me$notice)
    FALSE
  })
}

# R's own words say nothing to a reader of the page; who runs the desk sees them.
reader_words <- function(cnd) {
  if (inherits(cnd, "hinterfeld_error_no_lines") && length(cnd$holds)) {
    return(paste(c("These conditions leave no line.", capital(gsub("`", "", cnd$holds))), collapse = "\n"))
  }
  if (inherits(cnd, "hinterfeld_error")) {
    return(problem_with_causes(cnd))
  }
  say("desk_failed", "The desk could not do what was asked.", x = problem_with_causes(cnd))
  "This could not be done. Choose something else, or go back."
}

# Waiting choices are handled first, so that only the last one is computed.
later_for <- function(me, version, act, seconds = 0.02) {
  later::later(function() {
    if (me$session$isClosed() || !identical(me$version, version)) {
      return(invisible())
    }
    tell_problem(me, shiny::withReactiveDomain(me$session, act()))
  }, seconds)
}
