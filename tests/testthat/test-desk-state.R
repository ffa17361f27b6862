state_of <- function(text) {
  state_of_link(paste0("?inquiry=", utils::URLencode(text, reserved = TRUE)), a_desk()$facts)
}

test_that("a link tells the state that it was made of", {
  state <- new_state(list(by = list("region", "product"), measures = list("revenue"),
                                       add = list(list(share = NULL)), keep = list("town != \"\u00dcb & co\"")),
                                  within = "region", figure = "share", mark = list(rows = "text", text = "<b>"))
  expect_identical(state_of_link(state_link(state), a_desk()$facts), state)
})

test_that("a forged link is refused by its words, and never becomes code, a path or markup", {
  expect_snapshot(error = TRUE, {
    state_of("{\"table\":{\"by\":[\"nothing\"],\"measures\":[\"revenue\"]}}")
    state_of("{\"table\":{\"measures\":[\"revenue\"],\"keep\":[\"system('id')\"]}}")
    state_of("{\"table\":{\"unsold\":{\"catalogue\":\"/etc/passwd\"}}}")
    state_of("{\"table\":{\"measures\":[\"revenue\"]},\"figure\":\"../../x\"}")
    state_of("{\"table\":{\"measures\":[\"revenue\"]},\"within\":[\"region\"]}")
    state_of("{\"table\":{\"measures\":[{\"revenue\":{\"sum_of\":\"units\"}}]}}")
    state_of("{\"table\":{\"measures\":[{\"revenue\":{\"sum_of\":\"revenue\",\"where\":\"units > 3\"}}]}}")
    state_of("{\"table\":")
    state_of("[1]")
    state_of_link("?inquiry=%ff%fe", a_desk()$facts)
    state_of_link(paste0("?inquiry=", strrep("a", 30000)), a_desk()$facts)
    state_of_link("", a_desk()$facts)
  })
})

test_that("random damage to links is refused with a classed error or gives a sound state", {
  state <- desk_state(by = list("region"), every = list("month"), measures = list("revenue"),
                      add = list(list(change = NULL)))
  link <- strsplit(state_link(state), "")[[1]]
  withr::local_seed(7)
  ends <- vapply(seq_len(rounds(30, 300)), function(i) {
    damaged <- link
    at <- sample(length(link), 3)
    damaged[at] <- sample(c(letters, "%", "\"", "{", "[", "0"), 3, TRUE)
    tryCatch({
      found <- state_of_link(paste(damaged, collapse = ""), a_desk()$facts)
      check_state(found, a_desk()$facts)
      "sound"
    }, hinterfeld_error = function(cnd) "refused")
  }, "")
  expect_setequal(unique(ends), intersect(c("sound", "refused"), ends))
  expect_gt(mean(ends == "refused"), 1 / 3)
})

test_that("a link cannot name a file", {
  state <- desk_state(by = list("region"), every = list("year"), measures = list("revenue"))
  for (file in list("/etc/passwd", list(file = "targets.csv"))) {
    state$table$add <- list(list(target = list(targets = file)))
    expect_error(check_state(state, a_desk()$facts), "it names a file", class = "hinterfeld_error_link")
  }
})

test_that("a brief's tables are states, those with files of their own are not", {
  brief <- read_brief(demo_brief())
  states <- brief_states(brief, a_desk()$facts)
  expect_gt(length(states), 3)
  expect_false("unsold" %in% unlist(lapply(states, function(state) names(state$table))))
  # A chosen period is a step, and targets are few enough to be part of a link.
  expect_identical(states$targets_by_region$table$add[[2]], list(in_period = list(period = "latest")))
  expect_identical(unlist(states$targets_by_region$table$add[[1]]$target$targets$target)[1], 310000L)
  for (state in states) expect_s3_class(quiet(desk_answer(a_desk(), state))$table, "tbl_df")
})
