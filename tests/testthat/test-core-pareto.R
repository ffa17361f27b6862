test_that("cumulative shares and classes equal SQL, and end at 1", {
  for (seed in seeds(71, 2, 6)) {
    random <- random_book(seed)
    t <- quiet(suppressWarnings(add_pareto(totals(random$book, by = c(region, product), every = "quarter"),
                                           within = quarter)))
    expected <- sql(random$db, "
      SELECT *, CASE WHEN total <= 0 THEN NULL WHEN c <= 0 THEN 'C' WHEN 100 * (run - c) < 80 * total THEN 'A'
        WHEN 100 * (run - c) < 95 * total THEN 'B' ELSE 'C' END AS class
      FROM (SELECT *, sum(c) OVER (PARTITION BY q) AS total,
              sum(c) OVER (PARTITION BY q ORDER BY c DESC, region, product ROWS UNBOUNDED PRECEDING) AS run
            FROM (SELECT", sql_periods[["quarter"]], "AS q, region, product, sum(cents) AS c FROM lines GROUP BY 1, 2,
                  3))")
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
  expect_match(in_words(add_pareto(totals(kilnmoor_book(), by = product))), "31 of 73 products make 80.2 % of revenue.",
               fixed = TRUE, all = FALSE)
  expect_snapshot(error = TRUE, {
    add_pareto(t, classes = c(A = 0.8, B = 0.7, C = 1))
    add_pareto(t, classes = c(0.8, 1))
  })
})

test_that("classes, shares and words of several scopes equal base R", {
  withr::local_seed(77)
  n <- 600
  book <- daybook(tibble::tibble(
    day = as.Date("2026-01-01"), product = sprintf("P%03d", seq_len(n)),
    region = sample(c("a", "b", "c", "d"), n, TRUE),
    revenue = round(stats::rexp(n)^3 * 100) - 1
  ), day, revenue, product)
  t <- quiet(add_pareto(totals(book, by = c(region, product)), within = region,
                        classes = c(top = 0.5, next_ = 0.9, tail = 1)))
  for (region in unique(t$region)) {
    one <- t[t$region == region, ]
    one <- one[order(-one$revenue, one$product), ]
    total <- sum(one$revenue)
    expect_equal(one$revenue_cumulative_share, cumsum(one$revenue) / total)
    expect_equal(one$revenue_member_share, seq_len(nrow(one)) / nrow(one))
    before <- cumsum(one$revenue) - one$revenue
    expected <- ifelse(one$revenue <= 0, "tail",
                       ifelse(2 * before < total, "top", ifelse(10 * before < 9 * total, "next_", "tail")))
    expect_identical(one$revenue_class, expected)
    top <- one$revenue_class == "top"
    sentence <- sprintf("%s: %d of %d products make %s of revenue.", region, sum(top), nrow(one),
                        paste(format(round(100 * max(one$revenue_cumulative_share[top]), 1), drop0trailing = TRUE),
                              "%"))
    expect_true(any(grepl(sentence, in_words(t), fixed = TRUE)), label = sentence)
  }
})

test_that("a scope of one cent has shares and classes", {
  book <- a_book(product = c("a", "b", "b"), revenue = c(0.01, 0.02, -0.02))
  x <- add_pareto(totals(book, by = product))
  expect_identical(x$revenue_cumulative_share, c(1, 1))
  expect_identical(as.character(x$revenue_class), c("A", "C"))
})
