grains <- c("day", "week", "month", "quarter", "year", "weekday", "month_of_year", "quarter_of_year")

# The period of each grain that each of many days lies in.
periods_of_days <- function(calendar) {
  days <- as.Date("2022-01-01") + 0:1500
  book <- daybook(a_sale(day = days, product = format(days)), day, revenue, product, calendar = calendar)
  lapply(stats::setNames(nm = grains), function(grain) {
    t <- quiet(totals(book, by = product, every = grain))
    as.character(t[[grain]])[match(format(days), t$product)]
  })
}

# Whether all days of each period of one grain lie in the same period of another.
makes_up <- function(every, asked, of_day) {
  !anyDuplicated(unique(cbind(of_day[[every]], of_day[[asked]]))[, 1])
}

# A tally is asked like the daybook that it was taken of.

same_table <- function(tally, book, ask) expect_identical(quiet(ask(tally)), quiet(ask(book)))

totals_quietly <- function(facts, every, measures) {
  quiet(totals(facts, by = c(region, product), every = every, measures = measures, subtotals = TRUE))
}

test_that("every step, crosstab and listing of a tally is that of its lines, bit for bit", {
  for (seed in seeds(31, 1, 2)) {
    book <- random_book(seed, days = 800)$book
    tally <- quiet(tally_of(book, by = c(region, product), measures = list(
      "revenue", pieces = sum_of(units), mean = mean_of(revenue), best = largest_of(revenue, per = "day"),
      tickets = count_distinct(order), middle = median_of(revenue, per = "day")
    )))
    measures <- names(tally$measures)
    asked <- list(
      "revenue", pieces = sum_of(units), mean = mean_of(revenue), best = largest_of(revenue, per = "day"),
      tickets = count_distinct(order), middle = median_of(revenue, per = "day")
    )
    for (every in grains) {
      named <- totals_quietly(tally, every, measures)
      expect_identical(named, totals_quietly(book, every, asked))
    }
    same_table(tally, book, function(x) add_change(totals(x, by = product, every = "month"), versus = "period_before"))
    same_table(tally, book, function(x) {
      add_moving(add_running_total(totals(x, by = region, every = "week"), restart = "year"), last = 3)
    })
    same_table(tally, book, function(x) {
      best_sellers(add_pareto(totals(x, by = c(region, product)), within = region), 2, within = region, others = TRUE)
    })
    same_table(tally, book, function(x) crosstab(totals(x, by = region, every = "quarter"), quarter, region))
    same_table(tally, book, function(x) best_of_each(totals(x, by = c(region, product)), within = region))
    same_table(tally, book, function(x) reconcile(totals(x, by = product, subtotals = TRUE, fill = TRUE)))
    same_table(tally, book, function(x) add_change(totals(x, every = "year"), as_of = book$span[2] - 40))
    same_table(tally, book, function(x) in_words(add_rank(totals(x, by = product))))
  }
})

test_that("facts hold the measures that their columns and groups give", {
  held <- function(facts, ...) vapply(list(...), holds_measure, NA, facts = facts)
  book <- daybook(a_sale(), day, revenue, product)
  expect_identical(held(book, "revenue", "units"), c(TRUE, FALSE))
  expect_identical(held(tally_of(book, by = product), "revenue", "orders", mean_of(revenue)), c(TRUE, FALSE, TRUE))
})

test_that("conditions on its columns leave whole groups, and the audit goes on", {
  book <- kilnmoor_book()
  tally <- tally_of(book, by = c(region, product))
  kept <- function(x) {
    leave_out(keep_lines(x, region == "Vale" & day >= as.Date("2025-01-01")), product == "Needle tool", why = "tools")
  }
  # What is left of orders only lines tell.
  but_orders <- function(steps) steps[!startsWith(names(steps), "orders")]
  expect_identical(but_orders(audit(kept(tally))), but_orders(audit(kept(book))))
  same_table(kept(tally), kept(book), function(x) totals(x, by = product, every = "month"))
  expect_identical(kept(tally)$span, kept(book)$span)
  blank <- tally_of(kilnmoor_book(), by = category)
  expect_identical(but_orders(audit(keep_lines(blank, category == "Clay bodies"))),
                   but_orders(audit(keep_lines(book, category == "Clay bodies"))))
})

test_that("a tally of longer periods tells these and longer ones, fiscal years and 4-4-5 among them", {
  calendars <- list(sales_calendar("04-01"), sales_calendar(weeks = "445"), sales_calendar("04-06"))
  for (calendar in calendars[some_of(3, 2)]) {
    book <- random_book(33, days = 900, calendar = calendar)$book
    of_day <- periods_of_days(calendar)
    for (every in c("week", "month", "quarter", "year")) {
      tally <- tally_of(book, by = region, every = every)
      for (asked in grains) {
        if (makes_up(every, asked, of_day)) {
          same_table(tally, book, function(x) totals(x, by = region, every = asked, subtotals = TRUE))
        } else {
          expect_error(totals(tally, every = asked), class = "hinterfeld_error_facts")
        }
      }
      # Months without a line inside its years are nothing that a tally of years knows.
      whole <- function(x) {
        t <- quiet(add_change(totals(x, by = region, every = every), like_for_like = FALSE))
        attr(t, "answer")$step_stats[[1]]$summary["empty"] <- list(NULL)
        t
      }
      same_table(tally, book, whole)
    }
  }
})

test_that("what a tally does not hold is refused, and it says what it holds", {
  book <- kilnmoor_book()
  tally <- tally_of(book, by = region, every = "month",
                    measures = list("revenue", best = largest_of(revenue, per = "day")))
  expect_snapshot(error = TRUE, {
    totals(tally, by = product)
    totals(tally, every = "weekday")
    totals(tally, measures = "units")
    totals(tally, measures = list(late = sum_of(revenue - units * longitude)))
    totals(tally, measures = list(mean_of(revenue, per = "day")))
    add_change(totals(tally, every = "month"))
    lines_of(tally)
    tally_of(book, measures = list(m = median_of(revenue * (1 + longitude))))
  })
})

test_that("distinct values, middles and means per order are base R's, for few groups and many, by one thread and two", {
  withr::local_seed(72)
  for (n in c(400, 130000)) for (threads in 1:2) for (groups in c(2, 900)) {
    withr::local_options(hinterfeld.threads = threads)
    some <- function(x) replace(x, sample(n, n %/% 20), NA)
    data <- data.frame(day = as.Date("2025-01-01") + sample(60, n, TRUE),
                       product = sprintf("p%03d", sample(groups, n, TRUE)), revenue = sample(2e4, n, TRUE) / 100,
                       order = some(sample(n %/% 3, n, TRUE)),
                       pieces = some(sample(-5:40, n, TRUE)), far = sample(c(-2e9, 7, 2e9), n, TRUE))
    book <- daybook(data, day, revenue, product, units = pieces, order = order)
    t <- quiet(totals(book, by = product, measures = list(
      orders = count_distinct(order), days = count_distinct(day), far = count_distinct(far),
      middle = median_of(revenue), of_far = median_of(far, where = units > 3), per_order = mean_of(units, per = order),
      best = largest_of(revenue, per = "day"), "revenue"
    )))
    lines <- split(seq_len(n), factor(data$product, t$product))
    by <- function(of) unname(vapply(lines, of, 0))
    different <- function(x) by(function(i) length(unique(stats::na.omit(x[i]))))
    expect_identical(t$orders, different(data$order))
    expect_identical(t$days, different(data$day))
    expect_identical(t$far, different(data$far))
    expect_equal(t$middle, by(function(i) stats::median(data$revenue[i])))
    expect_equal(t$of_far, by(function(i) stats::median(data$far[i][data$pieces[i] %in% 4:40])))
    whole <- !is.na(data$order) & !is.na(data$pieces)
    expect_equal(t$per_order, by(function(i) {
      i <- i[whole[i]]
      if (length(i)) sum(data$pieces[i]) / length(unique(data$order[i])) else NA
    }))
    expect_equal(t$best, by(function(i) max(rowsum(data$revenue[i], as.integer(data$day[i])))))
    # All lines are one group.
    expect_identical(totals(book, measures = list(n = count_distinct(order)))$n,
                     as.double(length(unique(stats::na.omit(data$order)))))
  }
})
