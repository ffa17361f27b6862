# Twelve items a day over almost four years: `change` plants what stands out.
planted_lines <- local({
  days <- as.Date("2022-01-01") + 0:1368
  items <- paste("Item", LETTERS[1:12])
  each <- function(x) rep(x, each = length(days))
  data.frame(day = rep(days, 12), month = rep(format(days, "%Y-%m"), 12), product = each(items), units = 1,
             price = each(10 + 1:12), region = each(rep(c("North", "South"), c(4, 8))))
})

planted_shop <- function(change = identity) {
  lines <- change(planted_lines)
  lines$revenue <- lines$units * lines$price
  lines$month <- NULL
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
  expect_match(new$finding, "since the week of 2025-08-18", fixed = TRUE)
})

test_that("a gap, a day, a month, a price, returns and a spelling that are odd are found", {
  gap <- found_in(function(x) x[x$month != "2024-03", ], "gap")
  expect_identical(gap$member, "2024-03-01")
  gaps <- found_in(function(x) x[!x$month %in% c("2023-02", "2024-03", "2024-04", "2024-05"), ], "gap")
  expect_match(gaps$finding, "^2024-03 to 2024-05 have not a single line|^2023-02 has")
  expect_identical(gaps$amount, c(3, 1) * gaps$amount[2])
  day <- found_in(function(x) {
    # Without any spread nothing is far from it.
    x$units <- 1 + as.integer(x$day) %% 3
    replace(x, "units", list(ifelse(x$day == "2025-05-05", 60, x$units)))
  }, "day")
  expect_identical(day$member, "2025-05-05")
  month <- found_in(function(x) replace(x, "units", list(ifelse(x$month == "2025-06", 3, 1))), "month")
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
  # Of what was only given back there is no part, and of what is not known none either.
  only_back <- function(x) x[x$day < "2025-01-01" | x$product == "Item A", ] |>
    transform(units = ifelse(day >= "2025-01-01" | as.integer(day) %% 20 == 0, -1, 1))
  expect_identical(nrow(found_in(only_back, "returns")), 0L)
  expect_identical(nrow(found_in(function(x) x[x$day >= "2025-01-01", ], "returns")), 0L)
  spelling <- found_in(function(x) replace(x, "region", list(ifelse(x$day > "2025-09-01" & x$region == "North",
                                                                   "north ", x$region))), "spelling")
  expect_identical(spelling$member, "north ")
  # The last eight weeks begin in August.
  came <- function(day) {
    found_in(function(x) replace(x, "region", list(ifelse(x$day == day & x$region == "North", "north ", x$region))),
             "spelling")$member
  }
  expect_identical(came("2025-08-03"), "north ")
  expect_identical(came("2025-07-31"), character())
  # Old spellings are nobody's news, and tell nothing else.
  old <- findings(planted_shop(function(x) replace(x, "region", list(ifelse(as.integer(x$day) %% 2 == 0, "north",
                                                                            x$region)))), n = 100)
  expect_false("region" %in% old$column)
})

test_that("without `by` the findings are by product and by text columns of a few values", {
  risen <- function(x) replace(x, "units", list(ifelse(x$day >= "2025-01-01" & x$region == "North", 3, 1)))
  expect_true("region" %in% findings(planted_shop(risen), n = 100)$column)
  many <- function(x) replace(x, "region", list(sprintf("%s %d", x$region, as.integer(x$day) %% 31)))
  expect_false("region" %in% findings(planted_shop(many), n = 100)$column)
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

# One line per product at each end of two years that are covered whole.
two_years <- function(before, now) {
  days <- rep(as.Date(c("2024-01-01", "2024-12-31", "2025-01-01", "2025-12-31")), each = length(before))
  lines <- data.frame(day = days, product = names(before), revenue = c(before, 0 * before, 0 * now, now))
  daybook(lines, day, revenue, product)
}

kinds_of <- function(before, now, ...) {
  f <- findings(two_years(before, now), by = product, n = 100, ...)
  paste(f$kind, f$member)
}

test_that("a limit that is just reached counts, and just missed does not", {
  expect_true("leader B" %in% kinds_of(c(A = 0.5, B = 0.3), c(A = 0.2, B = 0.6)))
  expect_false("leader B" %in% kinds_of(c(A = 0, B = -5), c(A = 1, B = 2)))
  expect_false(any(grepl("leader", kinds_of(c(A = 3, B = 1), c(A = 2, B = 2)))))
  # Shares that move by a quarter, and by nothing that can be told.
  quarter <- list(c(A = 1, B = 1, C = 2), c(A = 2, B = 1, C = 1))
  expect_true("share C" %in% kinds_of(quarter[[1]], quarter[[2]], points = 0.25))
  expect_false(any(grepl("share", kinds_of(quarter[[1]], quarter[[2]], points = 0.26))))
  expect_false(any(grepl("share", kinds_of(c(A = 5, B = -5), c(A = 1, B = 2)))))
  expect_false(any(grepl("share", kinds_of(c(A = 1, B = 2), c(A = 5, B = -5)))))
  expect_identical(grep("share", kinds_of(c(A = 1, B = 2), c(A = 2, B = 1)), value = TRUE), character())
  # Half of a rise, and a tenth against it.
  expect_true("carrier A" %in% kinds_of(c(A = 10, B = 10, C = 10), c(A = 12, B = 11, C = 11), carries = 0.5))
  expect_false("carrier A" %in% kinds_of(c(A = 10, B = 10, C = 10), c(A = 12, B = 11, C = 11), carries = 0.51))
  expect_true("carrier B" %in% kinds_of(c(A = 10, B = 10), c(A = 21, B = 9)))
  expect_true("carrier A" %in% kinds_of(c(A = 50, B = 50), c(A = 51, B = 50), points = 0.01))
  expect_false("carrier A" %in% kinds_of(c(A = 50, B = 50), c(A = 51, B = 50), points = 0.011))
  # One of ten members with more than a quarter.
  nine <- stats::setNames(rep(1, 9), letters[2:10])
  expect_true("dependence A" %in% kinds_of(c(A = 9, nine) / 50, c(A = 9, nine) / 50, dependence = 0.49))
  expect_true("dependence A" %in% kinds_of(c(A = 9, nine), c(A = 9, nine), dependence = 0.49))
  expect_false("dependence A" %in% kinds_of(c(A = 9, nine), c(A = 9, nine), dependence = 0.5))
  expect_false("dependence A" %in% kinds_of(c(A = 9, nine[-1]), c(A = 9, nine[-1])))
})

test_that("four weeks of a month are enough to compare, thirteen of 26 weeks to be missed", {
  to <- function(last) findings(planted_shop(function(x) x[x$day >= "2025-01-01" & x$day <= last, ]), n = 100)
  expect_match(to("2025-02-28")$finding[1], "^Revenue in 2025-02 ")
  expect_match(to("2025-03-28")$finding[1], "^Revenue in 2025-03 ")
  expect_match(to("2025-03-27")$finding[1], "^Revenue in 2025-02 ")
  # The last eight weeks begin on 11 August; Item C sold in every other week before.
  every_other <- function(gone) {
    found_in(function(x) {
      week <- (as.integer(x$day) + 3L) %/% 7L
      x[x$product != "Item C" | x$day < "2025-08-11" & week %% 2 == 0 & !week %in% gone, ]
    }, "silent")$member
  }
  one <- (as.integer(as.Date("2025-07-14")) + 3L) %/% 7L
  expect_identical(every_other(NULL), "Item C")
  expect_identical(every_other(one + 0:1), character())
})

test_that("the first and the last day of the period can be odd, and money below one too", {
  wavy <- function(day, units) {
    function(x) replace(x, "units", list(ifelse(x$day == day, units, 1 + as.integer(x$day) %% 3)))
  }
  for (day in c("2025-01-01", "2025-09-30")) {
    expect_true(day %in% found_in(wavy(day, 90), "day")$member, info = day)
  }
  expect_false("2024-12-31" %in% found_in(wavy("2024-12-31", 90), "day")$member)
  days <- as.Date("2021-01-01") + 0:1733
  pence <- data.frame(day = days, product = "Pin", revenue = ifelse(format(days, "%Y-%m") == "2025-06", 0.03, 0.01))
  f <- findings(daybook(pence, day, revenue, product), n = 100)
  expect_identical(f$member[f$kind == "month"], "2025-06-01")
})
