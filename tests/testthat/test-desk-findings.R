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
  session <- list(isClosed = function() FALSE, sendCustomMessage = function(type, parts) put <<- c(put, parts))
  reader <- new_reader(a_desk(), session)
  offered <- function(state) {
    put <<- list()
    reader$state <- state
    offer_findings(reader, reader$version)
    # Pages of other tests may have left something to do, too.
    until <- Sys.time() + 20
    while (is.null(put$findings) && !later::loop_empty() && Sys.time() < until) later::run_now(1)
    put$findings
  }
  expect_match(as.character(offered(first_state(a_desk()$facts))), "data-link=\"?inquiry=", fixed = TRUE)
  expect_null(offered(desk_state(by = list("region"), measures = list("revenue"))))
})
