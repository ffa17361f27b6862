test_that("the five tie rules equal SQL window functions, on random lines and the demo", {
  tables <- c(
    lapply(seeds(41, 1, 4),
           function(seed) totals(random_book(seed)$book, by = c(product, region), measures = c("revenue", "units"))),
    list(totals(kilnmoor_book(), by = c(product, region), measures = c("revenue", "units")))
  )
  for (t in tables) {
    db <- sql_database(t = data.frame(tibble::as_tibble(t), cents = round(t$revenue * 100)))
    window <- "OVER (PARTITION BY region ORDER BY units DESC)"
    expected <- sql(db, "SELECT product, region, rank()", window, "AS standard, dense_rank()", window, "AS dense,
      row_number() OVER (PARTITION BY region ORDER BY units DESC, product) AS ordinal,
      (SELECT count(*) FROM t AS u WHERE u.region = t.region AND u.units >= t.units) AS modified FROM t")
    at <- match(paste(t$product, t$region), paste(expected$product, expected$region))
    for (ties in c("standard", "dense", "ordinal", "modified")) {
      ours <- add_rank(t, "units", within = region, ties = ties)
      expect_equal(ours$units_rank, expected[[ties]][at], label = ties)
    }
    expect_equal(add_rank(t, "units", region, "fractional")$units_rank, (expected$standard + expected$modified)[at] / 2)
    lowest <- sql(db, "SELECT product, region, rank() OVER (ORDER BY cents) AS r FROM t")
    at <- match(paste(t$product, t$region), paste(lowest$product, lowest$region))
    expect_equal(add_rank(t, highest_first = FALSE)$revenue_rank, lowest$r[at])
  }
})

test_that("exact ties share a rank, also when cents were added in another order", {
  t <- totals(kilnmoor_book(), by = c(region, category, product))
  ranked <- add_rank(t, within = c(region, category))
  top <- ranked[ranked$region == "Highfen" & ranked$category == "Packing & safety" & ranked$revenue_rank == 1, ]
  expect_setequal(top$product, c("Double-wall box medium", "Honeycomb wrap 50 m"))
  book <- daybook(a_sale(product = c("a", "a", "b"), revenue = c(0.1, 0.2, 0.3)), day, revenue, product)
  expect_identical(add_rank(totals(book, by = product))$revenue_rank, c(1, 1))
})

test_that("equal means tie although their sums differ", {
  book <- daybook(a_sale(product = c("a", "a", "a", "b", "b", "b", "b", "b", "b"),
                         revenue = c(0.1, 0, 0, 0.2, 0, 0, 0, 0, 0)),
                  day, revenue, product)
  t <- totals(book, by = product, measures = list(mean = mean_of(revenue)))
  expect_identical(add_rank(t, "mean")$mean_rank, c(1, 1))
})

test_that("each level ranks among its own, several ranks stand side by side, and row order does not matter", {
  t <- totals(kilnmoor_book(), by = c(region, category), subtotals = TRUE)
  ranked <- add_rank(add_rank(t, within = region), name = "rank_overall")
  expect_identical(ranked$revenue_rank[ranked$level == "region"], rep(1, 4))
  expect_identical(sort(ranked$rank_overall[ranked$level == "region"]), c(1, 2, 3, 4))
  shuffle <- sample(nrow(t))
  expect_identical(add_rank(t[shuffle, ], within = region)$revenue_rank, ranked$revenue_rank[shuffle])
  change <- add_change(totals(kilnmoor_book(), by = region, every = "year"))
  expect_true(all(is.na(add_rank(change, "revenue_change_pct", year)$revenue_change_pct_rank[1:4])))
})

test_that("rank is a function of value, for random tables", {
  for (seed in seeds(45, 2, 6)) {
    t <- totals(random_book(seed)$book, by = c(product, region), every = "week", measures = "units")
    r <- add_rank(t, "units", week)
    by_value <- split(r$units_rank, paste(r$week, r$units))
    expect_true(all(vapply(by_value, function(x) length(unique(x)) == 1, NA)))
  }
})

test_that("words tell scope, order, ties and the default", {
  units <- add_rank(totals(kilnmoor_book(), by = region, measures = units))
  expect_match(in_words(units), "equal units share the better rank", all = FALSE)
  t <- totals(kilnmoor_book(), by = c(region, category))
  expect_snapshot({
    in_words(add_rank(t, within = region, ties = "dense"))[2:3]
    in_words(add_rank(t))[2]
  })
})

test_that("mistakes are explained", {
  t <- totals(kilnmoor_book(), by = c(region, category))
  expect_snapshot(error = TRUE, {
    add_rank(t, within = town)
    add_rank(t, "region")
    add_rank(t, "units")
    add_rank(t, ties = "first")
    add_rank(add_rank(t))
    add_rank(tibble::as_tibble(t))
  })
})

test_that("only fractional ranks have halves, also where none is shared", {
  t <- totals(a_book(product = c("a", "b"), revenue = c(2, 1)), by = product)
  even <- totals(a_book(product = c("a", "b"), revenue = c(2, 2)), by = product)
  expect_match(format(add_rank(even, ties = "fractional")), "^a .* 1[.]50$", all = FALSE)
  expect_match(format(add_rank(t)), "^a .* 1$", all = FALSE)
})

test_that("the first is the one that best_sellers() picks, also of recurring periods that occur unequally often", {
  t <- quiet(totals(kilnmoor_book(), by = region, every = "month_of_year", subtotals = TRUE))
  ranked <- add_rank(t, within = region)
  best <- best_sellers(t, n = 2, within = region)
  own <- ranked[ranked$level == "region" & ranked$revenue_rank <= 2, ]
  expect_setequal(paste(own$region, own$month_of_year, own$revenue_rank),
                  paste(best$region, best$month_of_year, best$revenue_rank))
  expect_match(in_words(ranked), "by revenue per single month", all = FALSE)
  # September is not whole in the last year: its lines of that year do not count.
  months <- ranked[ranked$level == "month_of_year", ]
  whole <- totals(keep_lines(kilnmoor_book(), day < as.Date("2026-09-01")), every = "month")
  mean <- tapply(whole$revenue, format(whole$month, "%m"), mean)
  expect_equal(months$revenue_rank, as.vector(rank(-mean)))
})
