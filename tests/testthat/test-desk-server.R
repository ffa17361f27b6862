if (thorough()) test_that("every choice of a running figure and of what is highlighted can be made, also across", {
  reader <- a_reader(draws = TRUE)
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

test_that("an answer that takes long is made by a copy, which another choice ends", {
  withr::local_options(hinterfeld.desk_copy = 0)
  reader <- a_reader()
  expect_identical(unique(quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))), "")
  answer <- reader$me$answer
  here <- desk_answer(a_desk(), answer$state)
  expect_identical(as.data.frame(answer$table), as.data.frame(here$table))
  expect_identical(lines_behind(answer$table, 1), lines_behind(here$table, 1))
  expect_identical(in_words(answer$table), in_words(here$table))
  said <- quiet(reader$act(act = "days", from = "2031-01-01", until = "2031-02-01"))
  expect_match(said, "leave no line", all = FALSE)
  # Two choices after another: the copy that works on the first is ended.
  choose <- function(column) {
    quiet(desk_act(reader$me, list(act = "choose", part = "by", given = list(by = list(column)))))
    while (is.null(reader$me$job$copy)) later::run_now(0.05)
    reader$me$job$copy$pid
  }
  quiet(reader$act(act = "link", link = ""))
  first <- choose("product")
  expect_false(identical(choose("category"), first))
  goes_on <- function(pid) any(grepl("^State:\\s+[RSD]", tryCatch(readLines(file.path("/proc", pid, "status")),
                                                                 error = function(cnd) "", warning = function(cnd) "")))
  until <- Sys.time() + 10
  while (goes_on(first) && Sys.time() < until) Sys.sleep(0.05)
  expect_false(goes_on(first))
  while (!later::loop_empty()) quiet(later::run_now(0.1))
  expect_identical(unlist(reader$me$answer$state$table$by), "category")
})

test_that("a second choice on a column takes the place of the first, or is added to it", {
  reader <- a_reader()
  kept <- function() unlist(reader$me$state$table$keep)
  place <- function(label) {
    Find(function(value) value$label == label, value_choices(a_desk()$facts, "region"))$place
  }
  quiet(reader$act(act = "only", column = "region", values = list(place("Vale"))))
  expect_identical(kept(), "region %in% \"Vale\"")
  quiet(reader$act(act = "values", column = "region"))
  puts <- Filter(function(one) one[[1]] == "desk-put", reader$session$sent)
  shown <- unlist(lapply(puts, function(one) one[[2]]$values))
  expect_match(shown, "checked[^>]*>\\s*<span>Vale<")
  expect_match(shown, "These as well", fixed = TRUE)
  quiet(reader$act(act = "also", column = "region", values = list(place("Highfen"))))
  expect_identical(sum(reader$me$answer$table$revenue), sum(desk_answer(a_desk(), new_state(replace(
    first_state(a_desk()$facts)$table, "keep", list("region %in% c(\"Vale\", \"Highfen\")"))))$table$revenue))
  quiet(reader$act(act = "only", column = "region", values = list(place("Saltcoast"))))
  expect_identical(kept(), "region %in% \"Saltcoast\"")
  quiet(reader$act(act = "days", from = "2026-01-01", until = "2026-05-31"))
  quiet(reader$act(act = "days", from = "2026-02-01"))
  expect_setequal(kept(), c("region %in% \"Saltcoast\"", "day <= as.Date(\"2026-05-31\")",
                            "day >= as.Date(\"2026-02-01\")"))
})

test_that("lines can be chosen by a number, however it is written", {
  numbers <- vapply(c("1 500.50", "1500,5", "1,500.50", "1\u202f500,50"), asked_number, 0)
  expect_identical(unname(numbers), rep(1500.5, 4))
  expect_identical(unname(vapply(c("1.500", "1,500", "-3", "0.5", "0.125", "2.7183"), asked_number, 0)),
                   c(1500, 1500, -3, 0.5, 0.125, 2.7183))
  reader <- a_reader()
  quiet(reader$act(act = "numbers", number = "revenue", operator = ">=", value = "1 500.50"))
  expect_identical(unlist(reader$me$state$table$keep), "revenue >= 1500.5")
  expect_match(html_text(sentence_tags(reader$me$state, a_desk())), "only lines with revenue at least 1 500.5",
               fixed = TRUE)
  expect_match(reader$act(act = "numbers", number = "revenue", operator = ">", value = "much"), "is not a number",
               all = FALSE)
})

test_that("the first view has the headline numbers, and earlier inquiries are a list", {
  reader <- a_reader()
  quiet(reader$act(act = "choose", part = "by", given = list(by = list("region", "category"))))
  last <- function(id) {
    puts <- Filter(function(one) one[[1]] == "desk-put", reader$session$sent)
    utils::tail(unlist(lapply(puts, function(one) one[[2]][[id]])), 1)
  }
  expect_identical(last("headline"), "")
  expect_match(last("earlier"), "Back to the beginning", fixed = TRUE)
  quiet(reader$act(act = "first", column = "category"))
  expect_identical(unlist(reader$me$state$table$by), c("category", "region"))
  expect_match(last("earlier"), "by region and category", fixed = TRUE)
  for (n in 1:14) remember_state(reader$me, desk_state(by = list("region"), keep = list(sprintf("units > %d", n))))
  offered <- html_text(earlier_tags(reader$me))
  expect_length(gregexpr("<option value=\"?inquiry", offered, fixed = TRUE)[[1]], 11)
  expect_match(offered, "units above 14", fixed = TRUE)
  expect_no_match(offered, "units above 4 ", fixed = TRUE)
  quiet(reader$act(act = "link", link = ""))
  expect_match(last("headline"), "data-value", fixed = TRUE)
  year <- totals(a_desk()$facts, every = "year")$revenue
  expect_match(last("headline"), sprintf("data-value=\"%s\"", utils::tail(year, 1)), fixed = TRUE)
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

test_that("what is larger than a page can send is not looked at", {
  reader <- a_reader()
  before <- reader$me$version
  large <- list(
    list(act = "only", column = "region", values = vector("list", 1e5)),
    list(act = "only", column = "region", values = as.list(rep("1", 1e5))),
    list(act = "mark", rows = strrep("(", 1e5)), list(act = "mark", rows = "text", text = strrep("(", 1e5)),
    list(act = "choose", part = "by", given = list(by = as.list(rep("region", 1e5)))),
    list(act = "link", link = strrep("x", 1e5))
  )
  for (ask in large) {
    seconds <- system.time(quiet(do.call(reader$act, ask)))[["elapsed"]]
    expect_lt(seconds, 2)
    expect_identical(reader$me$version, before)
  }
  expect_identical(unique(quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))), "")
})

test_that("what several readers ask for is made once, and copies wait in line", {
  withr::local_options(hinterfeld.desk_copy = 0)
  desk <- new_desk(demo_daybook())
  started <- 0
  line <- utils::getFromNamespace("desk_line", "hinterfeld")
  ready <- function(given) {
    session <- new.env()
    session$isClosed <- function() FALSE
    session$sendCustomMessage <- function(kind, value) NULL
    me <- new_reader(desk, session)
    me$state <- first_state(desk$facts)
    desk_act(me, list(act = "choose", part = "by", given = list(by = as.list(given))))
    me
  }
  columns <- c("region", "category", "channel", "product")
  readers <- quiet(lapply(rep(columns, each = 3), ready))
  most <- 0
  while (!later::loop_empty() && !all(vapply(readers, function(me) identical(me$answered, me$version), NA))) {
    quiet(later::run_now(0.05))
    expect_lte(length(line$jobs), length(columns) + 1)
    most <- max(most, sum(vapply(line$jobs, function(job) !is.null(job$copy), NA)))
  }
  expect_lte(most, parallel::detectCores())
  for (i in seq_along(readers)) {
    expect_identical(unlist(readers[[i]]$answer$state$table$by), rep(columns, each = 3)[i])
  }
  while (!later::loop_empty()) quiet(later::run_now(0.1))
  expect_length(line$jobs, 0)
})

test_that("forged messages end nothing and show no word of R's own", {
  expect_identical(play_forged(3, rounds(15, 200)), character())
})
