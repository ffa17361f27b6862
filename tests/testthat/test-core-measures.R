test_that("every measure equals SQL in every grain, on random lines", {
  for (seed in seeds(1, 1, 2)) {
    random <- random_book(seed)
    # Every grain once, half of them for each.
    for (every in names(sql_periods)[seq_along(sql_periods) %% 2 == seed - 1]) {
      t <- quiet(totals(random$book, by = product, every = every, measures = our_measures))
      keys <- c(stats::setNames(sql_periods[every], every), product = "product")
      expect_sql(t, random$db, keys, list(names(keys)))
    }
  }
})

test_that("every measure and margin equals SQL with subtotals, on random lines and the demo", {
  books <- c(lapply(seeds(4, 1, 2), random_book, env = environment()), list(list(
    book = kilnmoor_book(), db = demo_database()
  )))
  for (one in books) {
    t <- totals(one$book, by = c(product, region), measures = our_measures, subtotals = TRUE)
    expect_sql(t, one$db, c(product = "product", region = "region"),
               list(c("product", "region"), "product", character()))
    t <- quiet(totals(one$book, by = region, every = "quarter", measures = our_measures,
                      subtotals = list("quarter", "region", "Total")))
    expect_sql(t, one$db, c(quarter = sql_periods[["quarter"]], region = "region"),
               list(c("quarter", "region"), "quarter", "region", character()))
  }
})

test_that("the largest per day is not the largest line", {
  book <- kilnmoor_book()
  t <- totals(book, measures = list(line = largest_of(revenue), day = largest_of(revenue, per = "day")))
  db <- demo_database()
  expect_identical(t$line, sql(db, "SELECT max(units) / 100.0 AS x FROM sales")$x)
  expect_identical(t$day, sql(db, "SELECT max(s) / 100.0 AS x FROM (SELECT sum(units) AS s FROM sales GROUP BY day)")$x)
  expect_gt(t$day, t$line)
})

test_that("the largest units in one order come as the largest of all and as the sum over products", {
  book <- kilnmoor_book()
  db <- demo_database()
  most <- function(margin) {
    t <- totals(book, by = product, subtotals = TRUE,
                measures = list(most = largest_of(units, per = order, margin = margin)))
    t$most[t$level == "Total"]
  }
  per_order <- "SELECT product, order_id, sum(quantity) AS q FROM sales GROUP BY product, order_id"
  expect_equal(most("add_up"),
               sql(db, "SELECT sum(m) AS x FROM (SELECT max(q) AS m FROM (", per_order, ") GROUP BY product)")$x)
  all_products <- "SELECT order_id, sum(quantity) AS q FROM sales GROUP BY order_id"
  expect_equal(most("recompute"), sql(db, "SELECT max(q) AS x FROM (", all_products, ")")$x)
})

test_that("measures of expressions, of blanks and of none are right", {
  book <- daybook(a_sale(region = c("n", "n", "s"), cost = c(1.125, NA, NA), revenue = c(2, 4, 6)), day, revenue,
                  product)
  t <- totals(book, by = region, measures = list(
    "cost", mean = mean_of(cost), profit = sum_of(revenue - cost), least = smallest_of(cost),
    costs = count_distinct(cost)
  ))
  s <- t[t$region == "s", ]
  expect_identical(c(s$cost, s$mean, s$profit, s$least, s$costs), c(0, NA, 0, NA, 0))
  n <- t[t$region == "n", ]
  expect_identical(c(n$cost, n$mean, n$profit, n$least, n$costs), c(1.125, 1.125, 0.875, 1.125, 1))
})

test_that("default names tell the measure", {
  t <- totals(a_book(), measures = list("revenue", "lines", mean_of(revenue), largest_of(revenue, per = "day"),
                                        count_distinct(product)))
  expect_named(t, c("revenue", "lines", "revenue_mean", "revenue_largest_day", "distinct_product"))
})

test_that("measures that cannot be taken name the choices", {
  book <- a_book(region = "Vale", cost = 1)
  expect_snapshot(error = TRUE, {
    totals(book, measures = "region")
    totals(book, measures = "revenu")
    totals(book, measures = list("revenue", sum_of(revenue)))
    totals(book, measures = sum_of(revenue - cost))
    totals(book, measures = sum_of())
    totals(book, measures = mean)
    totals(book, measures = sum_of(revenue, where = regoin == "Vale"))
    totals(book, measures = largest_of(revenue, per = "hour"))
    totals(book, measures = sum_of(revenue, margin = "sum"))
    totals(book, by = region, measures = list(region = "revenue"))
  })
})

test_that("a measure knows what it counts", {
  counts <- function(...) {
    t <- totals(kilnmoor_book(), measures = list(...))
    unname(vapply(hinterfeld:::answer_of(t)$measures, function(m) m$counts, ""))
  }
  expect_identical(
    counts(a = "revenue", b = "units", c = "lines", d = count_distinct(order), e = count_distinct(day),
           f = count_distinct(customer_id), g = largest_of(revenue, per = "day")),
    c("money", "pieces", "lines", "orders", "days", "other", "money")
  )
  expect_identical(counts(a = sum_of(revenue - units * unit_cost), b = sum_of(units * 2), c = mean_of(revenue / units),
                          d = sum_of(longitude)), c("money", "pieces", "money", "other"))
})

test_that("lines without an order are not taken per order, and it is said", {
  sales <- a_sale(product = c("a", "b", "a", "b"), revenue = c(1, 20, 3, 4), ticket = c("1", "1", NA, "2"))
  book <- daybook(sales, day, revenue, product, order = ticket)
  expect_message(t <- totals(book, measures = list(m = largest_of(revenue, per = order))), "1 line has no `order`")
  expect_identical(t$m, 21)
})

test_that("medians of lines and of totals per day or order equal the middle values", {
  for (seed in seeds(51, 1, 2)) {
    random <- random_book(seed)
    t <- quiet(totals(random$book, by = region, subtotals = TRUE, measures = list(
      line = median_of(revenue), ticket = median_of(revenue, per = order), day = median_of(revenue, per = "day"),
      pieces = median_of(units, where = region != "Vale")
    )))
    lines <- lines_of(random$book)
    middle <- function(x) if (length(x)) stats::median(round(100 * x)) / 100 else NA_real_
    for (i in seq_len(nrow(t))) {
      here <- if (t$region[i] == "Total") {
        lines
      } else if (t$region[i] == "not given") {
        lines[is.na(lines$region), ]
      } else {
        lines[lines$region %in% t$region[i], ]
      }
      summed <- function(by) vapply(split(round(100 * here$revenue), by), sum, 0) / 100
      expect_equal(t$line[i], middle(here$revenue))
      expect_equal(t$day[i], middle(summed(here$day)))
      expect_equal(t$ticket[i], middle(summed(here$order)))
      expect_equal(t$pieces[i], middle(here$units[!is.na(here$region) & here$region != "Vale"]))
    }
  }
  book <- daybook(a_sale(product = c("a", "a", "b"), revenue = c(0.01, 0.02, 5)), day, revenue, product)
  t <- totals(book, by = product, measures = list(median_of(revenue)))
  expect_identical(sort(t$revenue_median), c(0.015, 5))
  expect_match(in_words(t), "the median revenue of one line", all = FALSE)
  expect_error(add_share(t, "revenue_median"), class = "hinterfeld_error_measure")
})

test_that("a ratio is one total by another in every level, change and margin, from lines and from a tally", {
  for (seed in seeds(61, 1, 2)) {
    random <- random_book(seed)
    measures <- list(price = ratio_of(revenue, units), web = ratio_of(revenue, revenue * 2, where = region != "Vale"))
    t <- totals(random$book, by = c(region, product), every = "year", measures = measures, subtotals = TRUE)
    for (split in list(c("region", "product"), "region", character())) {
      keys <- c("substr(day, 1, 4) AS y", split)
      expected <- sql(random$db, "SELECT", paste(keys, collapse = ", "),
                      ", CASE WHEN sum(units) <> 0 THEN sum(cents) / 100.0 / sum(units) END AS price FROM lines",
                      "GROUP BY",
                      paste(c("y", split), collapse = ", "))
      own <- t[t$level == c(split, "year")[max(length(split), 1)], ]
      key <- function(x, y) do.call(paste, c(list(y), unname(as.list(x)[split])))
      at <- match(key(expected, expected$y), key(own, substr(as.character(own$year), 1, 4)))
      expect_equal(own$price[at], expected$price)
    }
    tally <- load_tally(save_tally(tally_of(random$book, c(region, product), measures), withr::local_tempfile()))
    expect_identical(totals(tally, c(region, product), "year", measures, TRUE), t, ignore_attr = TRUE)
    x <- crosstab(t, region, year, of = "price")
    expect_identical(x$Total[x$region == "Total"], t$price[t$level == "Total"])
  }
  expect_true(all(add_change(t, "web")$web_change %in% c(0, NA)))
  expect_error(add_share(t, "price"), class = "hinterfeld_error_measure")
})

test_that("a ratio says what it counts, and what it cannot be", {
  book <- kilnmoor_book()
  t <- totals(book, measures = list(ratio_of(revenue, units), part = ratio_of(ifelse(channel == "Web", revenue, 0),
                                                                             revenue)))
  columns <- hinterfeld:::answer_of(t)$columns
  expect_identical(vapply(columns, function(column) column$counts, ""),
                   c(revenue_per_units = "money", part = "percent"))
  expect_match(in_words(t), "the sum of revenue divided by the sum of units", all = FALSE)
  expect_snapshot(error = TRUE, {
    totals(book, measures = list(ratio_of(revenue)))
    totals(book, measures = list(ratio_of(revenue, category)))
    totals(book, measures = list(ratio_of(revenue - 1, units)))
  })
  none <- totals(daybook(a_sale(revenue = 0), day, revenue, product), measures = list(x = ratio_of(revenue, revenue)))
  expect_identical(none$x, NA_real_)
})

test_that("distinct values are counted whatever numbers they are", {
  most <- .Machine$integer.max
  orders <- list(
    integers = c(7L, 7L, 9L, NA, 8L, 7L), least = c(-most, -most, 2L - most, NA, 1L - most, -most),
    far = c(-most, most, 0L, NA, most, -most), halves = c(0.5, 0.25, -0, 0, NA, 1e300),
    days = as.Date("2026-03-01") + c(0, 0.5, 400, NA, 1e5, 0),
    moments = as.POSIXct("2026-03-01", tz = "UTC") + c(1, 1, 2, NA, 3, 1),
    texts = c("a", "b", "a", NA, "c", "a"), flags = c(TRUE, FALSE, TRUE, NA, FALSE, TRUE)
  )
  for (name in names(orders)) {
    x <- orders[[name]]
    lines <- tibble::tibble(day = as.Date("2026-03-02"), product = c("p", "p", "q", "q", "q", "p"), revenue = 1, x = x)
    book <- daybook(lines, day, revenue, product)
    ours <- function(...) totals(book, ..., measures = list(n = count_distinct(x)))
    distinct <- function(rows) length(unique(x[rows & !is.na(x)]))
    expect_identical(ours()$n, as.double(distinct(TRUE)), label = name)
    by <- ours(by = product)
    expect_identical(by$n[match(c("p", "q"), by$product)],
                     as.double(c(distinct(lines$product == "p"), distinct(lines$product == "q"))), label = name)
    tally <- tally_of(book, by = product, measures = list("revenue", n = count_distinct(x)))
    expect_identical(totals(tally, by = product, measures = "n")$n, by$n)
  }
})

test_that("first and last days equal SQL, by rows and subtotals, from tallies, parts and chunks too", {
  for (seed in seeds(501, 2, 15)) {
    random <- random_book(seed)
    asked <- list(first = first_of(day), last = last_of(day), paid = last_of(day, where = price > 20))
    t <- quiet(totals(random$book, by = region, every = "month", measures = asked, subtotals = TRUE))
    columns <- "min(day) AS first, max(day) AS last, max(CASE WHEN price > 20 THEN day END) AS paid"
    rows <- sql(random$db, paste("SELECT date(day, 'start of month') AS month, region,", columns,
                                 "FROM lines GROUP BY 1, 2"))
    detail <- t[t$level == t$level[1], ]
    at <- match(paste(detail$month, detail$region), paste(rows$month, rows$region))
    months <- sql(random$db, paste("SELECT date(day, 'start of month') AS month,", columns, "FROM lines GROUP BY 1"))
    total <- t[t$region == "Total" & t$level != "Total", ]
    for (name in names(asked)) {
      expect_identical(format(detail[[name]]), ifelse(is.na(rows[[name]]), NA, rows[[name]])[at], info = name)
      expect_identical(format(total[[name]]), months[[name]][match(format(total$month), months$month)])
    }
    tally <- tally_of(random$book, by = region, measures = asked)
    of_tally <- function(tally) {
      as.data.frame(quiet(totals(tally, by = region, every = "month", measures = names(asked), subtotals = TRUE)))
    }
    expect_identical(of_tally(tally), as.data.frame(t))
    expect_identical(of_tally(load_tally(save_tally(tally, withr::local_tempfile()))), as.data.frame(t))
    expect_identical(of_tally(merge_tallies(tally, of_other_lines(tally))), as.data.frame(t))
  }
})

test_that("a first day is none of the numbers that steps take, and is delivered as a date", {
  book <- kilnmoor_book()
  t <- totals(book, by = region, every = "year", measures = list(first = first_of(day)))
  expect_snapshot(error = TRUE, {
    add_rank(t, of = "first")
    add_change(t, of = "first")
    totals(book, measures = list(x = last_of(region)))
  })
  for (ending in c(".csv", ".xlsx", ".parquet")) {
    path <- deliver(t, withr::local_tempfile(fileext = ending))
    back <- if (ending == ".xlsx") readxl::read_excel(path, 2) else load_table(path)
    expect_identical(as.Date(back$first), t$first, label = ending)
  }
  x <- crosstab(totals(book, by = c(region, category), measures = list(last = last_of(day))), region, category, "last")
  expect_s3_class(x$Total, "Date")
  brief <- brief_folder(sub("by: region", "by: region\n    measures: [revenue, first: {first_of: day}]", small_brief))
  quiet(run_brief(brief))
  written <- load_table(file.path(dirname(brief), "out", "regions.csv"))
  expect_s3_class(written$first, "Date")
  run <- run_cli("totals", file.path(dirname(brief), "sales.csv"), "--by", "region", "--measure", "last = last_of(day)",
                 "--csv")
  expect_match(run$stdout, "last")
})

test_that("each kind of measure takes and gives what its entry says", {
  lines <- a_sale(day = as.Date(c("2026-03-02", "2026-03-03", "2026-04-01")), product = c("a", "a", "b"),
                  revenue = c(1, 2, 4), n = c(1, 2, 2))
  book <- daybook(lines, day, revenue, product)
  of <- list(
    sum = quote(sum_of(revenue)), mean = quote(mean_of(revenue)), median = quote(median_of(revenue)),
    smallest = quote(smallest_of(revenue)), largest = quote(largest_of(revenue)), first = quote(first_of(day)),
    last = quote(last_of(day)), lines = quote(count_lines()), distinct = quote(count_distinct(n)),
    ratio = quote(ratio_of(revenue, n))
  )
  can <- function(code) tryCatch({
    quiet(code)
    TRUE
  }, hinterfeld_error = function(cnd) FALSE)
  table <- function(call, ...) {
    quiet(rlang::inject(totals(book, by = product, every = "month", measures = list(x = !!call), ...)))
  }
  with <- function(call, ...) as.call(c(as.list(call), list(...)))
  entry <- function(call) {
    t <- table(call)
    column <- attr(t, "answer")$columns$x
    data.frame(per = can(table(with(call, per = "day"))), margin = can(table(with(call, margin = "add_up"))),
               share = can(add_share(t, of = "x")), running = can(add_running_total(t, of = "x")),
               empty = format(table(call, fill = TRUE)$x[2]), total = format(table(call, subtotals = TRUE)$x[2]),
               counts = column$counts, decimals = toString(column$decimals))
  }
  expect_snapshot(print(do.call(rbind, lapply(of, entry))))
})

test_that("one measure without a name among several is enough to be refused", {
  expect_error(totals(kilnmoor_book(), measures = list("revenue", sum_of(revenue * 2))), "needs a name",
               class = "hinterfeld_error_measure")
})

test_that("weeks that are not whole are left out of a mean per week", {
  # From a Thursday on: 4 days, then two whole weeks.
  sales <- data.frame(day = as.Date("2026-01-15") + 0:17, revenue = rep(c(100, 7), c(4, 14)), product = "a")
  book <- daybook(sales, day, revenue, product, covers = range(sales$day))
  t <- totals(book, measures = list(week = mean_of(revenue, per = "week"),
                                    all = mean_of(revenue, per = "week", incomplete = "count")))
  expect_equal(t$week, 49)
  expect_equal(t$all, (400 + 98) / 3)
})

test_that("a measure keeps its decimals when fewer lines are asked", {
  sales <- data.frame(day = as.Date("2026-01-15") + 0:1, revenue = c(1.25, 3), product = c("a", "b"),
                      cost = c(0.125, 2))
  book <- daybook(sales, day, revenue, product)
  q <- inquiry_of(totals(book, measures = list(profit = sum_of(revenue - cost))))
  # The line that is left has fewer decimals.
  t <- ask(q, keep_lines(book, product == "b"))
  expect_identical(t$profit, 1)
  expect_identical(hinterfeld:::answer_of(t)$measures$profit$decimals, 3L)
})

test_that("a ratio of columns with other decimals is the same when its inquiry is asked again", {
  sales <- data.frame(day = as.Date("2026-01-15") + 0:2, revenue = c(1.25, 3, 7), product = c("a", "b", "b"),
                      cost = c(0.125, 2, 1), units = 1:3)
  book <- daybook(sales, day, revenue, product, units = units)
  t <- totals(book, by = product, measures = list(r = ratio_of(cost, units), s = ratio_of(units, cost)))
  expect_equal(t$r, c(0.125, 3 / 5)[match(t$product, c("a", "b"))])
  again <- ask(inquiry_of(t), book)
  expect_identical(as.data.frame(again), as.data.frame(t))
  fewer <- ask(inquiry_of(t), keep_lines(book, product == "b"))
  expect_equal(c(fewer$r, fewer$s), c(3 / 5, 5 / 3))
})
