test_that("the language is the same in conditions, further columns, measures and roles", {
  lines <- data.frame(on = as.Date(c("2024-12-31", "2025-01-01")), product = "a", amount = c(3, 4))
  book <- daybook(lines, on, amount * ifelse(year(on) == 2025, 2, 1), product)
  expect_identical(lines_of(book)$revenue, c(3, 8))
  expect_identical(lines_of(extend_lines(book, y = year(day)))$y, c(2024, 2025))
  expect_identical(totals(book, measures = list(m = sum_of(ifelse(month(day) == 1, revenue, 0))))$m, 8)
})

test_that("reads_as() of the package is of the language too", {
  book <- kilnmoor_book()
  t <- totals(book, measures = list(web = sum_of(revenue, where = reads_as(channel, "web"))))
  expect_match(as_brief(inquiry_of(t)), "reads_as(channel, \"web\")", fixed = TRUE, all = FALSE)
  tally <- tally_of(book, measures = list(web = sum_of(revenue, where = reads_as(channel, "web"))))
  expect_identical(totals(load_tally(save_tally(tally, withr::local_tempfile())), measures = "web")$web, t$web)
})

test_that("parentheses make no other measure", {
  book <- a_book(revenue = 1:4, cost = c(1, NA, 2, 3), n = 1:4)
  margin <- list(m = ratio_of(cost, revenue, where = revenue < 2 | revenue > 3))
  tally <- quiet(tally_of(book, measures = margin))
  again <- load_tally(save_tally(tally, withr::local_tempfile()))
  expect_identical(totals(again, measures = margin)$m, totals(tally, measures = margin)$m)
  expect_identical(totals(again, measures = margin)$m, 4 / 5)
})

test_that("a column can be named by the pronoun, and only by a name", {
  book <- a_book(revenue = 1:2, n = 3:4)
  asked <- function(...) quiet(totals(book, measures = list(...)))[[1]]
  expect_identical(asked(m = sum_of(.data$n)), 7)
  expect_identical(asked(m = sum_of(.data[["n"]])), 7)
  n <- "revenue"
  expect_identical(asked(m = sum_of(.data[[n]])), 3)
})

test_that("a function of the user's that has the name of one of the language is not taken for it", {
  quarter <- function(day) 1
  expect_error(totals(kilnmoor_book(), measures = list(n = count_lines(where = quarter(day) == 1))),
               "is defined only where this was called")
})

test_that("numbers are written as they were typed, and in full where that would be another number", {
  code <- function(x) {
    as_code(inquiry_of(totals(kilnmoor_book(), measures = list(n = count_lines(where = revenue > !!x)))))
  }
  expect_match(code(0.1), "revenue > 0.1)", fixed = TRUE, all = FALSE)
  expect_match(code(0.1 + 0.2), "revenue > 0.30000000000000004)", fixed = TRUE, all = FALSE)
})

test_that("a reader sees the whole condition, with values in the place of variables", {
  book <- kilnmoor_book()
  of <- function(when) utils::tail(audit(keep_lines(book, !!rlang::enquo(when)))$why, 1)
  regions <- c("Vale", "Highfen")
  from <- as.Date("2025-01-01")
  long <- of(region %in% regions & channel != "Web" & category == "Wheels & tools" & day >= from & units > 1)
  expect_identical(long, paste('region %in% c("Vale", "Highfen") & channel != "Web" & category == "Wheels & tools" &',
                               'day >= as.Date("2025-01-01") & units > 1'))
  expect_identical(of(day >= !!from & .data$region %in% !!regions), of(day >= from & region %in% regions))
  expect_identical(of(`region` == "Vale" & units > 1L), 'region == "Vale" & units > 1L')
})

test_that("only a long list of values is shortened, and what is not a value is named", {
  book <- kilnmoor_book()
  expect_snapshot(error = TRUE, {
    keep_lines(book, channel %in% c("a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k", "l", "m", "n"))
    keep_lines(book, region == !!data.frame(a = 1))
    keep_lines(book, regin %in% !!letters)
  })
})
