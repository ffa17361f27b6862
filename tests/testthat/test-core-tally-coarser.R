test_that("a coarser tally of a tally answers like one of the lines, and goes on like it", {
  measures <- list(
    "revenue", pieces = sum_of(units), mean = mean_of(revenue), best = largest_of(revenue, per = "day"),
    tickets = count_distinct(order), middle = median_of(revenue, per = "day"), price = ratio_of(revenue, units),
    least = smallest_of(revenue, where = region != "Vale")
  )
  withr::local_seed(43)
  for (seed in seeds(41, 1, 2)) {
    book <- random_book(seed, days = 500)$book
    fine <- quiet(tally_of(book, by = c(region, product), measures = measures))
    for (by in list(character(), "region", c("product", "region"))) {
      for (every in list(NULL, "day", "month", "year")) {
        some <- measures[sort(sample(length(measures), 4))]
        coarse <- quiet(tally_of(fine, by = tidyselect::all_of(by), measures = some, every = every))
        own <- quiet(tally_of(book, by = tidyselect::all_of(by), measures = some, every = every))
        ask <- function(facts) {
          quiet(totals(facts, by = tidyselect::all_of(by), every = every, measures = some, subtotals = length(by) > 0))
        }
        expect_identical(ask(coarse), ask(own))
        expect_identical(coarse[c("measures", "by", "every", "span", "trail", "lines")],
                         own[c("measures", "by", "every", "span", "trail", "lines")])
        expect_identical(ask(merge_tallies(coarse, of_other_lines(own))), ask(merge_tallies(own, of_other_lines(own))))
      }
    }
  }
})

test_that("of a tally only what it holds is tallied", {
  fine <- tally_of(kilnmoor_book(), by = region, every = "month")
  expect_snapshot(error = TRUE, {
    tally_of(fine, by = product)
    tally_of(fine, every = "week")
    tally_of(fine, measures = "units", every = "year")
  })
  expect_error(tally_of(fine, every = "weekday"), "kept per weekday", class = "hinterfeld_error_argument")
  expect_snapshot(tally_of(fine, every = "year"))
})
