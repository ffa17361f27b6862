# The earlier value by SQL: lines moved to the period they are compared with.
sql_earlier <- function(db, period, moved, until) {
  sql(db, "SELECT", gsub("day", moved, period), "AS period, product, region, sum(cents) AS c FROM lines WHERE", until,
      "GROUP BY 1, 2, 3")
}

test_that("changes equal SQL per member for month, year and day, and members add up to the total", {
  for (seed in seeds(81, 1, 2)) {
    random <- random_book(seed, days = 800)
    last <- random$book$span[2]
    cases <- list(
      list(every = "year", moved = "date(day, '+1 year')"), list(every = "quarter", moved = "date(day, '+1 year')"),
      list(every = "month", moved = "date(day, '+1 year')")
    )
    for (case in cases) {
      t <- add_change(totals(random$book, by = c(product, region), every = case$every, subtotals = TRUE))
      # 29 February moves to 1 March in SQLite: bring it back to February's period.
      moved <- "CASE WHEN substr(day, 6) = '02-29' THEN date(day, '-1 day', '+1 year') ELSE date(day, '+1 year') END"
      expected <- sql_earlier(random$db, sql_periods[[case$every]], moved, sprintf("%s <= '%s'", moved, last))
      detail <- t[t$level == "region", ]
      known <- !is.na(detail$revenue_before)
      at <- match(paste(detail[[case$every]], detail$product, detail$region),
                  paste(expected$period, expected$product, expected$region))
      expect_equal(detail$revenue_before[known], ifelse(is.na(at), 0, expected$c[at] / 100)[known])
      expect_true(all(expected$c[-at[!is.na(at)]] == 0))
      total <- t[t$level == case$every & !is.na(t$revenue_before), ]
      summed <- tapply(detail$revenue_change[known], as.character(detail[[case$every]][known]), sum)
      expect_equal(c(summed[as.character(total[[case$every]])]), total$revenue_change, ignore_attr = TRUE)
    }
  }
})

test_that("the period before, weekdays and days equal SQL", {
  random <- random_book(85, days = 800)
  total <- function(from, to) {
    sql(random$db,
        sprintf("SELECT coalesce(sum(cents), 0) / 100.0 AS x FROM lines WHERE day BETWEEN '%s' AND '%s'", from, to))$x
  }
  last <- random$book$span[2]
  weekly <- add_change(totals(random$book, every = "week"), align = "weekday")
  i <- nrow(weekly)
  expect_equal(weekly$revenue_before[i], total(weekly$week[i] - 364, last - 364))
  expect_equal(weekly$revenue_before[i - 3], total(weekly$week[i - 3] - 364, weekly$week[i - 3] - 358))
  monthly <- add_change(totals(random$book, every = "month"), versus = "period_before")
  i <- nrow(monthly)
  expect_equal(monthly$revenue_before[i - 1], monthly$revenue[i - 2])
  start <- monthly$month[i]
  expect_equal(monthly$revenue_before[i], total(monthly$month[i - 1], monthly$month[i - 1] + as.numeric(last - start)))
  daily <- add_change(totals(random$book, every = "day", fill = TRUE))
  expect_equal(daily$revenue_before[daily$day == as.Date("2025-03-01")], total("2024-03-01", "2024-03-01"))
  shifted <- add_change(totals(random$book, every = "day", fill = TRUE), align = "weekday")
  expect_equal(shifted$revenue_before[shifted$day == as.Date("2025-03-01")], total("2024-03-02", "2024-03-02"))
})

test_that("the demo's planted cases come out", {
  book <- kilnmoor_book()
  db <- demo_database()
  between <- function(from, to) sql(db,
                                    sprintf("SELECT sum(units) / 100.0 AS x FROM sales WHERE day BETWEEN '%s' AND '%s'",
                                            from, to))$x
  monthly <- add_change(totals(book, every = "month"))
  now <- monthly[nrow(monthly), ]
  expect_identical(now$comparable, "to_date")
  expect_equal(now$revenue_before, between("2025-09-01", "2025-09-17"))
  yearly <- add_change(totals(book, every = "year"))
  expect_equal(yearly$revenue_before[4], between("2025-01-01", "2025-09-17"))
  expect_identical(yearly$comparable, c("none", "full", "full", "to_date"))
  product <- add_change(totals(book, by = product, every = "year"))
  row <- function(name, year) product[product$product == name & product$year == as.Date(year), ]
  expect_identical(row("Sea-mist glaze 1 l", "2026-01-01")$revenue_direction, "new")
  gone <- row("Reclaimed clay 12.5 kg", "2025-01-01")
  expect_identical(gone$revenue_direction, "gone")
  expect_identical(c(gone$revenue, gone$revenue_change_pct), c(0, -1))
  town <- add_change(totals(keep_lines(book, town == "Quellholt"), by = town, every = "year"))
  expect_equal(town$revenue_change_pct[town$year == as.Date("2026-01-01")], (11602 - 38.5) / 38.5)
  leap <- add_change(totals(book, every = "day"))
  expect_identical(leap$revenue_direction[leap$day == as.Date("2024-02-29")], "unknown")
  expect_equal(leap$revenue_before[leap$day == as.Date("2025-03-01")], between("2024-03-01", "2024-03-01"))
})

test_that("any measure and level is compared from the lines", {
  t <- add_change(totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE,
                         measures = list(customers = count_distinct(customer_id),
                                         mean = mean_of(revenue, per = order))), "customers")
  db <- demo_database()
  expected <- sql(db, "SELECT region, count(DISTINCT customer_id) AS n FROM sales WHERE day BETWEEN '2025-01-01' AND
                       '2025-09-17' GROUP BY region
                       UNION ALL SELECT 'Total',
                       count(DISTINCT customer_id) FROM sales WHERE day BETWEEN '2025-01-01' AND '2025-09-17'")
  now <- t[t$year == "2026-01-01", ]
  expect_equal(now$customers_before, expected$n[match(now$region, expected$region)])
  means <- add_change(t, "mean", name = "order_value")
  before <- sql(db, "SELECT sum(u) / 100.0 / count(u) AS m FROM (SELECT sum(units) AS u FROM sales
                     WHERE day BETWEEN '2025-01-01' AND '2025-09-17' GROUP BY order_id)")$m
  expect_equal(means$order_value_before[means$year == "2026-01-01" & means$region == "Total"], before)
})

test_that("like for like can be refused, and another day taken as the last", {
  book <- kilnmoor_book()
  whole <- add_change(totals(book, every = "year"), like_for_like = FALSE)
  expect_identical(whole$revenue_before[4], whole$revenue[3])
  expect_identical(whole$comparable[4], "none")
  june <- add_change(add_rank(totals(book, by = region, every = "year")), as_of = as.Date("2026-06-30"))
  db <- demo_database()
  expect_equal(sum(june$revenue[june$year == as.Date("2026-01-01")]),
               sql(db, "SELECT sum(units) / 100.0 AS x FROM sales WHERE day BETWEEN '2026-01-01' AND '2026-06-30'")$x)
  expect_match(in_words(june), "2025-01-01 to 2025-06-30", all = FALSE)
  expect_false(anyNA(june$revenue_rank))
})

test_that("two periods of one's choice are compared", {
  spring <- as.Date(c("2026-03-01", "2026-05-31"))
  autumn <- as.Date(c("2025-09-01", "2025-11-30"))
  t <- add_change(totals(kilnmoor_book(), by = region, subtotals = TRUE),
                  periods = list(spring = spring, autumn = autumn))
  db <- demo_database()
  x <- sql(db, "SELECT sum(CASE WHEN day BETWEEN '2026-03-01' AND '2026-05-31' THEN units END) / 100.0 AS now,
                sum(CASE WHEN day BETWEEN '2025-09-01' AND '2025-11-30' THEN units END) / 100.0 AS before FROM sales")
  expect_equal(c(t$revenue_now[5], t$revenue_before[5]), c(x$now, x$before))
  expect_equal(sum(t$revenue_change[1:4]), t$revenue_change[5])
  expect_snapshot(in_words(t)[3])
})

test_that("fiscal years and 53-week years compare the same places", {
  book <- daybook(a_sale(day = as.Date("2023-01-29") + 0:1200, revenue = rep(1, 1201)), day, revenue, product,
                  calendar = sales_calendar("02-01", "sunday", "445"))
  weekly <- add_change(totals(book, every = "week"))
  expect_identical(weekly$revenue_direction[weekly$week == as.Date("2024-01-28")], "unknown")
  expect_identical(weekly$comparable[weekly$week == as.Date("2024-02-04")], "full")
  monthly <- add_change(totals(book, every = "month"))
  p12 <- monthly[monthly$month == as.Date("2024-12-29"), ]
  expect_identical(c(p12$revenue, p12$revenue_before), c(35, 42))
})

test_that("negative and zero values have a direction and no wrong percentage", {
  days <- as.Date(c("2024-01-10", "2025-01-10", "2024-01-11", "2025-01-11", "2025-01-12", "2024-01-13", "2025-01-13"))
  book <- daybook(a_sale(day = days, product = c("a", "a", "b", "b", "c", "d", "d"),
                         revenue = c(-5, 3, 4, 4, 2, 6, -1)), day, revenue, product,
                  covers = c("2024-01-01", "2025-01-13"))
  t <- add_change(totals(book, by = product, every = "year"))
  t <- t[t$year == as.Date("2025-01-01"), ]
  t <- t[order(t$product), ]
  expect_identical(t$revenue_direction, c("unknown", "level", "new", "down"))
  expect_equal(t$revenue_change_pct, c(NA, 0, NA, -7 / 6))
})

test_that("figures added before are there for the members that are gone too", {
  t <- add_change(add_share(totals(kilnmoor_book(), by = product, every = "year"), within = year))
  gone <- t[t$revenue_direction == "gone", ]
  expect_gt(nrow(gone), 0)
  expect_identical(gone$revenue_share, rep(0, nrow(gone)))
  cut <- add_change(head(totals(kilnmoor_book(), by = product, every = "year"), 20))
  expect_identical(nrow(cut), 20L)
})

test_that("words and mistakes", {
  expect_snapshot({
    in_words(add_change(totals(kilnmoor_book(), by = product, every = "month")))[2:5]
    in_words(add_change(totals(kilnmoor_book(), every = "week"), align = "weekday"))[3:5]
  })
  t <- totals(kilnmoor_book(), by = region, every = "year")
  expect_snapshot(error = TRUE, {
    add_change(totals(kilnmoor_book(), by = region))
    add_change(quiet(totals(kilnmoor_book(), every = "weekday")))
    add_change(t, "units")
    add_change(add_running_total(t), "revenue_running")
    add_change(t, as_of = as.Date("2027-01-01"))
    add_change(t, periods = list(a = as.Date("2026-01-01")))
    add_change(t, versus = "last_year")
  })
})

test_that("steps are taken anew for new rows, whatever columns are called or were left out meanwhile", {
  t <- add_share(totals(kilnmoor_book(), by = product, every = "year", measures = c("revenue", "units")), "units",
                 within = year)
  t <- add_rank(t, within = year)
  expected <- quiet(add_change(t))
  names(t)[c(1, 2, 5)] <- c("Year", "item", "part")
  changed <- quiet(add_change(t[c("Year", "item", "revenue", "part")]))
  expect_identical(names(changed)[1:5], c("Year", "item", "revenue", "part", "revenue_before"))
  expect_identical(as.list(tibble::as_tibble(changed[4:6])),
                   stats::setNames(as.list(expected)[c("units_share", "revenue_before", "revenue_change")],
                                   names(changed)[4:6]))
  expect_gt(nrow(changed), nrow(t))
})

test_that("whole periods taken from the table are what their lines give", {
  changed <- function(t, ...) tibble::as_tibble(quiet(add_change(t, ...)))
  for (seed in seeds(86, 1, 2)) {
    book <- random_book(seed, days = 800)$book
    for (every in c("day", "week", "month", "quarter", "year")) {
      for (versus in c("year_before", "period_before")) {
        t <- quiet(totals(book, by = c(region, product), every = every,
                          measures = list("revenue", mean = mean_of(revenue), kinds = count_distinct(order))))
        for (of in c("revenue", "mean", "kinds")) {
          whole <- changed(t, of, versus)
          # A table cut to some rows is compared with the lines.
          rows <- seq(1, nrow(t), by = 3)
          cut <- changed(t[rows, ], of, versus)
          id <- function(x) do.call(paste, c(lapply(x[c(every, "region", "product")], as.character)))
          expect_identical(as.list(whole[match(id(cut), id(whole)), ]), as.list(cut))
        }
      }
    }
  }
})

test_that("rows of members that are gone keep columns of one's own and figures that were added", {
  book <- kilnmoor_book()
  t <- totals(book, by = c(category, product), every = "year", subtotals = TRUE)
  t$mine <- seq_len(nrow(t))
  t <- add_share(t, within = year)
  changed <- quiet(add_change(t))
  expect_gt(nrow(changed), nrow(t))
  gone <- changed[changed$revenue_direction == "gone", ]
  expect_true(all(gone$revenue == 0 & is.na(gone$mine)))
  kept <- changed[!is.na(changed$mine), ]
  expect_identical(kept$mine, t$mine)
  expect_identical(kept$revenue_share, t$revenue_share)
  expect_identical(as.character(kept$product), as.character(t$product))
  twice <- quiet(add_change(changed, versus = "period_before", name = "step"))
  expect_identical(twice$revenue_change[match(changed$mine[1:20], twice$mine)], changed$revenue_change[1:20])
})

test_that("directions, parts and unknown values are told for every kind of pair", {
  now <- c(5, 2, 3, 4, 0, NA, 0, NA, 1, 1, -2, 6)
  earlier <- c(2, 5, 3, 0, 4, 4, 0, NA, NA, -3, 1, 9)
  unknown <- c(rep(FALSE, 11), TRUE)
  measure <- list(kind = "sum", counts = "pieces", decimals = 0L)
  found <- lapply(hinterfeld:::change_values(now, earlier, unknown, rep("full", 12), measure),
                  function(column) column$values)
  expect_identical(found$direction, c("up", "down", "level", "new", "gone", "gone", "level", "level", "new", "unknown",
                                      "down", "unknown"))
  expect_identical(found$change, c(3, -3, 0, 4, -4, NA, 0, NA, NA, 4, -3, NA))
  expect_identical(found$pct, c(1.5, -0.6, 0, NA, -1, NA, NA, NA, NA, NA, -3, NA))
  expect_identical(found$before, replace(earlier, 12, NA))
})

test_that("a measure of fewer lines has the scale it had of all", {
  book <- kilnmoor_book()
  t <- totals(book, every = "year", measures = list(profit = sum_of(revenue - units * unit_cost)))
  change <- add_change(t, of = "profit")
  lines <- lines_of(book)
  cents <- round(100 * lines$revenue) - lines$units * round(100 * lines$unit_cost)
  earlier <- lines$day >= as.Date("2025-01-01") & lines$day <= as.Date("2025-09-17")
  expect_identical(change$profit_before[4], sum(cents[earlier], na.rm = TRUE) / 100)
  expect_identical(hinterfeld:::answer_of(t)$measures$profit$decimals, 2L)
  days <- as.Date(c("2024-01-05", "2025-01-05", "2025-06-01"))
  small <- daybook(a_sale(day = days, revenue = 1:3, cost = c(4, 4.25, 5)), day, revenue, product,
                   covers = c("2024-01-01", "2025-06-30"))
  periods <- list(now = as.Date(c("2025-06-01", "2025-06-30")), then = as.Date(c("2024-01-01", "2024-12-31")))
  found <- add_change(totals(small, measures = "cost"), of = "cost", periods = periods)
  expect_identical(c(found$cost, found$cost_now, found$cost_before), c(13.25, 5, 4))
  # Leaving out the line with the most decimals changes nothing for those that stay.
  expect_identical(totals(keep_lines(small, cost != 4.25), measures = "cost")$cost, 9)
})

test_that("a value of 0 counts as nothing, before and now, and a day before the first kept line has none", {
  days <- as.Date(c("2024-05-01", "2025-05-01", "2024-05-02", "2025-05-02"))
  zero <- daybook(a_sale(day = days, product = c("a", "a", "b", "b"), revenue = c(0, 5, 5, 0)), day, revenue, product,
                  covers = c("2024-01-01", "2025-05-02"))
  t <- add_change(totals(zero, by = product, every = "year"))
  expect_identical(t$revenue_direction[t$year == as.Date("2025-01-01")], c("new", "gone"))
  late <- keep_lines(zero, product == "b")
  expect_error(add_change(totals(late, every = "year"), as_of = as.Date("2024-05-01")),
               class = "hinterfeld_error_no_lines")
})

test_that("days of 4-4-5 years compare with the same date, and weeks without a number with the same place", {
  days <- as.Date("2023-02-01") + 0:760
  every_day <- function(calendar) daybook(a_sale(day = days, revenue = seq_along(days)), day, revenue, product,
                                          calendar = calendar)
  t <- add_change(totals(every_day(sales_calendar("02-01", "sunday", "445")), every = "day"))
  at <- match(as.Date("2024-03-15"), t$day)
  expect_identical(t$revenue_before[at], as.double(match(as.Date("2023-03-15"), days)))
  weeks <- add_change(totals(every_day(sales_calendar(week_starts = "sunday")), every = "week"))
  # The first Sunday week with four days of 2024 starts on 31 December 2023, that of 2025 on 29 December 2024.
  at <- match(as.Date("2024-12-29"), weeks$week)
  expect_identical(weeks$revenue_before[at], weeks$revenue[match(as.Date("2023-12-31"), weeks$week)])
})

test_that("sentences about a change speak of the rows that are left", {
  t <- add_change(totals(kilnmoor_book(), by = product, every = "year"))
  counted <- function(t) {
    n <- vapply(c("unknown", "new", "gone"), function(one) sum(t$revenue_direction %in% one), 0L)
    words <- c("without a comparable earlier value", "new", "gone")
    said <- paste0(n, ifelse(n == 1, " row ", " rows "), words)[n > 0]
    last <- length(said)
    if (last > 1) said <- paste(paste(said[-last], collapse = ", "), "and", said[last])
    if (last) paste0(said, ".") else character()
  }
  for (rows in list(seq_len(nrow(t)), which(t$year == as.Date("2026-01-01")), which(t$revenue_direction == "new"),
                    which(t$revenue_direction == "up"))) {
    cut <- t[rows, ]
    expect_identical(grep("comparable earlier|rows? new|rows? gone", in_words(cut), value = TRUE), counted(cut))
  }
  expect_no_match(in_words(head(t[setdiff(names(t), "revenue_direction")], 5)), "rows? new")
  days <- totals(kilnmoor_book(), every = "day")
  expect_identical(add_change(days[2:3, ], versus = "period_before")$revenue_before, days$revenue[1:2])
})

test_that("several measures are compared at once, with one column that says how far they can be", {
  t <- totals(kilnmoor_book(), by = region, every = "year", measures = c("revenue", "units", "lines"))
  both <- add_change(t, of = c(revenue, units))
  apart <- add_change(add_change(t), of = "units", name = "units")
  expect_identical(setdiff(names(apart), names(both)), "units_comparable")
  expect_equal(as.data.frame(both), as.data.frame(apart)[names(both)])
  expect_identical(apart$units_comparable, both$comparable)
  expect_identical(as.data.frame(ask(inquiry_of(both), kilnmoor_book())), as.data.frame(both))
  expect_identical(as.data.frame(eval(parse(text = as_code(inquiry_of(both))), list(book = kilnmoor_book()))),
                   as.data.frame(both))
  expect_s3_class(figure_change(both[setdiff(names(both), "revenue_change")]), "ggplot")
  # Compared in another way, `comparable` is another one.
  expect_error(add_change(both, of = "lines", versus = "period_before"), "has `comparable` already")
  years <- add_change(totals(kilnmoor_book(), measures = c("revenue", "units")), of = c("revenue", "units"),
                      periods = c("2026", "2025"))
  expect_identical(sum(names(years) == "comparable"), 1L)
  expect_snapshot(error = TRUE, {
    add_change(t, of = c("revenue", "units"), name = "change")
    add_change(t, of = c("revenue", "profit"))
  })
})

test_that("periods and a day are named by texts as well", {
  t <- totals(kilnmoor_book(), by = region)
  month <- function(text) {
    first <- as.Date(paste0(text, "-01"))
    c(first, seq(first, by = "month", length.out = 2)[2] - 1)
  }
  named <- add_change(t, periods = c("2026-05", "2025-05"))
  expect_identical(named, add_change(t, periods = list(`2026-05` = month("2026-05"), `2025-05` = month("2025-05"))))
  expect_identical(add_change(t, periods = c("May 2026", "2025-Q1"))$revenue_now, named$revenue_now)
  years <- totals(kilnmoor_book(), every = "year")
  expect_identical(add_change(years, as_of = "2026-05-31"), add_change(years, as_of = as.Date("2026-05-31")))
  expect_identical(in_period(years, 2025), in_period(years, "2025"))
  for (odd in c("1e9", "0000", "2025-02-30")) {
    expect_error(add_change(t, periods = c("2026-05", odd)), class = "hinterfeld_error_period")
  }
  expect_snapshot(error = TRUE, {
    add_change(t, periods = c("2026-05", "Mai"))
    add_change(years, as_of = "yesterday")
    in_period(years, 3)
  })
})

test_that("rows of members that are gone stand where they would with 0, groups by their totals", {
  withr::local_seed(5)
  lines <- data.frame(day = as.Date("2024-01-01") + sample(0:730, 400, TRUE), group = sample(letters[1:5], 400, TRUE),
                      product = sample(LETTERS[1:9], 400, TRUE), revenue = sample(9000, 400) / 100)
  lines$day[1:2] <- as.Date(c("2024-01-01", "2025-12-31"))
  lines <- lines[!(lines$group %in% c("a", "d") & lines$product < "E" & lines$day > "2024-12-31"), ]
  t <- quiet(add_change(totals(daybook(lines, day, revenue, product), by = c(group, product), every = "year",
                               subtotals = TRUE)))
  rows <- as.data.frame(t)
  rows <- rows[rows$level == "product" & rows$year == "2025-01-01", ]
  expect_gt(sum(rows$revenue == 0), 3)
  sums <- tapply(rows$revenue, rows$group, sum)
  expect_identical(unique(rows$group), names(sort(-sums)))
  for (own in split(rows, rows$group)) expect_false(is.unsorted(-own$revenue))
})

test_that("as many days with other weekdays are said to have them", {
  days <- as.Date("2025-01-01") + 0:500
  said <- function(last, ...) {
    book <- daybook(a_sale(day = days[days <= as.Date(last)], revenue = 1), day, revenue, product)
    paste(in_words(add_change(totals(book, every = "month"), ...)), collapse = " ")
  }
  # 1 to 10 March 2026 begins on a Sunday, that of 2025 on a Saturday.
  expect_match(said("2026-03-10"), "with one Saturday fewer and one Tuesday more")
  expect_match(said("2026-03-08"), "with one Saturday fewer and one Sunday more")
  expect_no_match(said("2026-03-07"), "fewer|other weekdays")
  expect_match(said("2026-04-10", versus = "period_before"), "which are other weekdays")
  expect_no_match(said("2026-03-10", align = "weekday"), "fewer")
})
