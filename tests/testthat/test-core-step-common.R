book <- kilnmoor_book()

test_that("figures chain in any order, and replays give the same as doing it afresh", {
  t <- totals(book, by = product, every = "year")
  one <- add_change(add_running_total(add_rank(t, within = year)))
  two <- add_running_total(add_rank(add_change(t), within = year))
  expect_identical(tibble::as_tibble(one)[names(two)], tibble::as_tibble(two))
})

test_that("figures follow when rows and columns are taken or renamed", {
  t <- add_share(add_rank(totals(book, by = c(region, category)), within = region), within = region)
  some <- t[t$region == "Vale", c("region", "category", "revenue", "revenue_share")]
  expect_false(any(grepl("revenue_rank", in_words(some))))
  expect_match(in_words(some), "revenue_share: revenue of each category", all = FALSE)
  names(some)[4] <- "part"
  expect_match(capture.output(print(some)), "36.4 %", fixed = TRUE, all = FALSE)
  cut <- add_share(some, name = "again")
  expect_equal(sum(cut$again), 1)
  expect_match(in_words(cut), "Computed from the 6 rows shown only.", fixed = TRUE, all = FALSE)
})

test_that("a changed figure turns the table plain", {
  t <- add_rank(totals(book, by = region))
  expect_message(t$revenue_rank <- 1, "`revenue_rank` changed")
  expect_false(inherits(t, "hinterfeld_totals"))
})

test_that("figures are delivered as plain numbers", {
  path <- withr::local_tempfile(fileext = ".csv")
  days <- as.Date(c("2025-01-10", "2026-01-10"))
  small <- daybook(a_sale(day = days, revenue = c(4, 5)), day, revenue, product, covers = c("2025-01-01", "2026-01-10"))
  deliver(add_share(add_change(totals(small, every = "year")), within = year), path)
  expect_identical(readLines(path)[3], "2026-01-01,5.00,4.00,1.00,0.25,up,to_date,1")
})

test_that("empty and single rows have figures or none, but no error", {
  t <- totals(book, by = c(region, category), every = "month")
  for (n in 0:1) {
    one <- utils::head(t, n)
    for (add in list(add_rank, add_share, add_running_total, add_pareto, add_change, best_sellers)) {
      expect_identical(nrow(add(one)), n)
    }
  }
})

test_that("no figure depends on the order of rows, for random tables", {
  figures <- list(
    rank = function(t) add_rank(t, within = region)$revenue_rank,
    ordinal = function(t) add_rank(t, within = month, ties = "ordinal")$revenue_rank,
    share = function(t) add_share(t, "lines", within = month)$lines_share,
    running = function(t) add_running_total(t)$revenue_running,
    moving = function(t) add_moving(t, last = 3)$revenue_moving_sum,
    class = function(t) quiet(suppressWarnings(add_pareto(t, within = month)))$revenue_class,
    cumulative = function(t) quiet(suppressWarnings(add_pareto(t)))$revenue_cumulative
  )
  for (seed in seeds(91, 2, 4)) {
    t <- totals(random_book(seed)$book, by = c(product, region), every = "month", measures = c("revenue", "lines"))
    shuffle <- sample(nrow(t))
    for (name in names(figures)) {
      expect_identical(figures[[name]](t[shuffle, ]), figures[[name]](t)[shuffle], label = name)
    }
    change <- add_change(t)
    again <- add_change(t[shuffle, ])
    key <- function(x) paste(x$month, x$product, x$region)
    expect_identical(again$revenue_before[match(key(change), key(again))], change$revenue_before)
  }
})

test_that("changes of members add up to the change of their total, whatever is compared", {
  for (seed in seeds(95, 1, 3)) {
    random <- random_book(seed, days = 800)
    for (versus in c("year_before", "period_before")) {
      for (align in c("date", "weekday")) {
        for (every in c("week", "month", "quarter")) {
          t <- add_change(totals(random$book, by = c(product, region), every = every, subtotals = TRUE),
                          versus = versus, align = align)
          known <- !is.na(t$revenue_change)
          period <- as.character(t[[every]])
          summed <- tapply(t$revenue_change[known & t$level == "region"], period[known & t$level == "region"], sum)
          total <- t$revenue_change[known & t$level == every]
          expect_equal(c(summed[period[known & t$level == every]]), total, ignore_attr = TRUE)
        }
      }
    }
  }
})

test_that("equal values stand in order of names, whatever their number", {
  withr::local_seed(23)
  n <- 900
  book <- daybook(tibble::tibble(
    day = as.Date("2026-01-01"), product = sample(sprintf("%s%03d", c("a", "B", "\u00e9"), 1:n)),
    region = sample(c("n", "s", NA), n, TRUE),
    revenue = sample(c(1, 2, 2, 3), n, TRUE)
  ), day, revenue, product)
  t <- totals(book, by = c(region, product))
  t <- t[sample(nrow(t)), ]
  ranked <- add_rank(t, within = region, ties = "ordinal")
  scope <- match(t$region, unique(t$region))
  expected <- integer(nrow(t))
  order <- order(scope, -t$revenue, match(t$product, sort(t$product, method = "radix")))
  expected[order] <- sequence(rle(scope[order])$lengths)
  expect_identical(ranked$revenue_rank, as.double(expected))
})

test_that("that each level is taken on its own is said as soon as there are two", {
  t <- add_rank(totals(kilnmoor_book(), by = region, subtotals = TRUE))
  expect_match(in_words(t), "each level on its own", all = FALSE)
  expect_no_match(in_words(t[t$level == "region", ]), "each level on its own")
})

test_that("a measure is named bare, as text, or by what holds it; without any it is revenue, or else the first", {
  t <- totals(kilnmoor_book(), by = region, every = "year", measures = c(units, revenue))
  expect_identical(names(totals(kilnmoor_book(), measures = units)), "units")
  expect_identical(totals(kilnmoor_book(), measures = lines)$lines, 56100)
  expect_error(totals(kilnmoor_book(), measures = unitz), "There is no `unitz` to total")
  held <- "units"
  verbs <- list(add_change, add_rank, add_share, add_running_total, add_moving, add_pareto, best_of_each,
                function(t, of) best_sellers(t, 2, of = {{ of }}), function(t, of) slow_sellers(t, 2, of = {{ of }}),
                function(t, of) crosstab(t, region, year, of = {{ of }}))
  for (verb in verbs) {
    asked <- as.data.frame(quiet(verb(t, of = "units")))
    for (other in list(quiet(verb(t, of = units)), quiet(verb(t, of = held)), quiet(verb(t, of = all_of("units"))))) {
      expect_identical(as.data.frame(other), asked)
    }
  }
  expect_identical(names(add_rank(t))[5], "revenue_rank")
  expect_identical(names(add_rank(totals(kilnmoor_book(), by = region, measures = units)))[3], "units_rank")
  expect_identical(as.data.frame(add_rank(add_change(t), of = revenue_change)),
                   as.data.frame(add_rank(add_change(t), of = "revenue_change")))
  expect_error(add_rank(t, of = unitz), "Did you mean `units`?", fixed = TRUE)
  expect_identical(figure_trend(t, of = units)$labels$title, figure_trend(t, of = "units")$labels$title)
})
