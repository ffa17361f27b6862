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
