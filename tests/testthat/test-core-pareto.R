test_that("cumulative shares and classes equal SQL, and end at 1", {
  for (seed in 71:76) {
    random <- random_book(seed)
    t <- quiet(suppressWarnings(add_pareto(totals(random$book, by = c(region, product), every = "quarter"), within = quarter)))
    expected <- sql(random$db, "
      SELECT *, CASE WHEN total <= 0 THEN NULL WHEN c <= 0 THEN 'C' WHEN 100 * (run - c) < 80 * total THEN 'A'
        WHEN 100 * (run - c) < 95 * total THEN 'B' ELSE 'C' END AS class
      FROM (SELECT *, sum(c) OVER (PARTITION BY q) AS total,
              sum(c) OVER (PARTITION BY q ORDER BY c DESC, region, product ROWS UNBOUNDED PRECEDING) AS run
            FROM (SELECT", sql_periods[["quarter"]], "AS q, region, product, sum(cents) AS c FROM lines GROUP BY 1, 2, 3))")
    at <- match(paste(t$quarter, t$region, t$product), paste(expected$q, expected$region, expected$product))
    expect_equal(t$revenue_cumulative, expected$run[at] / 100)
    expect_equal(t$revenue_cumulative_share, ifelse(expected$total > 0, expected$run / expected$total, NA)[at])
    expect_identical(t$revenue_class, expected$class[at])
    # The last member of each quarter closes at 1, and all members are counted.
    expect_equal(unname(c(tapply(t$revenue_member_share, t$quarter, max))), rep(1, length(unique(t$quarter))))
    expect_equal(t$revenue_cumulative_share[t$revenue_member_share == 1 & !is.na(t$revenue_class)] |> unique(), 1)
  }
})

test_that("the member that crosses a bound is still in its class", {
  book <- daybook(a_sale(product = letters[1:4], revenue = c(80, 15, 5, -1)), day, revenue, product)
  expect_message(t <- add_pareto(totals(book, by = product)), "1 member at or below 0 has class C.")
  expect_identical(t$revenue_class, c("A", "B", "C", "C"))
  crossing <- daybook(a_sale(product = letters[1:3], revenue = c(79, 2, 19)), day, revenue, product)
  expect_identical(add_pareto(totals(crossing, by = product))$revenue_class, c("A", "A", "C"))
})

test_that("words count members, and mistakes are explained", {
  t <- add_pareto(totals(kilnmoor_book(), by = c(region, product)), within = region)
  expect_snapshot(in_words(t)[2:6])
  expect_match(in_words(add_pareto(totals(kilnmoor_book(), by = product))), "31 of 73 products make 80.2 % of revenue.", fixed = TRUE, all = FALSE)
  expect_snapshot(error = TRUE, add_pareto(t, classes = c(A = 0.8, B = 0.7, C = 1)))
  expect_snapshot(error = TRUE, add_pareto(t, classes = c(0.8, 1)))
})
