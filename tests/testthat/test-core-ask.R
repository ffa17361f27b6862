test_that("an inquiry asked of its own facts is the table again, and of others what its code gives", {
  book <- kilnmoor_book()
  asked <- quiet(list(
    totals(book, by = c(region, category), every = "year", subtotals = TRUE, fill = TRUE),
    totals(book, every = "weekday", measures = list("revenue", best = largest_of(revenue, per = "day"),
                                                    web = sum_of(units, where = channel == "Web"))),
    add_running_total(in_period(add_change(totals(book, by = region, every = "month")), "2025"), restart = "quarter"),
    best_sellers(add_share(totals(book, by = c(region, product)), within = region), n = 2, within = region,
                 others = TRUE),
    sort_rows(add_causes(add_change(totals(book, by = category, every = "year"))), down(revenue_mix)),
    add_pareto(dplyr::rename(totals(book, by = product), article = product, turnover = revenue), of = "turnover"),
    crosstab(totals(book, by = region, every = "quarter"), region, quarter)
  ))
  other <- quiet(keep_lines(book, region != "Vale" & day >= as.Date("2024-02-10")))
  for (t in asked) {
    q <- inquiry_of(t)
    expect_identical(quiet(ask(q, book)), t)
    place <- list2env(list(book = other))
    quiet(eval(parse(text = as_code(q)), place))
    expect_identical(quiet(ask(q, other)), place$t)
  }
  tally <- tally_of(book, by = c(region, product))
  expect_identical(ask(inquiry_of(asked[[4]]), tally)$revenue, asked[[4]]$revenue)
})

test_that("what cannot be asked says why", {
  q <- inquiry_of(totals(kilnmoor_book(), by = town, every = "month"))
  expect_snapshot(error = TRUE, {
    ask("q", kilnmoor_book())
    ask(q, tally_of(kilnmoor_book(), by = region))
    ask(q, tally_of(kilnmoor_book(), by = town, every = "year"))
    ask(q, mtcars)
  })
})

test_that("of several measures every one must be sound", {
  q <- inquiry_of(totals(kilnmoor_book(), measures = c("revenue", "units")))
  q$measures$units <- list(kind = "sum")
  expect_error(ask(q, kilnmoor_book()), "cannot be asked any more", class = "hinterfeld_error_argument")
  q <- inquiry_of(totals(kilnmoor_book(), by = c(region, product), subtotals = list("region", "Total")))
  q$subtotals[[2]] <- 1
  expect_error(ask(q, kilnmoor_book()), "cannot be asked any more", class = "hinterfeld_error_argument")
})

test_that("a cut table with subtotals speaks of all the days of its facts", {
  t <- totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE)
  expect_match(format(t[t$region == "Vale" | t$year %in% NA, ])[1], "2023-01-01 to 2026-09-17")
})
