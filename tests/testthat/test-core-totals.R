test_that("daily and monthly product revenue equal SQL in every row and in order", {
  db <- demo_database()
  book <- kilnmoor_book()
  daily <- sql(db, "SELECT day, product, sum(units) AS units FROM sales GROUP BY day, product
                    ORDER BY day, units DESC, product")
  ours <- totals(book, by = product, every = "day")
  expect_identical(format(ours$day), daily$day)
  expect_identical(ours$product, daily$product)
  expect_identical(ours$revenue, daily$units / 100)

  monthly <- sql(db, "SELECT substr(day, 1, 7) || '-01' AS month, product, sum(units) AS units FROM sales
                      GROUP BY month, product ORDER BY month, units DESC, product")
  ours <- totals(book, by = "product", every = "month")
  expect_identical(format(ours$month), monthly$month)
  expect_identical(ours$product, monthly$product)
  expect_identical(ours$revenue, monthly$units / 100)
})

test_that("nested groups equal SQL and stand inside each other", {
  db <- demo_database()
  nested <- sql(db, "
    SELECT category, product, region, units FROM (
      SELECT *, sum(units) OVER (PARTITION BY category) AS c, sum(units) OVER (PARTITION BY category, product) AS p
      FROM (SELECT coalesce(category, 'not given') AS category, product, region, sum(units) AS units
            FROM sales GROUP BY 1, 2, 3))
    ORDER BY c DESC, category, p DESC, product, units DESC, region")
  ours <- totals(kilnmoor_book(), by = c(category, product, region))
  expect_identical(ours$category, nested$category)
  expect_identical(ours$product, nested$product)
  expect_identical(ours$region, nested$region)
  expect_identical(ours$revenue, nested$units / 100)
})

test_that("random lines equal SQL, whatever their order", {
  for (seed in seeds(1, 3, 10)) {
    sales <- random_sales(seed)
    book <- daybook(sales, day, pieces * price, product, on_bad = "set_aside")
    lines <- lines_of(book)
    db <- sql_database(lines = data.frame(
      day = format(lines$day), product = lines$product, region = lines$region, units = round(lines$revenue * 100)
    ))
    expected <- sql(db, "SELECT day, product, coalesce(region, 'not given') AS region, sum(units) AS units
                         FROM lines GROUP BY 1, 2, 3")
    ours <- totals(book, by = c(region, product), every = "day")
    ours_key <- paste(ours$day, ours$product, ours$region)
    expect_setequal(ours_key, paste(expected$day, expected$product, expected$region))
    at <- match(ours_key, paste(expected$day, expected$product, expected$region))
    expect_identical(ours$revenue, expected$units[at] / 100)

    shuffled <- daybook(sales[sample(nrow(sales)), ], day, pieces * price, product, on_bad = "set_aside")
    expect_identical(tibble::as_tibble(totals(shuffled, by = c(region, product), every = "day")),
                     tibble::as_tibble(ours))
  }
})

test_that("no split gives one row, and its total is the audit's", {
  book <- kilnmoor_book()
  t <- totals(book)
  expect_identical(t$revenue, utils::tail(audit(book)$revenue_after, 1))
})

test_that("numbers, dates and logicals split too", {
  book <- daybook(a_sale(shop = c(10, 9, NA), web = c(TRUE, FALSE, TRUE), revenue = c(1, 1, 3)), day, revenue, product)
  expect_identical(totals(book, by = shop)$shop, c(NA, 9, 10))
  expect_identical(totals(book, by = web)$revenue, c(4, 1))
  expect_identical(totals(book, by = day)$day, as.Date("2026-03-02"))
})

test_that("a key space wider than any integer is handled", {
  n <- 300
  wide <- a_sale(revenue = rep(1, n))
  for (i in 1:9) wide[[paste0("k", i)]] <- paste0(i, "-", (seq_len(n) * i) %% 251)
  book <- daybook(wide, day, revenue, product)
  expect_no_warning(t <- totals(book, by = tidyselect::starts_with("k"), subtotals = "k1"))
  expect_identical(sum(t$revenue[t$level == "k1"]), as.double(n))
  t <- t[t$level == "k9", names(t) != "level"] |> quiet()
  expect_identical(sum(t$revenue), as.double(n))
  expect_identical(nrow(t), nrow(unique(wide[-(1:3)])))
  expect_identical(sort(do.call(paste, as.list(tibble::as_tibble(t))[1:9])),
                   sort(unique(do.call(paste, as.list(wide)[4:12]))))
})

test_that("mistakes are explained", {
  book <- a_book(region = "Vale")
  expect_snapshot(error = TRUE, {
    totals(book, by = regoin)
    totals(book, by = "regoin")
    totals(book, by = revenue)
    totals(book, every = "monthly")
    totals(book, measures = "profit")
    totals(1)
  })
})

test_that("fiscal years and weeks from Sunday equal SQL on random lines", {
  for (seed in seeds(101, 1, 3)) {
    random <- random_book(seed, days = 800, calendar = sales_calendar("04-06", week_starts = "sunday"))
    periods <- c(
      week = "date(day, 'weekday 6', '-6 days')", month = "date(day, '-5 days', 'start of month', '+5 days')",
      # Month arithmetic from the first of the month: a long month must not slip into the next.
      year = "printf('%04d-04-06', substr(date(day, '-5 days', 'start of month', '-3 months'), 1, 4))"
    )
    for (every in names(periods)) {
      rows <- sql(random$db, "SELECT", periods[[every]],
                  "AS p, sum(cents) / 100.0 AS r FROM lines GROUP BY 1 ORDER BY 1")
      ours <- totals(random$book, every = every)
      expect_identical(format(ours[[every]]), rows$p)
      expect_equal(ours$revenue, rows$r)
    }
  }
})
