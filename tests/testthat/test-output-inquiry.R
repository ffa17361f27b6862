book <- kilnmoor_book()

again <- function(t, env = parent.frame()) {
  place <- rlang::env(env)
  t <- quiet(t)
  first <- t
  for (line in quiet(as_code(inquiry_of(t)))) quiet(eval(parse(text = line)[[1]], place))
  expect_identical(place$t, first)
}

test_that("code and lines of a brief read as somebody would write them", {
  t <- totals(book, by = c(region, product), every = "quarter_of_year", subtotals = list("region", "Total"),
              measures = list(
    "revenue", "lines", best_day = largest_of(revenue, per = "day"),
    web = sum_of(revenue - units * 0.1, where = channel == "Web" & day >= as.Date("2025-01-01"))
  ))
  t <- quiet(best_sellers(add_share(t, "web", within = region), n = 3, within = region, others = TRUE))
  names(t)[2] <- "Place"
  expect_snapshot({
    as_code(inquiry_of(t), "sales")
    as_brief(inquiry_of(t), "sellers")
    as_code(inquiry_of(crosstab(totals(book, by = region, every = "year"), year, region,
                                margins = FALSE)))
    as_code(inquiry_of(add_change(totals(book, every = "year"), as_of = as.Date("2026-05-31"))))
  })
})

test_that("two changes of one table come back, the second by its name", {
  t <- quiet(totals(kilnmoor_book(), every = "month", measures = c("revenue", "units")))
  t <- add_change(add_change(t, versus = "period_before"), of = "units", versus = "period_before", name = "units")
  place <- rlang::env(book = kilnmoor_book())
  for (line in as_code(inquiry_of(t))) quiet(eval(parse(text = line), place))
  expect_identical(place$t, t)
  expect_match(as_brief(inquiry_of(t)), "name: units", all = FALSE)
})

test_that("odd names, dates and periods come back", {
  again(add_change(totals(book, by = region), periods = list(
    "Spring '26" = as.Date(c("2026-03-01", "2026-05-31")), b = as.Date(c("2025-09-01", "2025-11-30"))
  )))
  sales <- a_sale(product = c("x", "y"), `a b` = c("p", "q"), `if` = c("1", NA), revenue = c(1.5, 2))
  book <- daybook(sales, day, revenue, product)
  again(add_rank(totals(book, by = c(`a b`, `if`), measures = list(`my revenue` = sum_of(revenue))), "my revenue",
                 within = `a b`, ties = "dense", name = "the rank"))
  renamed <- totals(book, by = product)
  names(renamed) <- c("Article", "turnover")
  again(best_sellers(add_pareto(renamed, "turnover", classes = c(top = 0.1 + 0.2, rest = 1)), 1, of = "turnover"))
})

test_that("what cannot be written so is refused", {
  t <- totals(book, measures = list(root = sum_of(sqrt(abs(revenue)))))
  expect_snapshot(error = TRUE, as_brief(inquiry_of(t)))
  again(t)
  t <- totals(book, by = region)
  t$own <- seq_len(nrow(t))
  expect_snapshot(error = TRUE, {
    as_code(quiet(inquiry_of(add_rank(t, "own"))))
    as_code("totals")
  })
})
