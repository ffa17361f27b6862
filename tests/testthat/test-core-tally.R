tally_measures <- function() {
  list(
    "revenue", "units", mean = mean_of(revenue), low = smallest_of(revenue), high = largest_of(revenue),
    lines = count_lines(),
    vale = sum_of(revenue, where = region == "Vale"), kinds = count_distinct(product),
    best_day = largest_of(revenue, per = "day"),
    mean_order = mean_of(revenue, per = order)
  )
}

# The lines of a book in chunks, each a daybook of its own with its own dictionaries.
chunks_of <- function(book, pieces) {
  lines <- lines_of(book)
  lapply(split(seq_len(nrow(lines)), pieces), function(rows) {
    daybook(lines[rows, ], day, revenue, product, units = units, order = order)
  })
}

test_that("chunks merged in any order are the totals of all lines, to the last bit", {
  for (seed in seeds(71, 1, 3)) {
    random <- random_book(seed)$book
    withr::local_seed(seed)
    chunks <- chunks_of(random, sample(7, random$lines, replace = TRUE))
    tallies <- quiet(lapply(chunks, tally_of, by = c(region, product), every = "month", measures = tally_measures()))
    expected <- quiet(totals(chunks_of(random, rep(1, random$lines))[[1]], by = c(region, product), every = "month",
                             measures = tally_measures()))
    for (order in list(seq_along(tallies), rev(seq_along(tallies)), sample(length(tallies)))) {
      merged <- Reduce(merge_tallies, tallies[order])
      expect_identical(as.list(whole_table(merged)), as.list(tibble::as_tibble(expected)))
    }
    expect_identical(merged$lines, as.double(random$lines))
  }
})

test_that("a tally without keys, and one of days, go on too", {
  book <- kilnmoor_book()
  halves <- chunks_of(book, seq_len(book$lines) %% 2)
  whole <- Reduce(merge_tallies, lapply(halves, tally_of, every = NULL))
  expect_identical(whole_table(whole)$revenue, totals(book)$revenue)
  days <- Reduce(merge_tallies, lapply(halves, tally_of, by = product, every = "day"))
  expect_identical(as.list(whole_table(days)), as.list(tibble::as_tibble(totals(book, by = product, every = "day"))))
})

test_that("threads give the same bits", {
  lines <- a_sale(day = as.Date("2026-01-01") + rep(0:99, 3000), product = rep(sprintf("p%d", 1:3000), each = 100),
                  revenue = seq(-150000, 149999) / 100)
  book <- daybook(lines, day, revenue, product)
  with_threads <- function(n, code) {
    withr::local_options(hinterfeld.threads = n)
    code
  }
  for (by in list("product", c("product", "day"))) {
    one <- with_threads(1, totals(book, by = tidyselect::all_of(by), measures = tally_measures()[c(1, 4, 5, 6)]))
    for (n in 2:3) expect_identical(as.list(with_threads(n, totals(book, by = tidyselect::all_of(by),
                                                                   measures = tally_measures()[c(
                                                                     1, 4, 5, 6
                                                                   )]))), as.list(one))
  }
})

test_that("sparse key spaces are hashed and overflow is an error in every way", {
  lines <- a_sale(product = sprintf("p%d", 1:60000), region = sprintf("r%d", 60000:1),
                  day = as.Date("2020-01-01") + 0:59999 %% 2000, revenue = 1.25)
  book <- daybook(lines, day, revenue, product)
  t <- totals(book, by = c(product, region), every = "day")
  expect_identical(nrow(t), 60000L)
  expect_identical(sum(t$revenue), 75000)
  large <- daybook(a_sale(product = rep("p", 4), revenue = 8e12), day, revenue, product, on_bad = "stop") |>
    tryCatch(error = identity)
  expect_s3_class(large, "hinterfeld_error_overflow")
})

test_that("tallies that differ do not merge", {
  book <- a_book(region = "Vale")
  expect_snapshot(error = TRUE, {
    merge_tallies(tally_of(book, by = region), tally_of(book, by = product))
    merge_tallies(tally_of(book), 1)
    tally_of(book, every = "weekday")
  })
})

test_that("whatever measure comes first, rows stand in the order of totals", {
  random <- random_book(74)$book
  withr::local_seed(74)
  chunks <- chunks_of(random, sample(3, random$lines, replace = TRUE))
  whole <- chunks_of(random, rep(1, random$lines))[[1]]
  for (measure in tally_measures()) {
    for (every in list(NULL, "quarter")) {
      measures <- list(first = measure, "revenue")
      merged <- quiet(Reduce(merge_tallies, lapply(chunks, tally_of, by = c(region, status, product), every = every,
                                                   measures = measures)))
      expected <- quiet(totals(whole, by = c(region, status, product), every = every, measures = measures))
      expect_identical(as.list(whole_table(merged)), as.list(tibble::as_tibble(expected)))
    }
  }
})

test_that("keys keep their type, values and blanks through a file", {
  sales <- a_sale(product = c("a", "b", "a", "b"), revenue = c(1, 20, 3, 4), k = c("not given", NA, "z", "not given"),
                  none = NA_character_,
                  whole = c(1L, 2L, 2L, NA), number = c(1.5, 2, 0.1, 1 / 3), yes = c(TRUE, FALSE, NA, TRUE),
                  on = as.Date("2024-01-01") + 0:3)
  book <- daybook(sales, day, revenue, product)
  for (key in c("k", "none", "whole", "number", "yes", "on")) {
    tally <- tally_of(book, by = tidyselect::all_of(key), every = NULL)
    path <- save_tally(tally, withr::local_tempfile())
    expected <- as.list(tibble::as_tibble(quiet(totals(book, by = tidyselect::all_of(key)))))
    expect_identical(as.list(quiet(whole_table(tally))), expected, label = key)
    expect_identical(as.list(quiet(whole_table(load_tally(path)))), expected, label = key)
  }
  expect_identical(whole_table(tally_of(book, measures = list(n = count_distinct(none)), every = NULL))$n, 0)
})

test_that("tallies of columns with different decimals merge exactly, and refuse what would not fit", {
  sales <- a_sale(product = c("a", "b", "a", "b"), revenue = c(1.25, 2, 3.5, 4.125), cost = c(1, 2, 0.125, 0.5))
  measures <- list("revenue", "cost", m = median_of(cost), top = largest_of(cost), mean = mean_of(cost))
  tally <- function(rows, decimals) {
    book <- daybook(sales[rows, ], day, revenue, product, decimals = decimals)
    tally_of(book, by = product, measures = measures)
  }
  whole <- daybook(sales, day, revenue, product, decimals = 3)
  expected <- tibble::as_tibble(totals(whole, by = product, measures = measures))
  for (parts in list(list(tally(1:2, 2), tally(3:4, 3)), list(tally(3:4, 3), tally(1:2, 2)))) {
    merged <- do.call(merge_tallies, parts)
    expect_identical(merged$decimals[["revenue"]], 3L)
    asked <- totals(merged, by = product, measures = c("revenue", "cost", "m", "top", "mean"))
    expect_identical(as.list(tibble::as_tibble(asked)), as.list(expected))
    expect_identical(audit(merged)$revenue_after[2], sum(sales$revenue))
  }
  large <- daybook(a_sale(product = "a", revenue = 2e13), day, revenue, product, decimals = 0)
  fine <- daybook(a_sale(product = "a", revenue = 0.000001), day, revenue, product, decimals = 6)
  expect_error(totals(merge_tallies(tally_of(large), tally_of(fine))), class = "hinterfeld_error_overflow")
})

test_that("a tally is asked by measures that are written again, distinct counts and expressions too", {
  sales <- a_sale(product = c("a", "b", "a"), revenue = c(1, 2, 4), units = c(1, 1, 2), ticket = c("x", "x", "y"))
  book <- daybook(sales, day, revenue, product, units = units, order = ticket)
  measures <- function() {
    list(n = count_distinct(order), spread = sum_of(revenue - units), price = ratio_of(revenue, units))
  }
  tally <- tally_of(book, by = product, measures = measures())
  ask <- function(facts) tibble::as_tibble(totals(facts, by = product, measures = measures()))
  expect_equal(as.data.frame(ask(tally)), as.data.frame(ask(book)))
  expect_identical(ask(tally)$n, c(2, 1))
  expect_error(totals(tally, measures = count_distinct(day)), class = "hinterfeld_error_facts")
})

test_that("tallies of the same lines share what they have in common, and no line is in two of them", {
  book <- kilnmoor_book()
  parts <- lapply(1:4, function(q) tally_of(keep_lines(book, quarter(day) == q), by = category))
  both <- Reduce(merge_tallies, parts)
  expect_identical(as.list(tibble::as_tibble(totals(both, by = category))),
                   as.list(tibble::as_tibble(totals(book, by = category))))
  steps <- audit(both)
  whole <- audit(book)
  same <- grep("_(before|after)$", names(steps), value = TRUE)
  expect_identical(as.list(steps[seq_len(nrow(whole)), same]), as.list(whole[same]))
  last <- steps[nrow(steps), ]
  expect_identical(c(last$lines_before, last$lines_after), rep(whole$lines_after[nrow(whole)], 2))
  expect_identical(last$orders_after, whole$orders_after[nrow(whole)])
  expect_match(last$why, "quarter(day) == 1L or quarter(day) == 2L", fixed = TRUE)
  expect_snapshot(error = TRUE, {
    merge_tallies(both, parts[[1]])
    merge_tallies(parts[[1]], parts[[1]])
    merge_tallies(parts[[1]], tally_of(keep_lines(book, month(day) < 11), by = category))
  })
  other <- of_other_lines(parts[[2]])
  expect_error(merge_tallies(merge_tallies(parts[[1]], other), other), class = "hinterfeld_error_argument")
})

test_that("a condition that leaves nothing out of a tally is a step without lines", {
  tally <- tally_of(a_book(product = c("a", "b"), revenue = c(3, 4)), by = product)
  expect_message(left <- leave_out(tally, product == "c"))
  step <- utils::tail(as.data.frame(audit(left)), 1)
  expect_identical(c(step$lines_before, step$lines_after), c(2, 2))
  expect_identical(c(step$revenue_before, step$revenue_after), c(7, 7))
})
