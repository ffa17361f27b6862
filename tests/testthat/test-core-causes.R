# Volume, mix and price of two years as SQL computes them, for each region and for all.
sql_causes <- function(db, scope) {
  sql(db, paste("
    WITH years AS (SELECT", scope, "AS scope, product, substr(day, 1, 4) AS year, sum(units) AS r, sum(pieces) AS q
      FROM sales GROUP BY 1, 2, 3),
    members AS (SELECT scope, product,
      sum(CASE year WHEN '2024' THEN r ELSE 0 END) AS r0, sum(CASE year WHEN '2025' THEN r ELSE 0 END) AS r1,
      sum(CASE year WHEN '2024' THEN q ELSE 0 END) AS q0, sum(CASE year WHEN '2025' THEN q ELSE 0 END) AS q1
      FROM years GROUP BY 1, 2),
    kinds AS (SELECT *, q0 > 0 AND r0 >= 0 AS earlier, q1 > 0 AND r1 >= 0 AS later FROM members),
    sums AS (SELECT scope,
      sum(CASE WHEN earlier AND later THEN r0 END) AS r0, sum(CASE WHEN earlier AND later THEN r1 END) AS r1,
      sum(CASE WHEN earlier AND later THEN q0 END) AS q0, sum(CASE WHEN earlier AND later THEN q1 END) AS q1,
      sum(CASE WHEN earlier AND later THEN q1 * 1.0 * r0 / q0 END) AS priced,
      sum(CASE WHEN NOT earlier THEN r1 - r0 ELSE 0 END) AS came,
      sum(CASE WHEN earlier AND NOT later THEN r1 - r0 ELSE 0 END) AS gone FROM kinds GROUP BY 1)
    SELECT scope, coalesce(r0 * 1.0 * q1 / q0 - r0, 0) / 100 AS volume,
      coalesce(priced - r0 * 1.0 * q1 / q0, 0) / 100 AS mix, coalesce(r1 - priced, 0) / 100 AS price,
      came / 100.0 AS came, gone / 100.0 AS gone FROM sums ORDER BY scope"))
}

# Two years of sales, with returns, gifts, products that come and go, and blanks.
two_years <- function(seed, env = parent.frame()) {
  withr::local_seed(seed)
  n <- 300
  lines <- data.frame(
    day = as.Date("2024-01-01") + sample(0:730, n, TRUE), product = sample(c(letters[1:9], NA), n, TRUE),
    region = sample(c("Vale", "Highfen", NA), n, TRUE), pieces = sample(c(-2, 0:9), n, TRUE),
    cents = sample(c(-500, 0:3000), n, TRUE)
  )
  # Both years are whole, whatever is left out below.
  lines$day[1:2] <- as.Date(c("2024-01-01", "2025-12-31"))
  lines$product[1:2] <- "c"
  came <- lines$product %in% "a" & lines$day < "2025-01-01"
  gone <- lines$product %in% "b" & lines$day > "2024-12-31"
  lines <- lines[!came & !gone, ]
  lines$product[is.na(lines$product)] <- "k"
  book <- daybook(tibble::tibble(lines, revenue = lines$cents / 100), day, revenue, product, units = pieces)
  sales <- data.frame(day = format(lines$day), product = lines$product,
                      region = ifelse(is.na(lines$region), "not given", lines$region), pieces = lines$pieces,
                      units = lines$cents)
  list(book = book, db = sql_database(sales = sales, env = env))
}

test_that("causes equal SQL for every row and subtotal, and add up to the change to the minor unit", {
  for (seed in seeds(201, 3, 20)) {
    shop <- two_years(seed)
    t <- totals(shop$book, by = region, every = "year", subtotals = list("region", "year"))
    t <- in_period(add_causes(quiet(add_change(t))), "2025")
    expected <- rbind(sql_causes(shop$db, "region"), sql_causes(shop$db, "'Total'"))
    ours <- as.data.frame(tibble::as_tibble(t))[match(expected$scope, t$region), ]
    for (name in c("volume", "mix", "price")) {
      expect_lt(max(abs(ours[[paste0("revenue_", name)]] - expected[[name]])), 0.0101)
    }
    expect_equal(ours$revenue_new, expected$came)
    expect_equal(ours$revenue_gone, expected$gone)
    cents <- function(name) round(ours[[paste0("revenue_", name)]] * 100)
    checked <- reconcile(t[setdiff(names(t), c("revenue_before", "revenue_causes"))])
    expect_identical(checked$of[checked$measure == "revenue_change"], "its causes")
    expect_true(all(checked$matches))
    expect_identical(cents("volume") + cents("mix") + cents("price") + cents("new") + cents("gone"), cents("change"))
  }
})

test_that("named periods, other members, a tally and a renamed column have the same causes", {
  shop <- two_years(7)
  year <- function(year) as.Date(paste0(year, c("-01-01", "-12-31")))
  named <- add_causes(add_change(totals(shop$book, by = region),
                                 periods = list(now = year(2025), before = year(2024))))
  yearly <- in_period(add_causes(quiet(add_change(totals(shop$book, by = region, every = "year")))), "2025")
  outputs <- paste0("revenue_", c("volume", "mix", "price", "new", "gone"))
  at <- match(named$region, yearly$region)
  expect_identical(as.list(named[outputs]), as.list(yearly[at, outputs]))
  tally <- quiet(tally_of(shop$book, by = c(region, product), measures = c("revenue", "units")))
  asked <- function(facts) add_causes(quiet(add_change(totals(facts, by = region, every = "year", subtotals = TRUE))))
  expect_identical(tibble::as_tibble(asked(tally)), tibble::as_tibble(asked(shop$book)))
  # Split by its own members a row has no mix.
  own <- add_causes(quiet(add_change(totals(shop$book, by = product, every = "year"))))
  expect_true(all(own$revenue_mix %in% c(0, NA)))
  # Several periods: a year has causes, a quarter of all years has no earlier one.
  several <- quiet(add_causes(add_change(totals(shop$book, by = region, every = c("year", "quarter_of_year"),
                                                subtotals = TRUE))))
  expect_identical(is.na(several$revenue_volume), several$revenue_direction == "unknown")
  expect_setequal(several$quarter_of_year[several$revenue_causes == "split"], c("Q1", "Q2", "Q3", "Q4", "Total"))
  by_region <- add_causes(quiet(add_change(totals(shop$book, every = "year"))), over = region, name = "by_region")
  expect_named(by_region[2, c("by_region_volume", "by_region_causes")])
  renamed <- quiet(dplyr::rename(yearly, place = region))
  expect_match(format(in_words(renamed)), "revenue_mix is the shift between cheaper and dearer products", all = FALSE)
  again <- eval(parse(text = as_code(inquiry_of(yearly))), list(book = shop$book))
  expect_identical(tibble::as_tibble(again), tibble::as_tibble(yearly))
})

test_that("what has no causes says so", {
  book <- kilnmoor_book()
  t <- add_causes(add_change(totals(book, by = region, every = "year", subtotals = TRUE)))
  expect_identical(unique(t$revenue_causes[t$revenue_direction == "unknown"]), "unknown")
  expect_snapshot(print(in_period(t, "2026"), n = 5))
  expect_snapshot(error = TRUE, {
    add_causes(totals(book, every = "year"))
    add_causes(add_change(totals(book, every = "year", measures = list(mean = mean_of(revenue))), of = "mean"),
               of = "mean")
    add_causes(add_change(totals(book, every = "year")), over = c(region, town))
    add_causes(add_change(totals(tally_of(book, by = region), every = "year")))
  })
})
