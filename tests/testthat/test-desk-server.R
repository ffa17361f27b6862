# A reader without a page: what it would be sent, and that every act runs to its end, later ones too.
a_reader <- function() {
  session <- new.env()
  session$sent <- list()
  session$isClosed <- function() FALSE
  session$sendCustomMessage <- function(kind, value) session$sent <- c(session$sent, list(list(kind, value)))
  me <- new_reader(a_desk(), session)
  begin_with(me, "")
  act <- function(...) {
    session$sent <- list()
    desk_act(me, list(...))
    while (!later::loop_empty()) later::run_now(0.1)
    puts <- lapply(Filter(function(one) one[[1]] == "desk-put", session$sent), function(one) one[[2]])
    unlist(lapply(puts, function(put) put$problem))
  }
  list(me = me, session = session, act = act)
}

test_that("every choice of a running figure and of what is highlighted can be made, also across", {
  reader <- a_reader()
  for (given in list(list("by", list(by = list("region"))), list("every", list(every = "month")),
                     list("running", list(running = "running")), list("running", list(running = "moving")),
                     list("running", list(running = "running", restart = "year")),
                     list("running", list(running = "none")), list("grid", list(columns = list("region"))))) {
    said <- quiet(reader$act(act = "choose", part = given[[1]], given = given[[2]]))
    expect_identical(unique(said), "")
  }
  for (rows in c("best", "up", "down", "text")) expect_identical(unique(reader$act(act = "mark", rows = rows)), "")
  expect_error(check_state(new_state(list(), mark = list(rows = "best", n = -5)),
                                        a_desk()$facts), class = "hinterfeld_error")
})

test_that("a row is of the answer that it was seen in, whatever came since", {
  reader <- a_reader()
  quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))
  seen <- reader$me$answer
  version <- reader$me$answered
  said <- reader$act(act = "menu", row = 2, answer = version)
  expect_identical(unique(said), "")
  quiet(reader$act(act = "choose", part = "by", given = list(by = list("category"))))
  # The menu that is still open acts on the region, not on the category of that row.
  quiet(reader$act(act = "row-only"))
  expect_match(unlist(reader$me$state$table$keep), seen$table$region[2], all = FALSE)
  # A click on the table of before is refused, not taken for the row of now.
  expect_match(reader$act(act = "menu", row = 2, answer = version), "Another answer has come", all = FALSE)
  expect_match(reader$act(act = "point", row = 1), "Another answer has come", all = FALSE)
})

test_that("what fails leaves the answer before, dimmed and named", {
  reader <- a_reader()
  quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))
  kept <- reader$me$answer$table
  said <- quiet(reader$act(act = "days", from = "2031-01-01", until = "2031-02-01"))
  expect_match(said, "leave no line.*Day holds 2023-01-01 to 2026-09-17", all = FALSE)
  sent <- reader$session$sent
  former <- Filter(function(message) message[[1]] == "desk-former", sent)
  expect_identical(former[[1]][[2]], TRUE)
  notices <- unlist(lapply(Filter(function(message) message[[1]] == "desk-put", sent), function(put) put[[2]]$notice))
  expect_match(notices, "the answer before", all = FALSE)
  expect_identical(reader$me$answer$table, kept)
})

test_that("an error that runs later, or is R's own, is told in the page and ends nothing", {
  reader <- a_reader()
  send <- reader$session$sendCustomMessage
  reader$session$sendCustomMessage <- function(kind, value) {
    if ("table" %in% names(value)) stop("argument is of length zero")
    send(kind, value)
  }
  said <- reader$act(act = "choose", part = "by", given = list(by = list("region")))
  expect_match(said, "This could not be done", all = FALSE)
  expect_no_match(said, "length zero")
})

test_that("forged messages end nothing and show no word of R's own", {
  reader <- a_reader()
  withr::local_seed(3)
  odd <- list(NULL, NA, -1, 1e300, "", "\u202e<b>", strrep("x", 1e4), list(), list(1, "a"), c("a", "b"), TRUE,
              list(rows = list(1)), 2L, "region", "month", list("region"))
  fields <- c("part", "given", "row", "column", "rows", "text", "verb", "place", "from", "until", "values", "search",
              "page", "step", "name", "link", "push", "replace", "figure", "by", "every", "running", "share", "columns")
  for (i in seq_len(rounds(25, 200))) {
    acts <- setdiff(names(desk_acts), "add-to-brief")
    some <- sample(fields, 5)
    ask <- c(list(act = sample(c(acts, "none", ""), 1), part = sample(desk_clauses, 1)),
             stats::setNames(sample(odd, 5, TRUE), some))
    if (stats::runif(1) < 0.7) ask$given <- stats::setNames(sample(odd, 3, TRUE), sample(fields, 3))
    said <- suppressMessages(do.call(reader$act, ask))
    expect_no_match(paste0("", said), "length zero|object '|subscript|operator|closure|non-numeric")
  }
})
