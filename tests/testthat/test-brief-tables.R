brief_of_tables <- function(tables, env = parent.frame()) {
  brief_folder(sub("tables:.*outputs:", paste0("tables:\n", tables, "\noutputs:"), small_brief), env = env)
}

small_tables <- function(tables, env = parent.frame()) {
  path <- brief_of_tables(tables, env)
  expect_identical(nrow(check_brief(path)), 0L)
  quiet(run_brief(path))
  function(name) readLines(file.path(dirname(path), "out", paste0(name, ".csv")))
}

small_book <- function() {
  keep_lines(daybook(load_table(text_at(small_sales)), day, revenue, product), status == "paid",
             "paid orders")
}

as_csv <- function(t) {
  readLines(deliver(t, withr::local_tempfile(fileext = ".csv")))
}

test_that("tables of a brief are those of the functions", {
  made <- small_tables("  measured:
    by: [region, product]
    every: year
    measures:
      - revenue
      - lines
      - best_day: {largest_of: revenue, per: day}
      - mean: {mean_of: revenue * 2}
      - low: {smallest_of: revenue, margin: add_up}
      - sieves: {sum_of: revenue, where: product == \"Sieve\"}
      - kinds: {count_distinct: product}
      - big: {count_lines: true, where: revenue > 10}
    subtotals: [year, Total]
  added:
    by: product
    every: year
    fill: true
    add:
      - change: {versus: year_before, like_for_like: false}
      - rank: {within: year, ties: dense, highest_first: false}
      - share: {within: [year], name: part}
      - running_total: {name: so_far}
      - moving: {last: 2, what: mean}
  periods:
    by: product
    add:
      - change:
          periods:
            now: [2026-03-01, 2026-03-05]
            then: [2025-03-02, 2025-03-31]
      - pareto: {classes: {top: 0.5, rest: 1}}
  slow:
    by: [region, product]
    pick: {slow_sellers: {n: 1, within: region}}
  each:
    by: [region, product]
    pick: {best_of_each: {within: region}}
  spread:
    by: [region, product]
    crosstab: {rows: region, columns: product, empty: zero, margins: false}")
  book <- small_book()
  expect_identical(made("measured"), as_csv(totals(
    book, c(region, product), "year", subtotals = c("year", "Total"), measures = list(
      "revenue", "lines", best_day = largest_of(revenue, per = "day"), mean = mean_of(revenue * 2),
      low = smallest_of(revenue, margin = "add_up"),
      sieves = sum_of(revenue, where = product == "Sieve"), kinds = count_distinct(product),
      big = count_lines(where = revenue > 10)
    ))))
  t <- totals(book, product, "year", fill = TRUE) |> add_change(like_for_like = FALSE) |>
    add_rank(within = year, ties = "dense", highest_first = FALSE) |>
    add_share(within = year, name = "part") |> add_running_total(name = "so_far") |> add_moving(last = 2, what = "mean")
  expect_identical(made("added"), as_csv(t))
  days <- function(...) as.Date(c(...))
  expect_identical(made("periods"), as_csv(totals(book, product) |> add_change(periods = list(
    now = days("2026-03-01", "2026-03-05"),
    then = days("2025-03-02", "2025-03-31"))) |> add_pareto(classes = c(top = 0.5, rest = 1))))
  both <- totals(book, c(region, product))
  expect_identical(made("slow"), as_csv(slow_sellers(both, 1, within = region)))
  expect_identical(made("each"), as_csv(best_of_each(both, within = region)))
  expect_identical(made("spread"), as_csv(crosstab(both, region, product, empty = "zero", margins = FALSE)))
})

test_that("a table has lines, an order, columns and digits of its own", {
  path <- brief_of_tables("  own:
    keep: revenue > 0
    leave_out: [region == \"Vale\"]
    by: [region, product]
    every: [year, month_of_year]
    measures: [revenue, price: {ratio_of: revenue, to: 2 * revenue}]
    sort: [-revenue]
    headings: {revenue: Mk}
    columns: [revenue, product, region, year, month_of_year]
    decimals_shown: 0
  grid:
    by: [region, product]
    add:
      - share: {within: region}
    crosstab: {rows: product, columns: region, of: revenue_share, order: [-Total], best: {n: 2}}")
  expect_identical(nrow(check_brief(path)), 0L)
  quiet(run_brief(path))
  made <- function(name) utils::read.csv(file.path(dirname(path), "out", paste0(name, ".csv")), check.names = FALSE)
  lines <- lines_of(small_book())
  kept <- lines[lines$revenue > 0 & lines$region != "Vale" & !is.na(lines$region), ]
  own <- made("own")
  expect_equal(sum(own$Mk), sum(kept$revenue))
  expect_named(own, c("Mk", "product", "region", "year", "month_of_year"))
  expect_identical(own$Mk, sort(own$Mk, decreasing = TRUE))
  expect_identical(nrow(made("grid")), 3L)
  wrong <- brief_of_tables("  own:
    keep: revenoo > 0
    every: [month, year]
    measures: [price: {ratio_of: revenue}, x: {sum_of: revenue, to: units}]")
  expect_snapshot(print(check_brief(wrong)))
})

test_that("a chosen period is taken before shares, and after changes", {
  made <- small_tables("  latest:
    by: region
    every: year
    add:
      - share: {}
      - change: {versus: year_before}
    in_period: latest
")
  t <- in_period(add_change(totals(small_book(), by = region, every = "year")), "latest")
  expect_identical(made("latest"), as_csv(add_share(t)))
  path <- brief_of_tables("  all: {by: region, in_period: latest}")
  expect_identical(check_brief(path)$where, "tables > all > in_period")
})

test_that("a brief says what its data cover", {
  text <- sub("daybook:", "daybook:\n  covers: [2025-01-01, 2026-12-31]", small_brief)
  text <- sub("tables:\n", "tables:\n  months: {every: month, fill: true}\n", text)
  path <- brief_folder(text)
  expect_identical(nrow(check_brief(path)), 0L)
  quiet(run_brief(path))
  months <- readLines(file.path(dirname(path), "out", "months.csv"))
  expect_identical(substr(months[c(2, length(months))], 1, 7), c("2025-01", "2026-12"))
})
