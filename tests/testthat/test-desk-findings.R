test_that("each finding opens the inquiry that shows it, for the first view only", {
  found <- desk_findings(a_desk()$facts)
  expect_identical(vapply(found, function(one) one$sentence, ""), findings(a_desk()$facts, n = 5)$finding)
  for (one in found) {
    expect_identical(state_of_link(state_link(one$state), a_desk()$facts), one$state)
    expect_gt(nrow(desk_answer(a_desk(), one$state)$table), 0)
  }
  html <- html_text(findings_tags(found))
  expect_match(html, "What stands out", fixed = TRUE)
  expect_match(html, "4 more", fixed = TRUE)
  expect_identical(html_text(findings_tags(list())), "")
  # Facts of which nothing stands out, or that do not hold what is looked at.
  flat <- daybook(data.frame(day = as.Date("2026-01-01") + 0:3, product = "a", revenue = 1), day, revenue, product)
  expect_identical(desk_findings(flat), list())
  expect_type(desk_findings(tally_of(flat, every = "year")), "list")

  put <- list()
  reader <- list2env(list(desk = a_desk(), state = first_state(a_desk()$facts), session = list(
    sendCustomMessage = function(type, parts) put <<- c(put, parts)
  )))
  show_findings(reader)
  expect_match(as.character(put$findings), "data-link=\"?inquiry=", fixed = TRUE)
  put <- list()
  reader$state <- desk_state(by = list("region"), measures = list("revenue"))
  show_findings(reader)
  expect_length(put, 0)
})
