# Two regions and a blank one, to the middle of April 2026.
planned_book <- function() {
  days <- seq(as.Date("2025-01-01"), as.Date("2026-04-15"), by = 1)
  lines <- data.frame(day = rep(days, 3), region = rep(c("Vale", "Highfen", NA), each = length(days)),
                      product = "Sieve", revenue = rep(c(10, 5.25, 1), each = length(days)))
  daybook(lines, day, revenue, product)
}

plan_of <- function(regions, periods, target) {
  expand.grid(region = regions, period = periods, stringsAsFactors = FALSE) |> transform(target = target)
}

shown <- function(t) as.data.frame(t)[c("revenue_target", "revenue_due", "revenue_difference", "revenue_reached")]

test_that("a target is set beside its row, and what is due follows the days that are covered", {
  t <- totals(planned_book(), by = region, every = "month")
  x <- add_target(t, plan_of(c("Vale", "Highfen"), c("2026-03", "2026-04"), 300))
  april <- in_period(x, "2026-04")
  expect_identical(april$region, c("Vale", "Highfen", "not given"))
  expect_identical(shown(april)[1:2, ], data.frame(revenue_target = 300, revenue_due = 150,
                                                   revenue_difference = c(0, -71.25), revenue_reached = c(1, 0.525)))
  expect_true(all(is.na(shown(april)[3, ])))
  expect_identical(in_period(x, "2026-03")$revenue_due, c(300, 300, NA))
  # Half a cent is rounded away from zero, once.
  one <- add_target(totals(planned_book(), every = "month"), data.frame(month = "2026-04", target = c(0.01)))
  expect_identical(utils::tail(one$revenue_due, 1), 0.01)
  less <- add_target(totals(planned_book(), every = "month"), data.frame(month = "2026-04", target = -0.01))
  expect_identical(utils::tail(less$revenue_due, 1), -0.01)
  expect_identical(utils::tail(less$revenue_reached, 1), NA_real_)
})

test_that("the part of the year before is that of the same days", {
  lines <- data.frame(day = as.Date(c("2025-04-02", "2025-04-20", "2026-04-01", "2026-04-15")), product = "Sieve",
                      revenue = c(1, 3, 7, 0))
  t <- totals(daybook(lines, day, revenue, product, covers = c("2025-04-01", "2026-04-15")), every = "month")
  x <- add_target(t, data.frame(period = "2026-04", target = 40), due = "year_before")
  expect_identical(utils::tail(x$revenue_due, 1), 10)
  expect_match(in_words(x), "the part that the same days of the year before had", all = FALSE)
  cent <- transform(lines, revenue = c(0.01, 0, 7, 0))
  t <- totals(daybook(cent, day, revenue, product, covers = c("2025-04-01", "2026-04-15")), every = "month")
  x <- add_target(t, data.frame(period = "2026-04", target = 40), due = "year_before")
  expect_identical(utils::tail(x$revenue_due, 1), 40)
  new <- lines[3:4, ]
  t <- totals(daybook(new, day, revenue, product, covers = c("2025-04-01", "2026-04-15")), every = "month")
  x <- add_target(t, data.frame(period = "2026-04", target = 40), due = "year_before")
  expect_identical(utils::tail(x$revenue_due, 1), NA_real_)
  expect_match(in_words(x), "For 1 row the part that is due is not known", all = FALSE)
})

test_that("who has a target and no line gets a row, and who sold without one leaves the subtotal without", {
  t <- totals(planned_book(), by = region, every = "year", subtotals = TRUE)
  plan <- plan_of(c("Vale", "Highfen", "Saltcoast"), "2026", 1000)
  x <- in_period(add_target(t, plan), "2026")
  expect_identical(x$region, c("Vale", "Highfen", "not given", "Saltcoast", "Total"))
  expect_identical(x$revenue[4], 0)
  expect_identical(x$revenue_target, c(1000, 1000, NA, 1000, NA))
  all <- rbind(plan, data.frame(region = "not given", period = "2026", target = 0))
  x <- in_period(add_target(t, all), "2026")
  expect_identical(x$revenue_target[x$level == "year"], 3000)
  expect_match(in_words(x), "1 row has a target and no line", all = FALSE)
  # Later steps take the row as any other.
  x <- add_rank(add_change(add_target(t, all)), within = year)
  expect_identical(x$revenue_rank[x$region == "Saltcoast"], 4)
  expect_identical(x$revenue_change[x$region == "Saltcoast"], 0)
  # Of a table that was cut only what is there.
  expect_identical(nrow(add_target(in_period(t, "2026"), all)), 4L)
  expect_match(in_words(add_target(t, plan_of("Vale", c("2026", "2027"), 1))),
               "no day of the periods of 1 further target", all = FALSE)
})

test_that("targets equal SQL for random lines, from a tally too", {
  for (seed in seeds(71, 2, 10)) {
    withr::local_seed(seed)
    n <- 300
    lines <- data.frame(day = as.Date("2026-01-01") + sample(0:130, n, TRUE), product = sample(letters[1:6], n, TRUE),
                        revenue = sample(-500:9000, n, TRUE) / 100)
    book <- daybook(lines, day, revenue, product)
    plan <- expand.grid(product = letters[sample(8, 5)], period = c("2026-02", "2026-05"), stringsAsFactors = FALSE)
    plan$target <- sample(1:99999, nrow(plan)) / 100
    last <- max(lines$day)
    db <- sql_database(lines = transform(lines, day = format(day), cents = round(100 * revenue)),
                       plan = transform(plan, cents = round(100 * target)))
    expected <- sql(db, sprintf("SELECT product, period, cents / 100.0 AS target,
      (CASE WHEN period = '2026-05' THEN (CAST(cents AS INTEGER) * %d * 2 + 31) / 62
       ELSE cents END) / 100.0 AS due,
      (SELECT coalesce(sum(cents), 0) FROM lines
       WHERE lines.product = plan.product AND substr(day, 1, 7) = period) / 100.0 AS revenue
      FROM plan ORDER BY 1, 2", as.POSIXlt(last)$mday))
    for (facts in list(book, tally_of(book, by = product))) {
      x <- as.data.frame(add_target(totals(facts, by = product, every = "month"), plan))
      x <- x[!is.na(x$revenue_target), ]
      x <- x[order(x$product, x$month), ]
      expect_equal(x[c("product", "revenue_target", "revenue_due", "revenue")],
                   setNames(expected[c("product", "target", "due", "revenue")],
                            c("product", "revenue_target", "revenue_due", "revenue")), ignore_attr = TRUE)
      expect_equal(x$revenue_difference, expected$revenue - expected$due)
      expect_equal(x$revenue_reached, expected$revenue / expected$due)
    }
  }
})

test_that("an inquiry holds its targets, as code and as lines of a brief", {
  t <- totals(planned_book(), by = region, every = "year")
  x <- add_target(t, plan_of("Vale", "2026", 1000), name = "plan")
  q <- inquiry_of(x)
  book <- planned_book()
  for (line in as_code(q)) eval(parse(text = line))
  expect_identical(as.data.frame(t), as.data.frame(x))
  brief <- yaml::yaml.load(paste(as_brief(q), collapse = "\n"))
  expect_identical(brief$tables[[1]]$add[[1]]$target,
                   list(targets = list(region = "Vale", year = "2026-01-01", target = 1000), name = "plan"))
  expect_identical(as.data.frame(ask(q, planned_book())), as.data.frame(x))
})

test_that("targets that cannot be are refused", {
  t <- totals(planned_book(), by = region, every = "month")
  one <- plan_of("Vale", "2026-03", 1)
  expect_snapshot(error = TRUE, {
    add_target(t, 5)
    add_target(t, one[c("region", "period")])
    add_target(t, one[c("region", "target")])
    add_target(t, cbind(one, town = "Oldkiln"))
    add_target(t, rbind(one, one))
    add_target(t, transform(one, target = "many"))
    add_target(t, transform(one, target = 1e15))
    add_target(t, transform(one, period = "2026"))
    add_target(t, transform(one, period = "soon"))
    add_target(t, one, due = "weeks")
    add_target(totals(planned_book(), every = "weekday"), one)
    add_target(totals(planned_book(), measures = mean_of(revenue)), data.frame(target = 1), of = "revenue_mean")
    add_target(totals(planned_book()), data.frame(target = 1), due = "year_before")
  })
  by_number <- totals(extend_lines(planned_book(), shop = 1), by = shop)
  expect_error(add_target(by_number, data.frame(shop = "one", target = 1)), class = "hinterfeld_error_targets")
  expect_identical(add_target(by_number, data.frame(shop = "1", target = 10))$revenue_target, 10)
})

test_that("a brief and the command line take targets from a file", {
  table <- "  planned: {by: region, every: year, add: [{target: {targets: plan.csv}}]}\noutputs:"
  path <- brief_folder(sub("outputs:", table, small_brief, fixed = TRUE))
  plan <- file.path(dirname(path), "plan.csv")
  expect_match(check_brief(path)$problem, "There is no file \"plan.csv\"", all = FALSE)
  writeLines(c("region,period,target", "Vale,2026,100"), plan)
  expect_identical(nrow(check_brief(path)), 0L)
  run <- quiet(run_brief(path))
  expect_true("plan.csv" %in% vapply(run$inputs, function(input) input$file, ""))
  made <- utils::read.csv(file.path(dirname(path), "out", "planned.csv"))
  expect_equal(made$revenue_target[made$region == "Vale"], c(NA, 100))
  sales <- file.path(dirname(path), "sales.csv")
  asked <- c("totals", sales, "--by", "region", "--every", "year", "--set-aside", "--target")
  told <- run_cli(asked, plan)
  expect_identical(told$status, 0L)
  expect_match(told$stdout, "Vale.* 100[.]00")
  expect_match(run_cli(asked, "none.csv")$stderr, "--target: There is no file \"none.csv\"", fixed = TRUE)
})

test_that("a row without a line goes through every step, into a crosstab, and has no lines behind it", {
  t <- totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE)
  x <- add_target(t, load_table(demo_files()[["targets"]]))
  place <- which(x$region == "Outer isles")
  expect_identical(nrow(lines_behind(x, place)), 0L)
  spread <- crosstab(x, region, year, of = "revenue_target")
  expect_identical(spread$region, c("Saltcoast", "Vale", "Northmoor", "Highfen", "Outer isles", "Total"))
  expect_equal(sum(spread[["2026"]][1:5]), spread[["2026"]][6])
  why <- add_causes(add_change(x))
  expect_identical(why$revenue_change[why$region == "Outer isles"], 0)
  expect_equal(sum(why$revenue_volume[why$region == "Vale"], na.rm = TRUE),
               sum(add_causes(add_change(t))$revenue_volume[t$region == "Vale"], na.rm = TRUE))
  expect_true(all(reconcile(x)$matches))
  expect_match(in_words(add_pareto(x, within = year)), "^2026: [0-9] of 5 regions make", all = FALSE)
  expect_error(add_target(best_sellers(totals(kilnmoor_book(), by = region), n = 1, others = TRUE),
                          data.frame(region = "Vale", target = 1)), "have no target.*Add the target first")
})

test_that("which part of a target is due is said of an unfinished period only", {
  years <- totals(kilnmoor_book(), every = "year")
  told <- function(...) grep("revenue_target", in_words(add_target(years, data.frame(period = c(...), target = 9e5))),
                             value = TRUE)
  expect_no_match(told(2024, 2025), "(of 202", fixed = TRUE)
  expect_match(told(2025, 2026), "(of 2026: 260 of 363 open days)", fixed = TRUE)
})

test_that("a table that was cut gets no rows of members that only have a target", {
  t <- totals(planned_book(), by = region, every = "year")
  t <- t[t$region == "Vale", ]
  x <- quiet(add_target(t, plan_of(c("Vale", "Saltcoast"), "2026", 10)))
  expect_identical(unique(x$region), "Vale")
})
