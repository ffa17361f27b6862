test_that("shares equal SQL and add up to 1 in each scope", {
  for (seed in seeds(51, 2, 4)) {
    random <- random_book(seed)
    t <- totals(random$book, by = c(product, region), measures = c("revenue", "lines"), subtotals = TRUE)
    t <- quiet(suppressWarnings(add_share(add_share(t, "lines", product), name = "of_all")))
    detail <- t$level == "region"
    expected <- sql(random$db, "SELECT product, region, 1.0 * count(*) / sum(count(*)) OVER (PARTITION BY product) AS s,
                                1.0 * sum(cents) / sum(sum(cents)) OVER () AS a FROM lines GROUP BY product, region")
    at <- match(paste(t$product, t$region)[detail], paste(expected$product, expected$region))
    expect_equal(t$lines_share[detail], expected$s[at])
    expect_equal(t$of_all[detail], expected$a[at])
    expect_equal(c(tapply(t$lines_share[detail], t$product[detail], sum)), rep(1, length(unique(t$product[detail]))),
                 ignore_attr = TRUE)
    expect_equal(sum(t$of_all[t$level == "product"]), 1)
  }
})

test_that("a scope at or below 0 has no shares, and the warning names it", {
  book <- daybook(a_sale(region = c("n", "n", "s"), product = c("a", "b", "a"), revenue = c(5, -5, 3)), day, revenue,
                  product)
  expect_snapshot(t <- add_share(totals(book, by = c(region, product)), within = region))
  expect_identical(t$revenue_share, c(1, NA, NA))
  expect_match(in_words(t), "2 rows have no share: the total of the scope is 0 or below", all = FALSE)
})

test_that("what does not add up has no share", {
  t <- totals(kilnmoor_book(), by = region, measures = list(mean = mean_of(revenue)))
  expect_snapshot(error = TRUE, add_share(t, "mean"))
})

test_that("shares beside the cells of a crosstab that was put in order or cut keep its rows", {
  t <- totals(demo_daybook(), by = c(category, region))
  x <- crosstab(t, category, region)
  sorted <- sort_rows(x, down(Vale))
  shares <- add_share(sorted, of = "row")
  expect_identical(shares$category, sorted$category)
  cell <- grep("^Vale.*revenue$", names(shares), value = TRUE)
  expect_identical(shares[[cell]], sorted$Vale)
  best <- best_sellers(x, n = 2)
  shares <- add_share(best, of = "column")
  expect_identical(shares$category, best$category)
  book <- demo_daybook()
  eval(parse(text = as_code(inquiry_of(shares))))
  expect_identical(as.data.frame(t), as.data.frame(shares))
})

test_that("a scope whose total is exactly 0, or below, has no shares, and is named", {
  book <- a_book(product = c("a", "b", "a", "b", "a", "b"), region = rep(c("nil", "less", "more"), each = 2),
                 revenue = c(1, -1, 1, -2, 1, 3))
  expect_warning(t <- add_share(totals(book, by = c(region, product)), within = region), "less|nil")
  share <- function(of) t$revenue_share[t$region == of]
  expect_identical(share("nil"), c(NA_real_, NA))
  expect_identical(share("less"), c(NA_real_, NA))
  expect_identical(sort(share("more")), c(0.25, 0.75))
})
