answer_to <- function(..., within = NULL, desk = a_desk()) {
  quiet(desk_answer(desk, new_state(list(...), within)))
}

test_that("a row is told in words: its number, its share, its change", {
  answer <- answer_to(by = list("region", "category"), measures = list("revenue"), within = "region")
  t <- add_share(totals(demo_daybook(), by = c(region, category)), within = region)
  words <- row_words(answer, 1)
  expect_match(words, percent_text(t$revenue_share[1]), fixed = TRUE)
  expect_match(words, "of its region")
  answer <- answer_to(by = list("region"), every = list("year"), measures = list("revenue"))
  changes <- quiet(add_change(totals(demo_daybook(), by = region, every = "year")))
  row <- 6
  same <- changes$region == answer$table$region[row] & changes$year == answer$table$year[row]
  expect_match(row_words(answer, row), signed_percent(changes$revenue_change_pct[same]),
               fixed = TRUE)
})

test_that("a cell of a grid tells its share of row, column and all", {
  answer <- answer_to(by = list("region", "category"), measures = list("revenue"),
                      crosstab = list(rows = list("category"), columns = list("region")))
  t <- totals(demo_daybook(), by = c(region, category))
  x <- answer$table
  share <- x$Vale[1] / sum(t$revenue[t$category == x$category[1]])
  expect_match(row_words(answer, 1, "Vale"), sprintf("%s of its row", percent_text(share)),
               fixed = TRUE)
})

test_that("only a row, and without it, are the lines behind it and all the others", {
  desk <- a_desk()
  withr::local_seed(3)
  for (every in list(NULL, list("month"), list("weekday"), list("year", "month_of_year"), list("quarter_of_year"))) {
    answer <- answer_to(by = list("region", "town"), every = every, measures = list("revenue", "lines"))
    for (row in sample(nrow(answer$table), 4)) {
      conditions <- row_conditions(answer, row)
      only <- desk$facts
      for (text in conditions) only <- quiet(restrict_by(only, list(keep = text)))
      expect_identical(as.double(only$lines), as.double(answer$table$lines[row]))
      rest <- quiet(restrict_by(desk$facts, list(leave_out = paste(conditions, collapse = " & "))))
      expect_identical(rest$lines + only$lines, desk$facts$lines)
    }
  }
})

test_that("names keep their hyphens, numbers have a true minus sign", {
  lines <- data.frame(day = as.Date("2026-03-02"), product = "Front-loading kiln", revenue = -5)
  desk <- new_desk(daybook(lines, day, revenue, product))
  answer <- answer_to(by = list("product"), every = list("month"), measures = list("revenue"), desk = desk)
  expect_identical(row_words(answer, 1), "2026-03, Front-loading kiln: revenue \u22125.00")
})

test_that("a month or quarter of a calendar of its own is no condition", {
  told_in <- function(every, calendar) {
    lines <- data.frame(day = as.Date("2025-01-01") + 0:500, product = "a", revenue = 1)
    desk <- new_desk(daybook(lines, day, revenue, product, calendar = calendar))
    answer <- answer_to(every = list(every), measures = list("lines"), desk = desk)
    texts <- row_conditions(answer, 1)
    if (is.null(texts)) return(FALSE)
    only <- quiet(restrict_by(desk$facts, list(keep = texts)))
    expect_identical(as.double(only$lines), as.double(answer$table$lines[1]))
    TRUE
  }
  calendars <- list(plain = sales_calendar(), sunday = sales_calendar(week_starts = "sunday"),
                    april = sales_calendar("04-01"), inside = sales_calendar("04-06"),
                    weeks = sales_calendar(weeks = "445"))
  told <- vapply(calendars, function(calendar) {
    vapply(c("weekday", "month_of_year", "quarter_of_year"), told_in, NA, calendar = calendar)
  }, c(NA, NA, NA))
  expect_true(all(told["weekday", ]))
  expect_identical(names(which(told["month_of_year", ])), c("plain", "sunday", "april"))
  expect_identical(names(which(told["quarter_of_year", ])), c("plain", "sunday"))
})

test_that("a total has the conditions of what it is a total of", {
  answer <- answer_to(by = list("region", "category"), measures = list("revenue"), subtotals = TRUE)
  total <- which(answer$table$category == "Total")[1]
  expect_length(row_conditions(answer, total), 1)
  expect_length(row_conditions(answer, nrow(answer$table)), 0)
  expect_match(html_text(row_menu(answer, a_desk(), nrow(answer$table))), "this is the grand total")
})
