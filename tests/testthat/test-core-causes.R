# Volume, mix and price of two years as SQL computes them, for each region and for all, of lines that are `sold`; also
# what list prices make of the price.
sql_causes <- function(db, scope, sold = "1") {
  sql(db, paste("
    WITH years AS (SELECT", scope, "AS scope, product, substr(day, 1, 4) AS year, sum(units) AS r, sum(pieces) AS q,
      sum(listed) AS l FROM sales WHERE", sold, "GROUP BY 1, 2, 3),
    members AS (SELECT scope, product,
      sum(CASE year WHEN '2024' THEN r ELSE 0 END) AS r0, sum(CASE year WHEN '2025' THEN r ELSE 0 END) AS r1,
      sum(CASE year WHEN '2024' THEN l ELSE 0 END) AS l0, sum(CASE year WHEN '2025' THEN l ELSE 0 END) AS l1,
      sum(CASE year WHEN '2024' THEN q ELSE 0 END) AS q0, sum(CASE year WHEN '2025' THEN q ELSE 0 END) AS q1
      FROM years GROUP BY 1, 2),
    kinds AS (SELECT *, q0 > 0 AND r0 >= 0 AS earlier, q1 > 0 AND r1 >= 0 AS later FROM members),
    sums AS (SELECT scope,
      sum(CASE WHEN earlier AND later THEN r0 END) AS r0, sum(CASE WHEN earlier AND later THEN r1 END) AS r1,
      sum(CASE WHEN earlier AND later THEN q0 END) AS q0, sum(CASE WHEN earlier AND later THEN q1 END) AS q1,
      sum(CASE WHEN earlier AND later THEN q1 * 1.0 * r0 / q0 END) AS priced,
      sum(CASE WHEN earlier AND later THEN l1 - q1 * 1.0 * l0 / q0 END) AS listed,
      sum(CASE WHEN NOT earlier THEN r1 - r0 ELSE 0 END) AS came,
      sum(CASE WHEN earlier AND NOT later THEN r1 - r0 ELSE 0 END) AS gone FROM kinds GROUP BY 1)
    SELECT scope, coalesce(r0 * 1.0 * q1 / q0 - r0, 0) / 100 AS volume,
      coalesce(priced - r0 * 1.0 * q1 / q0, 0) / 100 AS mix, coalesce(r1 - priced, 0) / 100 AS price,
      coalesce(listed, 0) / 100 AS list_price,
      came / 100.0 AS came, gone / 100.0 AS gone FROM sums ORDER BY scope"))
}

# Two years of sales, with returns, gifts, products that come and go, and blanks.
two_years <- function(seed, env = parent.frame()) {
  withr::local_seed(seed)
  n <- 300
  lines <- data.frame(
    day = as.Date("2024-01-01") + sample(0:730, n, TRUE), product = sample(c(letters[1:9], NA), n, TRUE),
    region = sample(c("Vale", "Highfen", NA), n, TRUE), pieces = sample(c(-2, 0:9), n, TRUE),
    cents = sample(c(-500, 0:3000), n, TRUE), list = sample(c(NA, 250, 475, 1000), n, TRUE)
  )
  # Both years are whole, whatever is left out below.
  lines$day[1:2] <- as.Date(c("2024-01-01", "2025-12-31"))
  lines$product[1:2] <- "c"
  came <- lines$product %in% "a" & lines$day < "2025-01-01"
  gone <- lines$product %in% "b" & lines$day > "2024-12-31"
  lines <- lines[!came & !gone, ]
  lines$product[is.na(lines$product)] <- "k"
  lines$list_price <- lines$list / 100
  book <- daybook(tibble::tibble(lines, revenue = lines$cents / 100), day, revenue, product, units = pieces)
  sales <- data.frame(day = format(lines$day), product = lines$product,
                      region = ifelse(is.na(lines$region), "not given", lines$region), pieces = lines$pieces,
                      units = lines$cents, listed = ifelse(is.na(lines$list), lines$cents, lines$list * lines$pieces))
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

test_that("returns and discounts are causes of their own when asked, as SQL has them, and all add up", {
  for (seed in seeds(221, 3, 20)) {
    shop <- two_years(seed)
    t <- quiet(add_change(totals(shop$book, by = region, every = "year", subtotals = list("region", "year"))))
    x <- in_period(add_causes(t, list_price = "list_price", returns = TRUE), "2025")
    expected <- rbind(sql_causes(shop$db, "region", "units >= 0"), sql_causes(shop$db, "'Total'", "units >= 0"))
    returned <- "SELECT %s AS scope, sum(CASE substr(day, 1, 4) WHEN '2025' THEN units ELSE -units END) / 100.0 AS x
                 FROM sales WHERE units < 0 GROUP BY 1"
    returned <- rbind(sql(shop$db, sprintf(returned, "region")), sql(shop$db, sprintf(returned, "'Total'")))
    ours <- as.data.frame(tibble::as_tibble(x))[match(expected$scope, x$region), ]
    expect_lt(max(abs(ours$revenue_volume - expected$volume)), 0.0101)
    expect_lt(max(abs(ours$revenue_price - expected$list_price)), 0.0101)
    expect_lt(max(abs(ours$revenue_discount - (expected$price - expected$list_price))), 0.0201)
    back <- returned$x[match(ours$region, returned$scope)]
    expect_equal(ours$revenue_returns, replace(back, is.na(back), 0))
    parts <- c("volume", "mix", "price", "discount", "new", "gone", "returns")
    expect_equal(rowSums(round(100 * ours[paste0("revenue_", parts)])), round(100 * ours$revenue_change),
                 ignore_attr = TRUE)
    expect_true(all(reconcile(x)$matches))
    tally <- tally_of(shop$book, by = c(region, product), measures = list(
      "revenue", sold = sum_of(revenue, where = revenue >= 0), pieces = sum_of(units, where = revenue >= 0),
      listed = sum_of(ifelse(is.na(list_price), revenue, list_price * units), where = revenue >= 0),
      back = sum_of(revenue, where = revenue < 0)
    ))
    told <- quiet(add_change(totals(tally, by = region, every = "year", subtotals = list("region", "year"))))
    expect_identical(as.data.frame(in_period(add_causes(told, list_price = "list_price", returns = TRUE), "2025")),
                     as.data.frame(x))
  }
  expect_snapshot({
    writeLines(grep("volume", in_words(x), value = TRUE))
    writeLines(as_code(inquiry_of(x)))
    add_causes(t, list_price = "lost_price")
  }, error = TRUE)
  expect_drawn(figure_causes(x))
  expect_identical(layer_of(figure_causes(x), "GeomRect") > 0, TRUE)
})

test_that("a brief keeps what returns and list prices need, and the command line asks for them", {
  lines <- c("day,product,revenue,status,region,units,list_price", "2025-02-03,Bowl,10,paid,Vale,2,6",
             "2025-03-03,Bowl,-5,paid,Vale,-1,6", "2026-02-03,Bowl,30,paid,Vale,5,7",
             "2026-03-03,Jug,-4,paid,Vale,-1,5",
             "2026-03-03,Jug,12,paid,Vale,2,6")
  path <- brief_folder(paste0(
    sub("revenue: revenue", "revenue: revenue\n  units: units\n  covers: [\"2025-01-01\", \"2026-12-31\"]",
        sub("(?s)tables:.*?(?=outputs:)", "tables:\n  why:\n    every: year\n    add:\n      - change:
      - causes: {list_price: list_price, returns: true}\n    in_period: \"2026\"\n", small_brief, perl = TRUE))
  ), paste0(lines, "\n"))
  expect_identical(nrow(check_brief(path)), 0L)
  run <- function(...) {
    quiet(run_brief(path, again = TRUE, ...))
    readLines(file.path(dirname(path), "out", "why.csv"))
  }
  plain <- run()
  # Of 10 for 2 bowls and 30 for 5: 25 for 5, then list prices add 5, discounts nothing; returns were -5, are -4.
  expect_identical(unlist(utils::read.csv(text = plain)[c(8:14)], use.names = FALSE), c(15, 0, 5, 0, 12, 0, 1))
  store <- withr::local_tempdir()
  expect_identical(run(store = store), plain)
  sales <- file.path(dirname(path), "sales.csv")
  asked <- c("totals", sales, "--units", "units", "--every", "year", "--change", "year_before", "--csv")
  told <- run_cli(c(asked, "--causes", "--returns", "--list-price", "list_price"))
  expect_match(told$stdout, "revenue_discount,revenue_new,revenue_gone,revenue_returns,")
  expect_match(run_cli(c(asked, "--returns"))$stderr, "--returns goes with --causes")
  alone <- run_cli(c(asked[!asked %in% c("--change", "year_before")], "--causes"))
  expect_match(alone$stderr, "Use --change as well as --causes")
  expect_match(run_cli("totals", sales, "--per-open-day")$stderr, "--per-open-day goes with --change or --compare")
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
