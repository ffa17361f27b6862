test_that("cells and margins equal SQL for random lines", {
  for (seed in seeds(21, 2, 4)) {
    random <- random_book(seed)
    t <- totals(random$book, by = product, every = "month",
                measures = list("revenue", regions = count_distinct(region)))
    x <- crosstab(t, product, month, of = c("revenue", "regions"))
    expect_cells <- function(rows, columns, where) {
      got <- sql(random$db,
                 "SELECT sum(cents) / 100.0 AS r, count(DISTINCT nullif(region, 'not given')) AS n FROM lines WHERE",
                 where)
      expect_equal(x[[paste(columns, "revenue")]][x$product == rows], got$r)
      expect_equal(x[[paste(columns, "regions")]][x$product == rows], got$n)
    }
    expect_cells("Sieve", "2024-05", "product = 'Sieve' AND substr(day, 1, 7) = '2024-05'")
    expect_cells("Sieve", "Total", "product = 'Sieve'")
    expect_cells("Total", "2024-05", "substr(day, 1, 7) = '2024-05'")
    expect_cells("Total", "Total", "1")
    expect_true(all(reconcile(x)$matches))
  }
})

book <- daybook(a_sale(
  day = as.Date(c("2026-11-02", "2026-12-01", "2027-01-05", "2026-11-03")), product = c("a", "b", "a", "b"),
  region = c("n", "n", "s", NA), revenue = c(1, 5, 3, 7)
), day, revenue, product)

test_that("columns are in calendar order with readable labels", {
  monthly <- totals(book, by = product, every = "month")
  expect_named(crosstab(monthly, product, month), c("product", "2026-11", "2026-12", "2027-01", "Total"))
  recurring <- quiet(totals(book, by = product, every = "month_of_year"))
  expect_named(crosstab(recurring, product, month_of_year, margins = FALSE), c("product", "Jan", "Nov", "Dec"))
  by_day <- quiet(totals(book, by = product, every = "weekday"))
  expect_named(crosstab(by_day, product, weekday, margins = FALSE), c("product", "Mon", "Tue"))
  expect_identical(crosstab(monthly, month, product)$month, c("2026-11", "2026-12", "2027-01", "Total"))
})

test_that("rows and other columns go from the largest; missing combinations are blank or 0", {
  x <- crosstab(totals(book, by = c(product, region)), product, region)
  expect_named(x, c("product", "not given", "n", "s", "Total"))
  expect_identical(x$product, c("b", "a", "Total"))
  expect_identical(x$s, c(NA, 3, 3))
  expect_identical(crosstab(totals(book, by = c(product, region)), product, region, empty = "zero")$s, c(0, 3, 3))
})

test_that("several row columns make a row each", {
  x <- crosstab(totals(book, by = c(region, product), every = "month"), c(region, product), month)
  expect_identical(x$Total, c(7, 7, 5, 1, 6, 3, 3, 16))
  expect_identical(x$region, c("not given", "not given", "n", "n", "n", "s", "s", "Total"))
  # Each subtotal stands below its group.
  expect_identical(which(x$product == "Total"), c(2L, 5L, 7L, 8L))
})

test_that("a wide crosstab prints what fits and keeps its totals in sight", {
  withr::local_options(cli.width = 80)
  book <- kilnmoor_book()
  x <- crosstab(totals(book, by = product, every = "month"), product, month)
  expect_snapshot({
    print(x, n = 5)
    crosstab(totals(book, by = c(category, region)), category, region)
    reconcile(x)
  })
})

test_that("a crosstab is delivered with its totals", {
  path <- withr::local_tempfile(fileext = ".csv")
  deliver(crosstab(totals(book, by = product, every = "month"), product, month), path)
  expect_identical(readLines(path), c(
    "product,2026-11,2026-12,2027-01,Total", "b,7.00,5.00,,12.00", "a,1.00,,3.00,4.00", "Total,8.00,5.00,3.00,16.00"
  ))
})

test_that("mistakes are explained", {
  t <- totals(book, by = c(product, region))
  expect_snapshot(error = TRUE, {
    crosstab(t, product, month)
    crosstab(t, product, product)
    crosstab(t, product, region, of = "units")
    crosstab(t[1:2, ], product, region)
    crosstab(data.frame(), product, region)
  })
})

test_that("a crosstab asks what its table asked: added-up peaks are added up over the same members", {
  book <- kilnmoor_book()
  t <- totals(book, by = c(region, product), every = "year", subtotals = TRUE,
              measures = list(m = largest_of(units, margin = "add_up")))
  x <- crosstab(t, region, year)
  regions <- tibble::as_tibble(t)[t$level == "region", ]
  for (i in seq_len(nrow(regions))) {
    expect_identical(x[[substr(regions$year[i], 1, 4)]][x$region == regions$region[i]], regions$m[i])
  }
  peaks <- lines_of(book)
  top <- tapply(peaks$units, interaction(peaks$region, peaks$product, format(peaks$day, "%Y"), drop = TRUE), max)
  expect_identical(x$Total[x$region == "Total"], sum(top))
})

test_that("groups are codes: names that look alike when pasted, like a column or like a label stay apart", {
  sales <- a_sale(a = c("Sieve fine", "Sieve", "a", "Total", NA, "not given"),
                  b = c("10 cm", "fine 10 cm", "a", "Total", "b", NA), revenue = c(1, 100, 3, 5, 7, 11))
  x <- crosstab(quiet(totals(daybook(sales, day, revenue, product), by = c(a, b))), a, b) |> quiet()
  cell <- function(a, b) x[[b]][x$a == a]
  expect_identical(c(cell("Sieve fine", "10 cm"), cell("Sieve", "fine 10 cm"), cell("a", "b: a"),
                     cell("Total", "Total")), c(1, 100, 3, 5))
  expect_identical(c(cell("not given, blank", "b"), cell("not given", "not given, blank")), c(7, 11))
  expect_identical(cell("Total of all", "Total of all"), 127)
  expect_identical(x$a[7], "Total of all")
  expect_true(all(reconcile(x)$matches))
})

test_that("without margins rows and columns stand as with them, and missing values have a name", {
  sales <- a_sale(product = c("a", "b", "a", "b"), revenue = c(1, 20, 3, 4), n = c(1, NA, 2, 2),
                  yes = c(TRUE, FALSE, NA, NA), on = as.Date(c("2024-01-01", NA, NA, "2024-02-01")))
  book <- daybook(sales, day, revenue, product)
  for (key in c("n", "yes", "on")) {
    t <- totals(book, by = c("product", key))
    with <- crosstab(t, "product", tidyselect::all_of(key))
    without <- crosstab(t, "product", tidyselect::all_of(key), margins = FALSE)
    expect_identical(names(without), setdiff(names(with), "Total"))
    expect_true("not given" %in% names(without))
    expect_identical(without$product, utils::head(with$product, -1))
  }
})

test_that("empty cells of sums and counts can be 0, those of means stay blank", {
  sales <- a_sale(product = c("a", "b"), region = c("x", "y"), revenue = 1:2)
  t <- totals(daybook(sales, day, revenue, product), by = c(product, region),
              measures = list("revenue", mean = mean_of(revenue)))
  x <- crosstab(t, product, region, of = c("revenue", "mean"), empty = "zero")
  expect_identical(x[["x revenue"]][x$product == "b"], 0)
  expect_identical(x[["x mean"]][x$product == "b"], NA_real_)
})

test_that("several columns have subtotals of the outer ones, and every cell is that of the table", {
  random <- random_book(31, days = 900)
  t <- quiet(totals(random$book, by = c(region, product), every = c("year", "quarter_of_year")))
  x <- crosstab(t, c(region, product), c(year, quarter_of_year))
  expect_true(all(reconcile(x)$matches))
  at <- function(column, region, product) x[[column]][x$region == region & x$product == product]
  of <- t[t$region == "Vale" & t$year == as.Date("2024-01-01") & t$quarter_of_year == "Q2", ]
  expect_gt(nrow(of), 0)
  for (i in seq_len(nrow(of))) expect_identical(at("2024 / Q2", "Vale", of$product[i]), of$revenue[i])
  whole <- function(where) sql(random$db, "SELECT sum(cents) / 100.0 AS r FROM lines WHERE", where)$r
  expect_identical(at("2024 / Total", "Vale", "Total"), whole("region = 'Vale' AND substr(day, 1, 4) = '2024'"))
  expect_identical(at("Total", "Vale", of$product[1]),
                   whole(sprintf("region = 'Vale' AND product = '%s'", of$product[1])))
  expect_identical(at("2024 / Q2", "Total", "Total"),
                   whole("substr(day, 1, 4) = '2024' AND substr(day, 6, 2) IN ('04', '05', '06')"))
  # Columns stand in calendar order, each year's total behind its quarters.
  expect_identical(grep("^2024", names(x), value = TRUE), paste("2024 /", c("Q1", "Q2", "Q3", "Q4", "Total")))
})

test_that("an added column fills the cells, and margins hold it of each level", {
  kilnmoor <- kilnmoor_book()
  t <- totals(kilnmoor, by = c(category, region))
  x <- crosstab(add_share(t, within = region), category, region, of = "revenue_share")
  last <- nrow(x)
  expect_identical(x$category[last], "Total")
  expect_equal(unlist(as.list(x[last, -1])), rep(1, 5), ignore_attr = TRUE)
  expect_equal(sum(x$Vale[-last]), 1)
  all <- crosstab(add_share(t), category, region, of = "revenue_share")
  expect_identical(all$Total[last], 1)
  expect_equal(sum(as.matrix(all[-last, 2:5])), 1)
  expect_identical(as.list(add_share(crosstab(t, category, region), of = "column"))[["Vale revenue_share"]], x$Vale)
  rows <- add_share(crosstab(t, category, region), of = "row", name = "part")
  expect_equal(rows[["Total part"]], rep(1, last))
  expect_equal(rows[["Vale part"]][1], rows[["Vale revenue"]][1] / rows[["Total revenue"]][1])
  change <- crosstab(add_change(totals(kilnmoor, by = region, every = "year")), region, year, of = "revenue_change")
  whole <- add_change(totals(kilnmoor, every = "year"))
  expect_identical(unlist(as.list(change[5, 2:5]), use.names = FALSE), whole$revenue_change)
  expect_true(all(is.na(change$Total)))
  expect_match(in_words(change), "blank", all = FALSE)
  ranked <- crosstab(add_rank(t, within = region), category, region, of = c("revenue", "revenue_rank"))
  expect_identical(ranked[["Vale revenue_rank"]][-last], rank(-ranked[["Vale revenue"]][-last]))
  expect_error(reconcile(x), class = "hinterfeld_error_measure")
  expect_true(all(reconcile(ranked)$matches))
  expect_snapshot(error = TRUE, {
    crosstab(add_share(totals(kilnmoor, by = c(category, region, channel))), category, region, of = "revenue_share")
    add_share(crosstab(t, category, region), of = "town")
    add_share(crosstab(t, category, region), within = region)
  })
})

test_that("rows are sorted and picked by any column, totals stay, and the inquiry tells it", {
  kilnmoor <- kilnmoor_book()
  x <- crosstab(totals(kilnmoor, by = c(product, region)), product, region)
  sorted <- sort_rows(x, down(Vale))
  expect_identical(sorted$Vale[-nrow(x)], sort(x$Vale, decreasing = TRUE, na.last = TRUE)[-1] |>
                     c(rep(NA, sum(is.na(x$Vale)))) |> utils::head(nrow(x) - 1))
  expect_identical(sorted$product[nrow(x)], "Total")
  best <- best_sellers(sorted, n = 3, of = "Vale")
  expect_identical(best$product, c(sorted$product[1:3], "Total"))
  expect_true(all(reconcile(best)$matches))
  expect_match(in_words(best), "The 3 best rows by Vale", all = FALSE)
  q <- inquiry_of(best)
  place <- rlang::env(asNamespace("hinterfeld"), book = kilnmoor)
  for (line in as_code(q)) eval(parse(text = line), place)
  expect_identical(place$t, best)
  expect_snapshot(error = TRUE, {
    best_sellers(best, n = 2)
    best_sellers(x, n = 2, of = "Valley")
  })
})

test_that("rows of what is gone stand in a crosstab of changes, also where the best that are all were picked", {
  lines <- data.frame(day = as.Date(c("2022-07-15", "2023-07-20")), product = c("a", "b"), revenue = c(5, 7))
  t <- add_change(totals(daybook(lines, day, revenue, product), by = product, every = "week"), align = "weekday")
  picked <- best_sellers(t, n = 3, within = week)
  expect_identical(nrow(picked), nrow(t))
  whole <- crosstab(t, week, product, of = "revenue_change")
  x <- crosstab(picked, week, product, of = "revenue_change")
  expect_identical(x$week, whole$week)
  expect_identical(x[c("a", "b")] |> as.data.frame() |> head(-1), whole[c("a", "b")] |> as.data.frame() |> head(-1))
})

test_that("a crosstab of a change lists every group once, where several levels tell one period", {
  days <- as.Date(c("2024-01-05", "2025-01-06", "2025-04-06"))
  book <- daybook(data.frame(day = days, product = "a", revenue = c(1, 2, 4)), day, revenue, product)
  t <- add_change(totals(book, by = product, every = c("year", "quarter")))
  x <- crosstab(t, c(product, quarter), year, of = "revenue_change")
  expect_identical(x$quarter, c("2024-Q1", "2025-Q1", "2025-Q2", "Total", "Total"))
  demo <- add_change(totals(kilnmoor_book(), by = region, every = c("year", "quarter")))
  wide <- crosstab(demo, region, c(year, quarter), of = "revenue_change", margins = FALSE)
  expect_identical(anyDuplicated(names(wide)), 0L)
  expect_identical(ncol(wide), 1L + length(unique(demo$quarter)))
})

test_that("a crosstab says that it adds years, or largest values, together", {
  weekly <- quiet(crosstab(totals(kilnmoor_book(), by = region, every = "weekday"), region, weekday))
  expect_match(format(weekly), "Each weekday adds up 4 years", all = FALSE)
  best <- list(best = largest_of(revenue, per = "day", margin = "add_up"))
  x <- crosstab(totals(kilnmoor_book(), by = c(region, channel), measures = best), region, channel)
  expect_match(format(x), "For best a total adds up the rows of its group.", all = FALSE)
})

test_that("the best rows of a crosstab are those of a column of cells, not of numbers that split it", {
  book <- a_book(product = c("a", "b", "a"), shelf = c(2, 3, 4), revenue = c(3, 4, 5))
  x <- crosstab(totals(book, by = c(shelf, product)), shelf, product)
  expect_error(best_sellers(x, n = 1, of = "shelf"), class = "hinterfeld_error_measure")
  expect_identical(as.character(best_sellers(x, n = 1, of = "a")$shelf)[1], "4")
})

test_that("a covered month without a line has a column of its own, where columns are periods alone", {
  book <- a_book(day = as.Date(c("2024-01-31", "2024-03-01")), region = "Vale", revenue = c(1, 2))
  x <- crosstab(totals(book, by = region, every = "month"), region, month, empty = "zero")
  expect_identical(names(x), c("region", "2024-01", "2024-02", "2024-03", "Total"))
  expect_identical(x[["2024-02"]], c(0, 0))
  full <- a_book(day = as.Date(c("2024-01-31", "2024-02-01")), region = "Vale", revenue = c(1, 2))
  expect_identical(names(crosstab(totals(full, by = region, every = "month"), region, month)),
                   c("region", "2024-01", "2024-02", "Total"))
})

test_that("a crosstab of picked rows has their cells and no others", {
  for (seed in seeds(1, 3, 20)) {
    book <- quiet(daybook(random_sales(seed), day, price, product, units = pieces, on_bad = "set_aside"))
    t <- quiet(add_share(totals(book, by = c(region, product, status))))
    picks <- list(best_sellers(t, 2, within = region), slow_sellers(t, 1, within = c(region, status)),
                  best_sellers(best_sellers(t, 4), 2, within = status, of = "revenue_share"))
    for (picked in picks[vapply(picks, nrow, 0L) < nrow(t)]) {
      x <- quiet(crosstab(picked, c(region, product), status, of = c("revenue", "revenue_share")))
      data <- as.data.frame(picked)
      for (of in c("revenue", "revenue_share")) {
        expected <- tapply(data[[of]], data[c("product", "region", "status")], c)
        for (status in unique(data$status)) {
          cells <- expected[cbind(x$product, x$region, status)]
          expect_identical(x[[paste(status, of)]], as.vector(cells))
        }
      }
      expect_identical(length(x), 2L + 2L * length(unique(data$status)))
      expect_identical(sum(!is.na(as.matrix(as.data.frame(x)[-(1:2)]))), 2L * nrow(data))
      expect_identical(as.data.frame(quiet(ask(inquiry_of(x), book))), as.data.frame(x))
      expect_true(all(reconcile(x)$matches))
      expect_match(in_words(x), "^Picked: ", all = FALSE)
    }
  }
})

test_that("picked rows have no margins, no shares and no rest in a crosstab", {
  t <- totals(kilnmoor_book(), by = c(region, product))
  expect_snapshot(error = TRUE, {
    crosstab(best_sellers(t, 3, within = region), product, region, margins = TRUE)
    crosstab(best_sellers(t, 3, within = region, others = TRUE), product, region)
    crosstab(best_sellers(totals(kilnmoor_book(), by = c(region, product), every = "year"), 3), product, region)
    add_share(crosstab(best_sellers(t, 3, within = region), product, region), of = "row")
    crosstab(best_sellers(totals(kilnmoor_book(), by = c(region, product), measures = list(
      none = largest_of(revenue, where = day > as.Date("2030-01-01"))
    )), 3), product, region)
  })
})

test_that("a listing within two columns is spread as it is: names, numbers and what is said of them", {
  best <- best_of_each(totals(kilnmoor_book(), by = c(region, product), every = "year"), within = c(region, year))
  x <- crosstab(best, region, year)
  expect_identical(names(x), c("region", "2023", "2024", "2025", "2026"))
  cell <- best$best_seller[best$region == "Vale" & best$year == as.Date("2025-01-01")]
  expect_identical(x$`2025`[x$region == "Vale"], cell)
  expect_identical(in_words(x)[-1], in_words(best)[-1])
  amounts <- crosstab(best, year, region, of = best_seller_revenue)
  expect_identical(sum(unlist(as.list(amounts)[-1])), sum(best$best_seller_revenue))
  expect_snapshot({
    x
    amounts
  })
  path <- deliver(amounts, withr::local_tempfile(fileext = ".csv"))
  expect_identical(nrow(utils::read.csv(path)), 4L)
  expect_snapshot(error = TRUE, {
    crosstab(best, region, region)
    crosstab(best, region, year, of = profit)
    crosstab(best_of_each(totals(kilnmoor_book(), by = c(region, product)), within = region), region, product)
    autoplot(x)
  })
})
