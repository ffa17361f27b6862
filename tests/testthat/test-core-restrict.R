book <- daybook(
  a_sale(status = c("paid", "Paid ", "open", NA, "PAID"), region = c("Vale", "Vale", "Fen", "Fen", NA), revenue = 1:5),
  day, revenue, product
)

test_that("lines are kept or left out, and unclear ones are counted apart", {
  kept <- keep_lines(book, reads_as(status, "paid"), why = "paid sales")
  expect_identical(lines_of(kept)$revenue, c(1, 2, 5))
  steps <- audit(kept)
  expect_identical(steps$what, c("read", "daybook", "keep", "undecided"))
  expect_identical(steps$lines_after, c(5, 5, 4, 3))
  expect_identical(steps$revenue_after[2:4], c(15, 12, 8))
  expect_identical(lines_of(leave_out(book, status == "open"))$revenue, c(1, 2, 5))
})

test_that("conditions combine columns, functions and values from outside", {
  wanted <- c("open", "paid")
  limit <- 2
  expect_identical(lines_of(keep_lines(book, status %in% wanted & revenue >= limit))$revenue, 3)
  expect_identical(lines_of(keep_lines(book, !(status == "open") | is.na(status)))$revenue, c(1, 2, 4, 5))
  expect_identical(lines_of(keep_lines(book, !!rlang::quo(region == "Fen")))$revenue, c(3, 4))
  expect_identical(lines_of(keep_lines(book, day == as.Date("2026-03-02") & revenue > mean(revenue)))$revenue, c(4, 5))
})

test_that("a condition on distinct values answers as on every line", {
  whole <- lines_of(book)
  check <- function(condition) {
    quo <- rlang::enquo(condition)
    kept <- lines_of(quiet(keep_lines(book, !!quo)))
    expect_equal(kept, whole[which(rlang::eval_tidy(quo, whole)), ], ignore_attr = "hinterfeld_origin", tolerance = 0)
  }
  other <- c("paid", "x", "y", "z", "PAID")
  check(status == "paid")
  check(is.na(status) | region == "Vale")
  check(status == other)
  check(nchar(status) > mean(nchar(status), na.rm = TRUE))
  check(!duplicated(region))
  check(startsWith(tolower(trimws(status)), "p"))
})

test_that("what a condition leaves is the same however often it is asked, with other measures and groups", {
  many <- daybook(a_sale(day = as.Date("2026-01-01") + rep(0:9, 30), region = rep(c("Vale", "Fen", NA), 100),
                         product = rep(letters[1:20], 15), revenue = 1:300, units = 300:1),
                  day, revenue, product, units)
  kept <- keep_lines(many, revenue > 40 & product != "c")
  plain <- daybook(lines_of(kept), day, revenue, product, units)
  answers <- function(facts) list(
    totals(facts, region, "day"), totals(facts, region, "day"), totals(facts, product, "month", c("units", "revenue")),
    totals(facts, measures = list(median_of(revenue), largest_of(revenue), count_distinct(region))),
    totals(keep_lines(facts, units > 50), product, "day")
  )
  columns <- function(answers) {
    lapply(answers, function(t) lapply(stats::setNames(nm = names(t)), function(name) t[[name]]))
  }
  expect_identical(columns(answers(kept)), columns(answers(plain)))
})

test_that("values that no line has are mentioned with the nearest", {
  expect_snapshot({
    invisible(keep_lines(book, status %in% c("paid", "opne")))
    invisible(keep_lines(book, reads_as(region, "vale", "Valley")))
  })
  expect_no_message(keep_lines(book, reads_as(region, " VALE")))
})

test_that("a condition that keeps nothing shows what there is", {
  expect_snapshot(error = TRUE, {
    keep_lines(book, status == "complet")
    keep_lines(book, revenue > 100 & region == "Vale")
  })
  negative <- daybook(a_sale(revenue = 1:2, share = c(-0.5, 2994)), day, revenue, product)
  expect_error(keep_lines(negative, share > 5000), "`share` holds -0.5 to 2994.", fixed = TRUE)
})

test_that("mistakes in a condition are explained", {
  expect_snapshot(error = TRUE, {
    keep_lines(book, satus == "paid")
    keep_lines(book, revenue * 2)
    keep_lines(book)
    keep_lines(lines_of(book), status == "paid")
    reads_as(1:3, "paid")
  })
})

test_that("the span follows the conditions on the day alone, joined or one after the other", {
  book <- kilnmoor_book()
  from <- as.Date("2025-03-15")
  joined <- keep_lines(book, day >= from & region == "Vale")
  apart <- keep_lines(keep_lines(book, day >= from), region == "Vale")
  expect_identical(joined$span, c(from, as.Date("2026-09-17")))
  expect_identical(apart$span, joined$span)
  expect_identical(leave_out(book, day < from | region == "Vale")$span, joined$span)
  # "Or" with another column says nothing of the days that are covered.
  expect_identical(keep_lines(book, day >= from | region == "Vale")$span, book$span)
})

test_that("very many conditions and values end in words, not in R's stack", {
  book <- kilnmoor_book()
  deep <- parse(text = paste(sprintf("region == \"x%d\"", 1:120), collapse = " | "))[[1]]
  expect_error(eval(as.call(list(quote(keep_lines), quote(book), deep))), "nested more than 50",
               class = "hinterfeld_error_condition")
  measure <- eval(as.call(list(quote(sum_of), quote(revenue), where = deep)))
  expect_error(totals(book, measures = list(m = measure)), "nested more than 50")
  # 50 levels are allowed.
  nested <- function(levels) Reduce(function(inner, i) call("-", inner), seq_len(levels), quote(revenue))
  sums <- function(levels) totals(book, measures = list(m = rlang::inject(sum_of(!!nested(levels)))))$m
  expect_identical(sums(50), totals(book)$revenue)
  expect_error(sums(51), "nested more than 50")
  many <- c("Vale", sprintf("unknown %d", 1:1000))
  said <- testthat::capture_messages(kept <- keep_lines(book, region %in% many))
  expect_length(said, 1)
  expect_match(said, "and 995 more")
  expect_identical(audit(kept)$lines_after[nrow(audit(kept))], 13995)
})

test_that("a condition is kept with the values of its variables", {
  k <- "Vale"
  from <- as.Date("2026-01-01")
  book <- keep_lines(kilnmoor_book(), region == k & day >= from)
  expect_identical(audit(book)$why[nrow(audit(book))], "region == \"Vale\" & day >= as.Date(\"2026-01-01\")")
  expect_match(in_words(totals(book)), "region == \"Vale\"", all = FALSE, fixed = TRUE)
})

test_that("a condition on the months of a tally covers whole months", {
  book <- random_book(5, days = 300)$book
  tally <- tally_of(book, by = region, every = "month")
  asked <- function(facts) {
    t <- quiet(add_change(totals(facts, by = region, every = "month"), versus = "period_before", like_for_like = FALSE))
    as.data.frame(t)[c("month", "region", "revenue", "revenue_before", "revenue_direction")]
  }
  by_month <- quiet(keep_lines(tally, month >= as.Date("2024-03-01")))
  expect_identical(asked(by_month), asked(quiet(keep_lines(book, day >= as.Date("2024-03-01")))))
  expect_identical(by_month$span[1], as.Date("2024-03-01"))
})

test_that("several conditions must all hold, and are one step", {
  book <- kilnmoor_book()
  least <- 100
  several <- keep_lines(book, region == "Vale", revenue > least, day >= as.Date("2025-01-01"))
  one <- keep_lines(book, region == "Vale" & revenue > 100 & day >= as.Date("2025-01-01"))
  expect_identical(as.data.frame(totals(several, by = product)), as.data.frame(totals(one, by = product)))
  expect_identical(several$span, one$span)
  expect_identical(nrow(audit(several)), nrow(audit(book)) + 1L)
  expect_match(utils::tail(audit(several)$why, 1), "region == \"Vale\" & revenue > 100 &", fixed = TRUE)
  expect_identical(utils::tail(audit(keep_lines(book, region == "Vale", "only the Vale"))$why, 1), "only the Vale")
})
