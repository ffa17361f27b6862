test_that("best sellers of each scope equal SQL, ties at the edge included", {
  book <- kilnmoor_book()
  db <- demo_database()
  ours <- best_sellers(totals(book, by = c(category, region, product)), n = 2, within = c(category, region))
  expected <- sql(db, "
    SELECT * FROM (
      SELECT *, rank() OVER (PARTITION BY category, region ORDER BY c DESC) AS r,
      sum(c) OVER (PARTITION BY category, region) AS s,
        sum(c) OVER (PARTITION BY category) AS k
      FROM (SELECT coalesce(category, 'not given') AS category, region, product, sum(units) AS c FROM sales GROUP BY 1,
            2, 3))
    WHERE r <= 2 ORDER BY k DESC, s DESC, r, product")
  expect_identical(ours$product, expected$product)
  expect_identical(ours$region, expected$region)
  expect_equal(ours$revenue_rank, expected$r)
  cut <- best_sellers(totals(book, by = c(category, region, product)), n = 1, within = c(category, region),
                      ties = "ordinal")
  highfen <- function(t) t$product[t$region == "Highfen" & t$category == "Packing & safety"]
  expect_identical(highfen(cut), "Double-wall box medium")
  kept <- best_sellers(totals(book, by = c(category, region, product)), n = 1, within = c(category, region))
  expect_identical(highfen(kept), c("Double-wall box medium", "Honeycomb wrap 50 m"))
})

test_that("others hold the rest, so each scope keeps its total", {
  t <- totals(kilnmoor_book(), by = c(region, product), measures = c("revenue", "lines"))
  ours <- best_sellers(t, n = 3, within = region, others = TRUE)
  whole <- totals(kilnmoor_book(), by = region)
  expect_equal(c(tapply(ours$revenue, ours$region, sum))[whole$region], whole$revenue, ignore_attr = TRUE)
  expect_identical(ours$product[4], "others (69)")
  expect_identical(sum(ours$lines), 56100)
  expect_true(all(is.na(ours$revenue_rank[grepl("^others", ours$product)])))
  expect_snapshot(print(ours, n = 8))
})

test_that("slow sellers come from the bottom, and a share can be the bound", {
  t <- totals(kilnmoor_book(), by = product)
  slow <- slow_sellers(t, n = 2)
  expect_identical(slow$product, rev(utils::tail(t$product, 2)))
  expect_identical(slow$revenue_rank, c(1, 2))
  big <- best_sellers(t, share = 0.05)
  expect_identical(big$revenue, t$revenue[t$revenue / sum(t$revenue) >= 0.05])
  expect_identical(nrow(slow_sellers(t, share = 0.05)) + nrow(big), nrow(t))
})

test_that("subtotals are nobody's best seller", {
  t <- totals(kilnmoor_book(), by = c(region, product), subtotals = TRUE)
  expect_false("Total" %in% best_sellers(t, n = 1, within = region)$product)
})

test_that("one row per scope names all that tie", {
  t <- totals(kilnmoor_book(), by = c(category, region, product))
  best <- best_of_each(t, within = c(category, region))
  highfen <- best[best$region == "Highfen" & best$category == "Packing & safety", ]
  expect_identical(highfen$best_seller, "Double-wall box medium, Honeycomb wrap 50 m")
  expect_identical(highfen$tied, 2L)
  expect_equal(highfen$best_seller_share, highfen$best_seller_revenue / highfen$revenue)
  days <- quiet(best_of_each(totals(kilnmoor_book(), by = product, every = "weekday"), within = product))
  expect_true("best_weekday" %in% names(days))
  db <- demo_database()
  needle <- sql(db, "SELECT", sql_periods[["weekday"]],
                "AS w FROM sales WHERE product = 'Needle tool' GROUP BY 1 ORDER BY sum(units) DESC LIMIT 1")$w
  expect_identical(days$best_weekday[days$product == "Needle tool"], needle)
  profit <- totals(kilnmoor_book(), by = c(region, product),
                   measures = list(profit = sum_of(revenue - units * unit_cost)))
  expect_identical(nrow(best_of_each(profit, region, "profit")), 4L)
})

test_that("words and mistakes", {
  t <- totals(kilnmoor_book(), by = c(region, product))
  expect_snapshot(in_words(best_sellers(t, 3, region, others = TRUE))[2:5])
  expect_snapshot(error = TRUE, {
    best_sellers(t, n = 0)
    best_sellers(t, share = 2)
    best_of_each(t, within = c(region, product))
  })
})

test_that("only rows that can be picked are ordered, and no pick is lost", {
  withr::local_seed(41)
  n <- 4000
  book <- daybook(tibble::tibble(
    day = as.Date("2026-01-01"), product = sprintf("P%04d", seq_len(n)), region = sample(c("a", "b", "c"), n, TRUE),
    revenue = sample(c(-3:60), n, TRUE) / 4, cost = stats::runif(n)
  ), day, revenue, product, decimals = c(revenue = 2, cost = 6))
  t <- totals(book, by = c(region, product), measures = c("revenue", "cost"))
  for (ties in c("standard", "dense", "ordinal", "modified", "fractional")) {
    for (n in c(1, 3, 40, 200, 5000)) {
      for (of in c("revenue", "cost")) {
        ranked <- add_rank(t, of, within = region, ties = ties)
        best <- best_sellers(t, n, within = region, of = of, ties = ties)
        rank <- ranked[[paste0(of, "_rank")]]
        expect_setequal(best$product, t$product[rank <= n])
        expect_identical(best[[paste0(of, "_rank")]], rank[match(best$product, t$product)])
        slow <- slow_sellers(t, n, within = region, of = of, ties = ties)
        rank <- add_rank(t, of, within = region, ties = ties, highest_first = FALSE)[[paste0(of, "_rank")]]
        expect_setequal(slow$product, t$product[rank <= n])
      }
    }
  }
})

test_that("rows without a value are never picked", {
  withr::local_seed(42)
  book <- daybook(tibble::tibble(
    day = as.Date("2026-01-01"), product = rep(sprintf("P%03d", 1:300), 2), revenue = sample(50, 600, TRUE),
    web = rep(c(TRUE, FALSE), 300)
  ), day, revenue, product)
  t <- totals(book, by = product, measures = list("revenue", web = mean_of(revenue, where = web)))
  expect_gt(sum(is.na(t$web)), 100)
  best <- best_sellers(t, 2, of = "web")
  expect_identical(sort(best$web, decreasing = TRUE),
                   sort(t$web[which(t$web >= sort(t$web, decreasing = TRUE)[2])], decreasing = TRUE))
  rest <- best_sellers(t, 2, of = "revenue", others = TRUE)
  expect_identical(sum(rest$revenue), sum(t$revenue))
})

test_that("the best by several measures stand in one row", {
  measures <- list("revenue", price = ratio_of(revenue, units))
  t <- totals(kilnmoor_book(), by = c(region, product), measures = measures)
  both <- best_of_each(t, within = region, of = c("revenue", "price"))
  one <- best_of_each(t, within = region)
  two <- best_of_each(t, within = region, of = "price")
  two <- two[match(one$region, two$region), ]
  expect_identical(as.list(as.data.frame(both))[2:6], unname(as.list(as.data.frame(one)))[2:6], ignore_attr = TRUE)
  expect_identical(both$best_seller_by_price, two$best_seller)
  expect_identical(both$best_seller_price, two$best_seller_price)
  expect_named(both, c("region", "revenue", "best_seller_by_revenue", "tied_by_revenue", "best_seller_revenue",
                       "best_seller_revenue_share", "price", "best_seller_by_price", "tied_by_price",
                       "best_seller_price", "best_seller_price_share"))
  expect_error(best_of_each(t, within = region, of = c("revenue", "revenue")), class = "hinterfeld_error_measure")
})

test_that("the best of a ratio is the ratio, and a period that all rows are of is told once", {
  t <- totals(kilnmoor_book(), by = c(region, product), measures = list(price = ratio_of(revenue, units)))
  best <- best_of_each(t, within = region, of = "price")
  highest <- vapply(split(t$price, factor(t$region, best$region)), max, 0, USE.NAMES = FALSE)
  expect_identical(best$best_seller_price, highest)
  day <- in_period(totals(kilnmoor_book(), by = c(category, product), every = "day"), "2024-07-11")
  one <- best_of_each(day, within = category)
  expect_true("best_seller" %in% names(one))
  expect_true(all(one$best_seller %in% day$product))
  expect_match(in_words(one), "Days: 2024-07-11 to 2024-07-11", all = FALSE)
  each <- best_of_each(totals(kilnmoor_book(), by = product, every = "day"), within = day)
  expect_false(is.unsorted(each$day))
})

test_that("who makes all that is sold can be asked for, and what is above 0 is not called otherwise", {
  t <- totals(a_book(product = c("a", "b"), revenue = c(3, 1)), by = product)
  expect_identical(best_sellers(totals(a_book(), by = product), share = 1)$product, "Needle tool")
  expect_identical(best_sellers(t, share = 0.75)$product, "a")
  expect_no_message(add_pareto(t))
  expect_message(add_pareto(totals(a_book(product = c("a", "b"), revenue = c(3, 0)), by = product)),
                 "1 member at or below 0")
})

test_that("a group that comes to nothing has a best member and no share", {
  book <- daybook(a_sale(product = c("a", "b", "c"), region = c("n", "n", "s"), revenue = c(2, -2, 1)), day, revenue,
                  product)
  best <- best_of_each(totals(book, by = c(region, product)), within = region)
  expect_identical(best$best_seller[best$region == "n"], "a")
  expect_identical(best[[length(best)]][best$region == "n"], NA_real_)
})

test_that("the code of a second pick is that of the first, whatever its rank is called", {
  t <- totals(kilnmoor_book(), by = c(region, product))
  twice <- slow_sellers(best_sellers(t, 5, within = region), 2)
  expect_identical(as.data.frame(eval(parse(text = as_code(inquiry_of(twice))), list(book = kilnmoor_book()))),
                   as.data.frame(twice))
})

test_that("a pick that leaves no rest has no row for it, whatever the periods", {
  t <- totals(kilnmoor_book(), every = c("year", "quarter_of_year"))
  all <- best_sellers(t, 5, within = year, others = TRUE)
  expect_identical(nrow(all), nrow(t))
  expect_s3_class(all$quarter_of_year, "factor")
  expect_no_match(format(all), "others", all = FALSE)
  some <- best_sellers(t, 2, within = year, others = TRUE)
  expect_match(format(some), "others (2)", fixed = TRUE, all = FALSE)
  expect_s3_class(autoplot(some), "ggplot")
})
