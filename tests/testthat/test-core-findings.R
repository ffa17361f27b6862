# Twelve items a day over almost four years: `change` plants what stands out.
planted_shop <- function(change = identity) {
  days <- as.Date("2022-01-01") + 0:1368
  lines <- expand.grid(day = days, product = paste("Item", LETTERS[1:12]), stringsAsFactors = FALSE)
  lines$units <- 1
  lines$price <- 10 + match(lines$product, unique(lines$product))
  lines$region <- ifelse(lines$product %in% paste("Item", LETTERS[1:4]), "North", "South")
  lines <- change(lines)
  lines$revenue <- lines$units * lines$price
  daybook(lines, day, revenue, product, units = units)
}

found_in <- function(change, kind, ...) {
  f <- findings(planted_shop(change), n = 100, ...)
  f[f$kind == kind, ]
}

test_that("where nothing stands out only the change of the whole is told", {
  f <- findings(planted_shop())
  expect_identical(f$kind, "change")
  # A leap day less.
  expect_identical(f$amount, -198)
  expect_snapshot(print(f))
})

test_that("members that fall silent or are new are found, and only these", {
  quiet_since <- as.Date("2025-07-20")
  silent <- found_in(function(x) x[x$product != "Item C" | x$day <= quiet_since, ], "silent")
  expect_identical(silent$member, "Item C")
  expect_equal(silent$amount, -13 * 7 * 8, tolerance = 0.15)
  expect_identical(nrow(found_in(function(x) x[x$product != "Item C" | x$day <= "2025-08-20", ], "silent")), 0L)
  new <- found_in(function(x) x[x$product != "Item D" | x$day > "2025-08-20", ], "new")
  expect_identical(new$member, "Item D")
  expect_identical(new$amount, 14 * 41)
})

test_that("a gap, a day, a month, a price, returns and a spelling that are odd are found", {
  gap <- found_in(function(x) x[format(x$day, "%Y-%m") != "2024-03", ], "gap")
  expect_identical(gap$member, "2024-03-01")
  day <- found_in(function(x) {
    # Without any spread nothing is far from it.
    x$units <- 1 + as.integer(x$day) %% 3
    replace(x, "units", list(ifelse(x$day == "2025-05-05", 60, x$units)))
  }, "day")
  expect_identical(day$member, "2025-05-05")
  month <- found_in(function(x) replace(x, "units", list(ifelse(format(x$day, "%Y-%m") == "2025-06", 3, 1))), "month")
  expect_identical(month$member, "2025-06-01")
  expect_equal(month$amount, 2 * 198 * 30, tolerance = 0.1)
  price <- found_in(function(x) {
    x$price[x$product == "Item B"][500] <- 450
    x
  }, "price")
  expect_identical(price[c("member", "amount")], data.frame(member = "Item B", amount = 438) |> tibble::as_tibble(),
                   ignore_attr = TRUE)
  returns <- found_in(function(x) {
    back <- x$day >= "2025-01-01" & x$product == "Item A" & as.integer(x$day) %% 2 == 0
    replace(x, "units", list(ifelse(back, -1, 1)))
  }, "returns")
  expect_match(returns$finding, "Returns take [0-9.]+ % of what was sold in 2025 to 2025-09-30, against 0.0 %")
  spelling <- found_in(function(x) replace(x, "region", list(ifelse(x$day > "2025-09-01" & x$region == "North",
                                                                   "north ", x$region))), "spelling")
  expect_identical(spelling$member, "north ")
  # Old spellings are nobody's news, and tell nothing else.
  old <- findings(planted_shop(function(x) replace(x, "region", list(ifelse(as.integer(x$day) %% 2 == 0, "north",
                                                                            x$region)))), n = 100)
  expect_false("region" %in% old$column)
})

test_that("change, shares, carriers, leaders and dependence equal SQL", {
  for (seed in seeds(301, 2, 20)) {
    withr::local_seed(seed)
    weight <- stats::rexp(12)
    book <- planted_shop(function(x) {
      x <- x[sample(nrow(x), 4000, prob = weight[match(x$product, unique(x$product))]), ]
      x$units <- stats::rpois(nrow(x), 1 + 3 * stats::runif(12)[match(x$product, unique(x$product))])
      x
    })
    f <- findings(book, n = 100, by = c(product, region), dependence = 0.15)
    lines <- as.data.frame(lines_of(book))
    db <- sql_database(lines = data.frame(day = format(lines$day), product = lines$product, region = lines$region,
                                          cents = round(100 * lines$revenue)))
    last <- format(max(lines$day), "%m-%d")
    for (column in c("'all'", "product", "region")) {
      t <- sql(db, sprintf("SELECT %s AS member,
        sum(CASE WHEN substr(day, 1, 4) = '2025' THEN cents ELSE 0 END) / 100.0 AS now,
        sum(CASE WHEN substr(day, 1, 4) = '2024' AND substr(day, 6) <= '%s' THEN cents ELSE 0 END) / 100.0 AS before
        FROM lines GROUP BY 1", column, last))
      own <- f[f$column == if (column == "'all'") "" else column, ]
      if (column == "'all'") {
        whole <- t
        expect_equal(own$amount[own$kind == "change"], t$now - t$before)
        next
      }
      at <- match(own$member, t$member)
      share <- t$now / whole$now - t$before / whole$before
      expected <- list(carrier = t$now - t$before, share = share * whole$now,
                       dependence = t$now - 0.15 * whole$now,
                       leader = t$now - t$now[which.max(t$before)])
      for (kind in intersect(names(expected), own$kind)) {
        rows <- own$kind == kind
        expect_equal(own$amount[rows], expected[[kind]][at[rows]], info = paste(seed, kind))
      }
      moved <- abs(share) >= 0.01
      expect_true(!any(moved) || any(own$kind %in% c("share", "carrier", "leader", "dependence", "new", "silent")))
    }
  }
})

test_that("periods that cannot be compared give no comparison; a month serves where no year does", {
  short <- function(from) findings(planted_shop(function(x) x[x$day > from, ]), n = 100)
  expect_identical(short("2025-09-15")$kind, character())
  month <- short("2025-06-10")
  expect_match(month$finding[month$kind == "change"], "^Revenue in 2025-09 is .* on 2025-08")
  expect_snapshot(print(short("2025-09-15")))
})

test_that("the same facts give the same findings in any order, from a tally too", {
  odd <- function(x) {
    x$units <- 1 + (as.integer(x$day) + match(x$product, unique(x$product))) %% 4
    x$units[x$day > "2025-03-01" & x$product == "Item A"] <- 9
    x[x$product != "Item C" | x$day <= "2025-07-01", ]
  }
  book <- planted_shop(odd)
  plain <- findings(book, n = 100)
  withr::local_seed(4)
  shuffled <- planted_shop(function(x) odd(x)[sample(nrow(odd(x))), ])
  expect_identical(findings(shuffled, n = 100), plain, ignore_attr = TRUE)
  tally <- tally_of(book, by = c(product, region), measures = c("revenue", "units"))
  of_tally <- findings(tally, n = 100)
  expect_identical(of_tally$finding, plain$finding[!plain$kind %in% c("price", "returns")])
  months <- findings(tally_of(book, by = c(product, region), measures = "revenue", every = "month"), n = 100)
  expect_false(any(months$kind %in% c("day", "silent", "new")))
})

test_that("a whole that came to nothing in both periods is told as it is", {
  nothing <- function(x) {
    x$units <- ifelse(as.integer(x$day) %% 2 == 0, 1, -1)
    days <- sort(unique(x$day[x$day >= "2024-01-01" & x$day <= "2025-12-31"]))
    x <- x[x$day %in% days & x$product %in% c("Item A", "Item B"), ]
    rbind(x, transform(x, units = -units))
  }
  f <- findings(planted_shop(nothing), n = 100)
  expect_match(f$finding[f$kind == "change"], "is 0.00, exactly as much as on the same days of 2024")
  expect_false("carrier" %in% f$kind)
})
