coverage_told <- function(...) {
  book <- daybook(a_sale(...), day, revenue, product)
  list(span = format(book$span), out = book$out, early = book$early)
}

test_that("a few days before the first count as days without sales, as many as are usual between two with lines", {
  day <- function(x) as.Date("2024-01-02") + x
  expect_identical(coverage_told(day = day(0:40))$early, 1L)
  expect_identical(coverage_told(day = day(c(0, 3, 6, 9)))$early, 2L)
  expect_identical(coverage_told(day = day(c(0, 30, 60)))$early, 6L)
  expect_identical(coverage_told(day = day(0))$early, 1L)
  # Of 20 gaps one is longer than a day.
  expect_identical(coverage_told(day = day(c(0:10, 15:24)))$early, 1L)
  expect_identical(coverage_told(day = day(c(0:10, 15:23)))$early, 4L)
  weeks <- day(setdiff(0:60, seq(6, 60, by = 7)))
  expect_identical(coverage_told(day = weeks)$early, 1L)
  book <- a_book(day = day(0:370), revenue = 1)
  t <- add_change(totals(book, every = "year"))
  expect_identical(as.character(t$comparable), c("none", "to_date"))
  expect_match(in_words(t), "The data begin on 2024-01-02; the day before counts as a day without sales.", fixed = TRUE,
               all = FALSE)
  late <- a_book(day = as.Date("2024-01-15") + 0:400, revenue = 1)
  expect_identical(as.character(add_change(totals(late, every = "year"))$comparable), c("none", "none"))
})

test_that("what the data cover can be said", {
  sales <- a_sale(day = as.Date(c("2024-03-05", "2025-02-10")), revenue = c(4, 5))
  said <- daybook(sales, day, revenue, product, covers = c("2024-01-01", "2025-12-31"))
  t <- add_change(totals(said, every = "year"))
  expect_identical(as.character(t$comparable), c("none", "full"))
  expect_identical(t$revenue_change_pct, c(NA, 0.25))
  expect_identical(format(said$span), c("2024-01-01", "2025-12-31"))
  half <- daybook(sales, day, revenue, product, covers = as.Date(c("2024-01-01", "2025-06-30")))
  expect_identical(add_change(totals(half, every = "year"))$revenue_before, c(NA, 4))
  expect_snapshot(error = TRUE, {
    daybook(sales, day, revenue, product, covers = c("2024-01-01", "2024-12-31"))
    daybook(sales, day, revenue, product, covers = c("2025-01-01", "2024-12-31"))
    daybook(sales, day, revenue, product, covers = "2024")
  })
})

test_that("a period that a condition rules out is unknown, and gets no row of its own", {
  book <- kilnmoor_book()
  for (ruled in list(leave_out(book, year(day) == 2024), keep_lines(book, year(day) %in% c(2023, 2025)))) {
    t <- add_change(totals(ruled, by = region, every = "year"))
    expect_false(any(t$year == as.Date("2024-01-01")))
    later <- t[t$year == as.Date("2025-01-01"), ]
    expect_identical(unique(as.character(later$revenue_direction)), "unknown")
    expect_identical(unique(as.character(later$comparable)), "none")
    expect_true(all(is.na(later$revenue_before)))
    expect_match(in_words(t), "Not comparable: the data do not cover 2024", all = FALSE)
    filled <- totals(ruled, by = region, every = "year", fill = TRUE)
    expect_false(any(filled$year == as.Date("2024-01-01")))
  }
  part <- add_change(totals(leave_out(book, year(day) == 2024 & month(day) == 3), every = "year"))
  expect_identical(as.character(part$comparable), c("none", "none", "none", "to_date"))
  expect_identical(is.na(part$revenue_before), c(TRUE, FALSE, FALSE, FALSE))
  expect_identical(which(!is.na(part$revenue_change_pct)), 4L)
  aloud <- add_change(totals(leave_out(book, year(day) == 2024 & month(day) == 3), every = "year"),
                      like_for_like = FALSE)
  expect_identical(which(!is.na(aloud$revenue_change_pct)), 2:4)
  expect_match(in_words(aloud), "Compared as they are: the data do not cover 31 days of 2024", all = FALSE)
  last <- add_change(totals(leave_out(book, day == as.Date("2024-12-31")), every = "year"))
  expect_match(in_words(last), "the data do not cover 1 day of 2024", all = FALSE)
  # Of a condition on something else, the days without a line are covered all the same.
  expect_identical(keep_lines(book, product == "no such one" | region == "Vale")$out, integer())
})

test_that("tallies in any order cover what their lines cover", {
  ruled <- function(lines) tally_of(leave_out(daybook(lines, day, revenue, product), year(day) == 2024 &
                                              month(day) == 3))
  lines <- lines_of(kilnmoor_book())[c("day", "revenue", "product")]
  book <- leave_out(kilnmoor_book(), year(day) == 2024 & month(day) == 3)
  months <- split(lines, format(lines$day, "%m"))
  merged <- Reduce(merge_tallies, lapply(months[c(9, 1, 2, 4:8, 12, 10:11, 3)], ruled))
  expect_identical(merged[c("span", "out", "early")], unclass(book)[c("span", "out", "early")])
  whole <- tally_of(book)
  expect_identical(whole[c("span", "out", "early")], unclass(book)[c("span", "out", "early")])
  saved <- load_tally(save_tally(whole, withr::local_tempfile()))
  expect_identical(saved$coverage, whole$coverage)
  # What is between two of them is covered, as in a daybook of the lines of both.
  spring <- a_book(day = as.Date("2026-01-01") + setdiff(0:29, c(2:3, 9:10, 16:17, 23:24)))
  summer <- a_book(day = as.Date("2026-02-02") + 0:4)
  expect_identical(merge_tallies(tally_of(spring), tally_of(summer))$out, integer())
  # Days that one of two rules out are not covered if the other does not have them.
  ruled <- leave_out(a_book(day = as.Date("2026-01-01") + 0:59), month(day) == 2)
  march <- merge_tallies(tally_of(ruled), tally_of(a_book(day = as.Date("2026-03-02") + 0:29)))
  expect_identical(march$out, as.integer(as.Date("2026-02-01") + 0:27))
  expect_identical(merge_tallies(tally_of(a_book(day = as.Date("2026-01-01") + 0:89)), tally_of(ruled))$out, integer())
  autumn <- a_book(day = as.Date("2026-10-02") + 0:4)
  expect_identical(merge_tallies(tally_of(spring), tally_of(autumn))$out, integer())
})

test_that("a condition on the day is understood in parentheses and negated, and its days are counted to the first", {
  book <- kilnmoor_book()
  plain <- leave_out(book, year(day) == 2024)$out
  expect_length(plain, 366)
  expect_identical(keep_lines(book, !(year(day) == 2024))$out, plain)
  expect_identical(leave_out(book, (year(day) == 2024))$out, plain)
  expect_identical(keep_lines(book, (!((year(day) == 2024)) & revenue > -1e9))$out, plain)
  first <- add_change(totals(leave_out(book, year(day) == 2024 & month(day) == 1), every = "year"))
  expect_match(in_words(first), "the data do not cover 31 days of 2024", all = FALSE)
})

test_that("a month that lacks its last day only is not finished", {
  days <- as.Date(c("2025-03-31", "2026-03-30"))
  whole <- add_change(totals(daybook(a_sale(day = days, revenue = 1), day, revenue, product,
                                     covers = c("2025-03-01", "2026-03-30")), every = "month"))
  expect_identical(utils::tail(whole$comparable, 1), "to_date")
  expect_identical(utils::tail(whole$revenue_before, 1), 0)
})

test_that("lines that are all of the first or the last day of a month are of whole months", {
  firsts <- seq(as.Date("2025-01-01"), as.Date("2026-03-01"), by = "month")
  sales <- a_sale(day = firsts, product = "a", revenue = seq_along(firsts))
  sales$day <- firsts
  expect_message(book <- daybook(sales, day, revenue, product), "whole months: 2025-01-01 to 2026-03-31")
  t <- add_change(totals(book, every = "month"))
  expect_identical(utils::tail(t$comparable, 3), rep("full", 3))
  expect_identical(utils::tail(t$revenue_before, 1), 3)
  expect_no_match(in_words(t), "not complete|W02")
  # In chunks, in parts that are merged, and with what is said to be covered.
  halves <- lapply(list(sales[1:7, ], sales[8:15, ]), function(half) {
    tally_of(quiet(daybook(half, day, revenue, product)), by = product, every = "day")
  })
  merged <- merge_tallies(halves[[1]], halves[[2]])
  expect_identical(add_change(totals(merged, every = "month"))$revenue_before, t$revenue_before)
  path <- brief_folder("brief: 1\ndata: {lines: sales.csv}\ndaybook: {day: day, product: product, revenue: revenue}
tables: {t: {every: month, add: [{change: {}}]}}\noutputs: {folder: out}\n")
  utils::write.csv(sales, file.path(dirname(path), "sales.csv"), row.names = FALSE)
  withr::with_options(list(hinterfeld.in_memory = 10), quiet(run_brief(path)))
  out <- utils::read.csv(file.path(dirname(path), "out", "t.csv"))
  expect_identical(as.double(out$revenue_before), t$revenue_before)
  said <- daybook(sales, day, revenue, product, covers = c("2025-01-01", "2026-03-01"))
  expect_identical(utils::tail(add_change(totals(said, every = "month"))$comparable, 1), "to_date")
  last <- transform(sales, day = firsts - 1)
  expect_message(book <- daybook(last, day, revenue, product), "whole months: 2024-12-01 to 2026-02-28")
  expect_no_message(daybook(sales[c(1, 3), ], day, revenue, product))
})
