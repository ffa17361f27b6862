test_that("tables add up to their daybook, whatever the levels", {
  for (seed in seeds(31, 2, 5)) {
    random <- random_book(seed)
    t <- totals(random$book, by = c(product, region), every = "month", subtotals = TRUE, fill = seed == 31,
                measures = list("revenue", "lines", web = sum_of(units, where = region == "Vale")))
    checks <- reconcile(t)
    expect_identical(nrow(checks), 12L)
    expect_true(all(checks$matches))
  }
})

test_that("a cut table shows X of Y, renamed columns or not", {
  t <- totals(kilnmoor_book(), by = c(category, region), subtotals = TRUE, measures = c("revenue", "lines"))
  names(t)[1] <- "kind"
  expect_snapshot(reconcile(t))
  some <- t[t$region == "Vale", ]
  expect_snapshot(reconcile(some))
  expect_identical(reconcile(some)$table[1], sum(some$revenue))
})

test_that("a table whose numbers were tampered with does not reconcile", {
  t <- totals(kilnmoor_book(), by = region)
  wrong <- t
  attributes_of <- attributes(t)
  wrong <- unclass(t)
  wrong$revenue[1] <- wrong$revenue[1] + 0.01
  attributes(wrong) <- attributes_of
  expect_false(reconcile(wrong)$matches)
  expect_identical(reconcile(wrong)$difference, 0.01)
  expect_snapshot(reconcile(wrong))
  wrong <- unclass(wrong)
  wrong$revenue[1] <- wrong$revenue[1] + 7
  attributes(wrong) <- attributes_of
  expect_identical(reconcile(wrong)$difference, 7.01)
})

test_that("what cannot be reconciled is explained", {
  expect_snapshot(error = TRUE, {
    reconcile(totals(a_book(), measures = mean_of(revenue)))
    reconcile(data.frame())
  })
})

test_that("a table with subtotals that was cut is looked at by the levels that are left", {
  book <- a_book(product = c("a", "b", "a"), region = c("v", "v", "h"), revenue = c(1, 2, 4))
  t <- totals(book, by = c(region, product), subtotals = TRUE)
  expect_identical(unique(reconcile(t)$of), c("product", "region", "Total"))
  cut <- reconcile(t[t$level != "product", ])
  expect_identical(unique(cut$of), c("region", "Total"))
  expect_true(all(cut$cut) && all(cut$matches))
  one <- reconcile(t[t$region == "h", ])
  expect_true(all(one$cut) && all(one$matches))
  expect_false(any(reconcile(t)$cut))
})

test_that("a table that has lost all of its rows has no level to look at, whatever it had", {
  t <- add_change(totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE))
  without <- reconcile(totals(kilnmoor_book(), by = region)[0, ])
  expect_identical(without$of, "all rows")
  for (empty in list(t[0, ], add_causes(t)[0, ])) expect_equal(reconcile(empty), without, ignore_attr = TRUE)
})

test_that("the causes of a change are held against the change", {
  t <- add_causes(add_change(totals(kilnmoor_book(), by = region, every = "year")))
  checks <- reconcile(t)
  expect_true(any(grepl("cause", paste(checks$measure, checks$of))))
  expect_true(all(checks$matches))
})
