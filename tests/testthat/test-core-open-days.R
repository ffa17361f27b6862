# One line of 12.00 on every open day; Sundays and some holidays are closed.
holidays <- as.Date(c("2025-01-01", "2025-08-15", "2026-01-01", "2026-05-14", "2026-08-31"))
shop <- function(last = "2026-08-29", calendar = sales_calendar(closed = c("sunday", format(holidays))), ...) {
  days <- seq(as.Date("2025-01-02"), as.Date(last), by = 1)
  days <- days[format(days, "%u") != "7" & !days %in% holidays]
  daybook(data.frame(day = days, revenue = 12, product = "Sieve", units = 2L), day, revenue, product, units = units,
          calendar = calendar, ...)
}

test_that("closed days are dates and weekdays, and print", {
  calendar <- sales_calendar(closed = list("Sunday", as.Date("2026-12-25"), "2025-12-25", "sunday"))
  expect_identical(calendar$closed, c("sunday", "2025-12-25", "2026-12-25"))
  expect_identical(sales_calendar(closed = holidays)$closed, format(holidays))
  expect_identical(sales_calendar()$closed, character())
  expect_snapshot({
    calendar
    sales_calendar(closed = as.Date("2026-01-01") + 0:9)
    sales_calendar(closed = "sundy")
    sales_calendar(closed = as.Date(NA))
    sales_calendar(closed = c("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"))
  }, error = TRUE)
})

test_that("open days equal those counted one by one", {
  calendar <- sales_calendar(closed = c("sunday", "wednesday", format(holidays)))
  from <- as.Date("2024-12-20") + sample(0:400, 200, replace = TRUE)
  to <- from + sample(-3:90, 200, replace = TRUE)
  counted <- mapply(function(from, to) {
    days <- from - 1 + seq_len(max(0, to - from + 1))
    sum(!as.integer(format(as.Date(days, "1970-01-01"), "%u")) %in% c(3, 7) & !days %in% as.integer(holidays))
  }, as.integer(from), as.integer(to))
  expect_identical(open_days(calendar, from, to), as.integer(counted))
  expect_identical(open_days(calendar, as.Date(NA), to[1]), NA_integer_)
  expect_identical(open_days(sales_calendar(), from, to), pmax(0L, as.integer(to - from) + 1L))
})

test_that("a change per open day compares as many open days, and says how many", {
  t <- totals(shop(), every = "month", measures = list("revenue", "lines"))
  plain <- as.data.frame(add_change(t))
  x <- add_change(t, per_open_day = TRUE)
  may <- which(x$month == as.Date("2026-05-01"))
  # May 2026 has 25 open days, May 2025 27.
  expect_identical(c(plain$revenue_change[may], x$revenue_change[may], x$revenue_before[may]), c(-24, 0, 300))
  expect_identical(c(x$revenue_open_days[may], x$revenue_open_days_before[may]), c(25L, 27L))
  # The last open day of August 2026 is the 29th, so that month is whole.
  expect_identical(utils::tail(x$comparable, 1), "full")
  expect_true(all(x$revenue_direction[x$comparable == "full"] == "level"))
  expect_true(all(is.na(x$revenue_open_days_before[x$comparable == "none"])))
  lines <- add_change(t, of = "lines", per_open_day = TRUE)
  expect_identical(lines$lines_change[may], 0)
  named <- add_change(totals(shop()), periods = c("2026-05", "2025-05"), per_open_day = TRUE)
  expect_identical(c(named$revenue_before, named$revenue_open_days_before), c(300, 27))
  expect_snapshot({
    writeLines(in_words(x))
    writeLines(in_words(named))
    best <- totals(shop(), every = "month", measures = list(best = largest_of(revenue)))
    add_change(best, "best", per_open_day = TRUE)
    add_causes(x)
  }, error = TRUE)
  expect_match(as_code(inquiry_of(x)), "per_open_day = TRUE", all = FALSE)
  expect_identical(as.data.frame(ask(inquiry_of(x), shop())), as.data.frame(x))
})

test_that("a period without an open day is compared with none", {
  sales <- a_sale(day = as.Date(c("2026-01-01", "2026-01-31", "2026-02-28", "2026-03-31")), revenue = 1)
  closed <- seq(as.Date("2026-02-01"), as.Date("2026-02-28"), by = 1)
  x <- add_change(totals(daybook(sales, day, revenue, product, calendar = sales_calendar(closed = closed)),
                         every = "month"), versus = "period_before", per_open_day = TRUE)
  expect_identical(x$revenue_direction, rep("unknown", 3))
  expect_identical(x$revenue_open_days_before, rep(NA_integer_, 3))
})

test_that("earlier values are rounded once, half away from zero, however large", {
  sales <- data.frame(day = as.Date("2025-03-01") + c(0:30, 365 + 0:30), revenue = 0, product = "a")
  sales$revenue[c(1, 2)] <- c(20368744177663.99, -0.05)
  calendar <- sales_calendar(closed = c("2025-03-30", "2025-03-31", "2026-03-31"))
  book <- daybook(sales, day, revenue, product, calendar = calendar)
  x <- add_change(totals(book, every = "month"), per_open_day = TRUE)
  # 2036874417766394 cents of 29 open days times 30, in whole numbers of any size.
  expect_identical(sprintf("%.2f", x$revenue_before[x$month == as.Date("2026-03-01")]), "21071114666548.90")
})

test_that("like for like goes up to as many open days, and what is due of a target counts them", {
  t <- totals(shop("2026-08-15"), every = "month")
  x <- add_change(t)
  # 13 open days of August have passed; in 2025 the 13th was the 16th, as the 15th was closed.
  expect_identical(utils::tail(x$revenue_before, 1), 13 * 12)
  expect_match(in_words(x), "2026-08-01 to 2026-08-15 with 2025-08-01 to 2025-08-17", fixed = TRUE, all = FALSE)
  target <- add_target(t, data.frame(month = as.Date("2026-08-01"), target = 250))
  # 25 days of August 2026 are open.
  expect_identical(utils::tail(target$revenue_due, 1), 130)
  expect_match(in_words(target), "13 of 25 open days", fixed = TRUE, all = FALSE)
})

test_that("a year that begins on closed days is whole, and a month without an open day is not a gap", {
  closed <- format(as.Date("2025-01-01") + 0:13)
  sales <- data.frame(day = as.Date("2025-01-15") + 0:500, revenue = 1, product = "a")
  whole <- function(calendar, ...) {
    x <- add_change(totals(daybook(sales, day, revenue, product, calendar = calendar, ...), every = "year"))
    x$comparable[2]
  }
  expect_identical(whole(sales_calendar()), "none")
  expect_identical(whole(sales_calendar(closed = closed)), "to_date")
  expect_identical(whole(sales_calendar(closed = closed[-1])), "none")
  expect_identical(whole(sales_calendar(closed = closed), covers = c("2025-01-15", "2026-05-30")), "none")
  # A condition on the day rules closed days out, too.
  book <- daybook(sales, day, revenue, product, calendar = sales_calendar(closed = closed))
  book <- quiet(keep_lines(book, day >= as.Date("2025-01-10")))
  expect_identical(add_change(totals(book, every = "year"))$comparable[2], "none")
  shut <- format(seq(as.Date("2025-08-01"), as.Date("2025-08-31"), by = 1))
  gaps <- function(...) {
    book <- daybook(sales[format(sales$day, "%Y-%m") != "2025-08", ], day, revenue, product, ...)
    sum(findings(book)$kind == "gap")
  }
  expect_identical(c(gaps(), gaps(calendar = sales_calendar(closed = shut))), c(1L, 0L))
})

test_that("findings say what fewer open days explain", {
  days <- seq(as.Date("2025-01-01"), as.Date("2026-12-31"), by = 1)
  closed <- c("sunday", "2026-03-02", "2026-03-03", "2026-03-04")
  calendar <- sales_calendar(closed = closed)
  book <- daybook(data.frame(day = days[!is_closed(calendar, as.integer(days))], revenue = 10, product = "a"), day,
                  revenue, product, calendar = calendar)
  expect_match(findings(book)$finding[1], "It had 3 open days fewer, 310 instead of 313: \u221230.00 of the change.",
               fixed = TRUE)
})

test_that("a tally keeps closed days, and tallies of other closed days are not merged", {
  book <- shop()
  path <- withr::local_tempfile(fileext = ".tally")
  save_tally(tally_of(book, by = product), path)
  saved <- load_tally(path)
  asked <- function(facts) as.data.frame(add_change(totals(facts, every = "month"), per_open_day = TRUE))
  expect_identical(asked(saved), asked(book))
  expect_error(merge_tallies(saved, tally_of(shop(calendar = sales_calendar()), by = product)),
               "They differ in calendar")
})

test_that("a brief and the command line take closed days, from files too", {
  closed <- "daybook:\n  calendar: {closed: [sunday, \"2026-01-01\", closed.csv]}"
  path <- brief_folder(sub("daybook:", closed, small_brief))
  folder <- dirname(path)
  expect_match(check_brief(path)$problem, "There is no file \"closed.csv\".", fixed = TRUE)
  expect_snapshot(writeLines(check_brief(path)$hint))
  writeLines(c("name,closed_on", "Spring fair,2026-03-03"), file.path(folder, "closed.csv"))
  expect_identical(nrow(check_brief(path)), 0L)
  expect_identical(brief_facts(read_brief(path))$all$calendar$closed, c("sunday", "2026-01-01", "2026-03-03"))
  writeLines(c("from,to", "2026-03-03,2026-03-04"), file.path(folder, "closed.csv"))
  expect_error(brief_facts(read_brief(path)), "2 columns of dates")
  # One may stand alone.
  alone <- function(closed) {
    path <- brief_folder(sub("daybook:", paste0("daybook:\n  calendar: {closed: ", closed, "}"), small_brief))
    writeLines(c("day", "2026-03-03"), file.path(dirname(path), "closed.csv"))
    expect_identical(nrow(check_brief(path)), 0L)
    brief_facts(read_brief(path))$all$calendar$closed
  }
  expect_identical(alone("sunday"), "sunday")
  expect_identical(alone("{file: closed.csv}"), "2026-03-03")
  expect_identical(alone("closed.csv"), "2026-03-03")
  ran <- run_cli("totals", "--every", "month", "--change", "period_before", "--per-open-day", "--closed",
                 "sunday,2026-03-10", "--csv", file.path(folder, "sales.csv"))
  expect_identical(ran$status, 0L)
  expect_match(ran$stdout, "revenue_open_days_before")
  expect_match(run_cli("totals", "--closed", "sundy", file.path(folder, "sales.csv"))$stderr, "--closed")
})
