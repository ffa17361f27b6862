form <- function(part, ...) html_text(choice_form(part, desk_state(...), a_desk()))

test_that("every part has its choices, with what is chosen now", {
  for (part in names(desk_parts)) {
    html <- form(part, by = list("region"), every = list("month"), measures = list("revenue"))
    expect_match(html, sprintf("<form data-part=\"%s\"", part))
  }
  expect_match(form("every", every = list("month"), measures = list("revenue")), "value=\"month\" checked")
  expect_match(form("by", by = list("region"), measures = list("revenue")), "value=\"region\" checked")
})

test_that("what makes no sense is not offered, and why is said", {
  expect_match(form("versus", by = list("region"), measures = list("revenue")),
               "first choose a period that includes the year", fixed = TRUE)
  expect_match(form("share", by = list("region"), measures = list(list(orders = list(count_distinct = "order")))),
               "does not add up from row to row")
  expect_match(form("grid", by = list("region"), measures = list("revenue")), "needs two things to split by")
  tally <- new_desk(tally_of(demo_daybook(), by = c(region, product), every = "month"))
  state <- desk_state(by = list("region"), measures = list("revenue"))
  html <- html_text(choice_form("every", state, tally))
  expect_match(html, "value=\"day\" disabled")
  html <- html_text(choice_form("measure", desk_state(measures = list("revenue")), tally))
  expect_match(html, "these data do not hold it")
})

test_that("every choice that is offered can be made, from several states", {
  withr::local_seed(as.integer(Sys.time()))
  states <- list(
    desk_state(by = list("region"), measures = list("revenue")),
    desk_state(by = list("category", "region"), every = list("month"), measures = list("revenue", "units")),
    desk_state(by = list("category"), every = list("year"), measures = list("revenue"),
               crosstab = list(rows = list("category"), columns = list("year")))
  )
  # What was chosen of several is sent as a list, and a tick as yes.
  lists <- c("by", "within", "columns", "beside", "ways", "cells")
  parts <- setdiff(names(desk_parts), "counts")
  for (state in states[some_of(3, 1)]) for (part in parts[some_of(length(parts), 1)]) {
    html <- html_text(choice_form(part, state, a_desk()))
    expect_match(html, sprintf("data-part=\"%s\"", part))
    inputs <- regmatches(html, gregexpr("<input [^>]*>", html))[[1]]
    inputs <- inputs[grepl("type=\"(radio|checkbox)\"", inputs) & !grepl("disabled", inputs)]
    field <- function(name) sub(sprintf(".* %s=\"([^\"]*)\".*", name), "\\1", inputs)
    for (i in seq_along(inputs)) {
      name <- field("name")[i]
      value <- field("value")[i]
      value <- if (name %in% lists) list(value) else if (value == "true") TRUE else value
      reader <- a_reader()
      quiet(reader$act(act = "link", link = state_link(state)))
      said <- quiet(reader$act(act = "choose", part = part, given = stats::setNames(list(value), name)))
      expect_no_match(paste0("", said), "This could not be done", info = paste(part, name, format(value)))
    }
  }
})
