changed <- function(state, part, ...) changed_state(state, part, list(...), a_desk()$facts)

test_that("a choice changes its part, and what does not go with it any more is taken out", {
  state <- desk_state(by = list("product"), measures = list("revenue"))
  state <- changed(state, "within", within = list("region"))
  expect_identical(unlist(state$table$by), c("region", "product"))
  state <- changed(state, "rank", rank = "best_sellers", n = 3, ties = "standard")
  expect_identical(state$table$pick, list(best_sellers = list(n = 3L, within = list("region"))))
  state <- changed(state, "every", every = "year")
  state <- changed(state, "versus", versus = "year_before", period = "2025")
  expect_identical(vapply(state$table$add, names, ""), c("change", "in_period"))
  state <- changed(state, "every", every = "weekday")
  expect_null(state$table$add)
  state <- changed(state, "within")
  expect_identical(state$table$pick, list(best_sellers = list(n = 3L)))
  state <- changed(state, "grid", columns = list("weekday"))
  expect_null(state$table$pick)
  expect_identical(state$table$crosstab[c("rows", "columns")], list(rows = list("product"), columns = list("weekday")))
  state <- changed(state, "swap")
  expect_identical(unlist(state$table$crosstab$columns), "product")
  state <- changed(state, "by", by = list())
  expect_null(state$table$crosstab)
})

test_that("another measure is what ranks, shares and changes are about; shares of counts of orders are taken out", {
  state <- desk_state(by = list("region"), every = list("year"), measures = list("revenue"),
                      add = list(list(change = NULL), list(share = NULL), list(rank = NULL)))
  units <- changed(state, "measure", column = "units", how = "total")
  expect_identical(unlist(lapply(units$table$add, function(step) step[[1]]$of)), rep("units", 3))
  orders <- changed(state, "measure", column = "distinct order", how = "total")
  expect_identical(vapply(orders$table$add, names, ""), c("change", "rank"))
  price <- changed(state, "measure", column = "revenue", how = "ratio units", beside = list("orders"))
  expect_identical(names(desk_answer(a_desk(), price)$table)[3:4], c("revenue_per_units", "orders"))
})

test_that("random choices give what R gives when it is asked by the code that the desk shows", {
  withr::local_seed(20)
  desk <- a_desk()
  columns <- c("product", "region", "town", "category", "channel")
  state <- first_state(desk$facts)
  asked <- 0
  for (i in seq_len(rounds(12, 100))) {
    if (i %% 12 == 0) state <- first_state(desk$facts)
    choice <- random_choice(state, columns)
    to <- changed_state(state, choice$part, choice$given, desk$facts)
    expect_identical(state_of_link(state_link(to), desk$facts), to)
    answer <- tryCatch(desk_answer(desk, to), hinterfeld_error_no_lines = function(cnd) NULL)
    if (is.null(answer)) next
    code <- state_code(answer)
    place <- rlang::env(book = desk$facts)
    quiet(suppressWarnings(eval(parse(text = code), place)))
    expect_identical(as.data.frame(place$t), as.data.frame(answer$table), info = paste(code, collapse = "; "))
    state <- to
    asked <- asked + 1
  }
  expect_gt(asked, rounds(12, 100) / 2)
})

test_that("random choices on a tally of days give what the daybook gives, or say what the tally does not hold", {
  withr::local_seed(21)
  columns <- c("product", "region", "town", "category")
  tally <- tally_of(demo_daybook(), by = tidyselect::all_of(columns), measures = list("revenue", "units"))
  desk <- new_desk(tally)
  state <- first_state(tally)
  asked <- 0
  for (i in seq_len(rounds(12, 100))) {
    if (i %% 12 == 0) state <- first_state(tally)
    choice <- random_choice(state, columns)
    to <- tryCatch(changed_state(state, choice$part, choice$given, tally),
                   hinterfeld_error_link = function(cnd) NULL, hinterfeld_error_facts = function(cnd) NULL)
    if (is.null(to)) next
    expect_identical(state_of_link(state_link(to), tally), to)
    answer <- tryCatch(desk_answer(desk, to), hinterfeld_error_no_lines = function(cnd) NULL,
                       hinterfeld_error_facts = function(cnd) NULL)
    if (is.null(answer)) next
    whole <- desk_answer(a_desk(), to)
    expect_identical(as.data.frame(answer$table), as.data.frame(whole$table), info = state_link(to))
    state <- to
    asked <- asked + 1
  }
  expect_gt(asked, rounds(12, 100) / 2)
})

test_that("targets stay as long as they fit, and go with what is compared", {
  state <- brief_states(read_brief(demo_brief()), a_desk()$facts)$targets_by_region
  steps <- function(state) vapply(state$table$add, names, "")
  words <- vapply(sentence_clauses(state, a_desk()), function(clause) paste0(clause$before, clause$words), "")
  expect_match(paste(words, collapse = ""), "against its target")
  expect_true("target" %in% steps(valid_state(state, a_desk()$facts)))
  for (part in list(list(by = list("product")), list(every = list("month")), list(measures = list("units")))) {
    other <- state
    other$table[names(part)] <- part
    expect_false("target" %in% steps(valid_state(other, a_desk()$facts)))
  }
  pieces <- changed_state(state, "measure", list(column = "units", how = "total"), a_desk()$facts)
  expect_false("target" %in% steps(pieces))
  none <- changed_state(state, "versus", list(versus = "none"), a_desk()$facts)
  expect_false("target" %in% steps(none))
})

test_that("a change has its causes, or is per open day, where that has a meaning", {
  steps <- function(state) vapply(state$table$add, names, "")
  said <- function(state) {
    words <- vapply(sentence_clauses(state, a_desk()), function(clause) paste0(clause$before, clause$words), "")
    grep("against", words, value = TRUE)
  }
  state <- desk_state(by = list("region"), every = list("year"), measures = list("revenue"))
  split <- changed(state, "versus", versus = "year_before", period = "2026", causes = TRUE)
  expect_identical(steps(split), c("change", "causes", "in_period"))
  expect_identical(said(split), ", against the year before, with its causes, in 2026")
  answer <- desk_answer(a_desk(), split)
  expect_identical(possible_figures(answer)[1], "causes")
  open <- changed(split, "versus", versus = "year_before", causes = TRUE, open = TRUE)
  expect_identical(steps(open), "change")
  expect_identical(said(open), ", against the year before, per open day")
  expect_identical(steps(changed(split, "measure", column = "lines", how = "total")), c("change", "in_period"))
  best <- changed(open, "measure", column = "revenue", how = "largest day")
  expect_null(step_given(best, "change")$per_open_day)
  expect_identical(steps(changed(split, "versus", versus = "none")), character())
  goods <- tally_of(demo_daybook(), by = region, measures = "revenue")
  expect_identical(lacks_causes(state, goods), "these data do not say how many pieces were sold")
  sales <- data.frame(day = as.Date("2025-01-01") + 0:500, product = "a", revenue = 1)
  open <- new_desk(daybook(sales, day, revenue, product))
  state$table$by <- NULL
  expect_match(html_text(choice_form("versus", state, a_desk())), "per open day")
  expect_no_match(html_text(choice_form("versus", state, open)), "per open day")
})

test_that("two periods of the reader's choice are compared in a table without others", {
  state <- desk_state(by = list("region"), every = list("month"), measures = list("revenue"))
  two <- changed(state, "versus", versus = "periods", now = " 2026-05", then = "May 2025 ")
  expect_null(two$table$every)
  expect_identical(as.data.frame(desk_answer(a_desk(), two)$table),
                   as.data.frame(add_change(totals(demo_daybook(), by = region), periods = c("2026-05", "May 2025"))))
  words <- vapply(sentence_clauses(two, a_desk()), function(clause) paste0(clause$before, clause$words), "")
  expect_match(paste(words, collapse = ""), "by region, in 2026-05, against May 2025", fixed = TRUE)
  expect_identical(state_of_link(state_link(two), a_desk()$facts), two)
  expect_null(changed(two, "every", every = "year")$table$add)
  expect_error(changed(state, "versus", versus = "periods", now = "moon", then = "2025"), "\"moon\" is not a period",
               class = "hinterfeld_error_period")
  expect_error(changed(state, "versus", versus = "periods", now = "2025", then = "2025"), "with itself")
  # Offered are the last whole month and the same of the year before, or those chosen.
  html <- html_text(choice_form("versus", state, a_desk()))
  expect_match(html, "name=\"now\" value=\"2026-08\"")
  expect_match(html, "name=\"then\" value=\"2025-08\"")
  expect_match(html_text(choice_form("versus", two, a_desk())), "value=\"periods\" checked")
})

test_that("one column is shown in several ways, and a cell holds several numbers", {
  state <- desk_state(by = list("region"), measures = list("revenue"))
  both <- changed(state, "measure", column = "revenue", how = "total", ways = list("median", "total"),
                  beside = list("units"))
  expect_identical(names(desk_answer(a_desk(), both)$table), c("region", "revenue", "revenue_median", "units"))
  expect_match(html_text(choice_form("measure", both, a_desk())), "value=\"median\" checked", fixed = TRUE)
  # The form still has what was ticked for another column.
  lines <- changed(both, "measure", column = "lines", how = "total", ways = list("median"), beside = list("units"))
  expect_identical(names(desk_answer(a_desk(), lines)$table), c("region", "lines", "units"))
  grid <- changed(desk_state(by = list("region", "category"), measures = list("revenue"),
                             add = list(list(share = NULL))), "grid", columns = list("region"),
                  cells = list("revenue", "revenue_share"))
  shown <- desk_answer(a_desk(), grid)$table
  expect_length(shown, 1 + 2 * 5)
  t <- crosstab(add_share(totals(a_desk()$facts, by = c(region, category))), category, region,
                of = c("revenue", "revenue_share"))
  expect_identical(as.data.frame(shown), as.data.frame(t))
})

test_that("a file is called after its inquiry, and the demo's brief is not written to", {
  me <- list(desk = a_desk(), answer = list(state = desk_state(by = list("region"), measures = list("revenue"))))
  expect_identical(file_name_of(me, "csv"), "Revenue of completed sales by region.csv")
  expect_identical(file_name_of(me, "lines"), "lines.csv")
  expect_false(is_own_brief(read_brief(demo_brief())))
})
