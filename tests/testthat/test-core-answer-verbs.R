t <- totals(kilnmoor_book(), by = c(category, region), measures = c("revenue", "units"))
is_totals <- function(x) inherits(x, "hinterfeld_totals")

test_that("taking rows and measures keeps the memory", {
  expect_true(is_totals(head(t)))
  expect_true(is_totals(t[t$region == "Vale", ]))
  expect_true(is_totals(t[order(t$units), c("category", "region", "units")]))
  expect_identical(t[["revenue"]], t$revenue)
  expect_identical(t[3, 3, drop = TRUE], t$revenue[3])
  expect_identical(totals(kilnmoor_book(), by = region)[, "revenue", drop = TRUE][1], 1039684.34)
})

test_that("renaming is followed", {
  renamed <- t
  names(renamed)[c(1, 3)] <- c("kind", "turnover")
  expect_snapshot(print(renamed, n = 2))
  expect_true(all(reconcile(renamed)$matches))
})

test_that("what makes it another table turns it plain, and says so", {
  expect_snapshot({
    x <- t["revenue"]
    x <- t[c(1, 1, 2), ]
    x <- t[c("category", "region")]
    x <- t
    x$revenue <- x$revenue / 2
    x <- t
    x[1, "category"] <- "Clay"
    x <- t
    names(x)[4] <- "revenue"
    x <- rbind(t, t)
  })
  expect_false(is_totals(x))
})

test_that("rows are rows of the table, each once, whatever they are taken by", {
  t <- add_share(totals(a_book(product = c("a", "b"), revenue = 1:2), by = product))
  for (twice in list(c(1, 1), c("1", "1"), c(2L, 2L, 1L), rep(TRUE, 2)[c(1, 1)] + 0, c("2", "7"), c(1, NA))) {
    expect_message(out <- t[twice, ], "now a plain tibble", label = deparse(twice))
    expect_false(inherits(out, "hinterfeld_totals"))
  }
  for (once in list(c(-1, -1), c("2", "1"), c(TRUE, FALSE), 0, -2L)) expect_s3_class(t[once, ], "hinterfeld_totals")
})

test_that("new columns are welcome, and as_tibble() gives a plain tibble", {
  x <- t
  x$note <- "fine"
  x[["more"]] <- 1
  expect_true(is_totals(x))
  expect_identical(class(tibble::as_tibble(t)), c("tbl_df", "tbl", "data.frame"))
  expect_null(attr(tibble::as_tibble(t), "answer"))
})

test_that("dplyr's verbs keep a table that is still true and make any other plain, aloud", {
  rows <- dplyr::filter(t, revenue > 1e5)
  expect_true(is_totals(rows))
  expect_true(all(reconcile(rows)$matches))
  expect_true(is_totals(dplyr::arrange(t, units)))
  expect_true(is_totals(dplyr::slice(t, 3:1)))
  expect_true(is_totals(dplyr::mutate(t, note = "fine")))
  renamed <- dplyr::rename(t, place = region)
  expect_identical(add_rank(renamed, within = place)$revenue_rank, add_rank(t, within = region)$revenue_rank)
  expect_true(all(reconcile(renamed[1:3, ])$matches))
  expect_message(x <- dplyr::mutate(t, revenue = revenue * 2), "`revenue` changed")
  expect_false(is_totals(x))
  expect_message(x <- dplyr::bind_rows(t, t), "twice")
  expect_false(is_totals(x))
  expect_message(x <- dplyr::select(t, revenue), "cannot be told apart")
  expect_message(x <- dplyr::group_by(t, region), "Grouped")
  expect_false(is_totals(x))
  expect_message(x <- dplyr::left_join(t, data.frame(region = "Vale", z = 1:2), by = "region", multiple = "all") |>
                 suppressWarnings(), "twice")
  expect_true(is_totals(dplyr::left_join(t, data.frame(region = "Vale", z = 1), by = "region")))
})

test_that("a cut table stays cut when its subtotals are left out, and gets no new rows", {
  days <- as.Date(c("2025-01-16", "2026-01-16"))
  book <- daybook(a_sale(day = days, product = c("a", "b"), revenue = c(1, 2)), day, revenue, product)
  t <- totals(book, by = product, every = "year", subtotals = TRUE)
  picked <- best_sellers(t[t$product != "a", ], n = 4)
  expect_identical(nrow(add_change(picked)), 1L)
  expect_true(all(reconcile(picked)$cut))
  renamed <- t[1:3, ]
  names(renamed)[2] <- "article"
  expect_true(all(reconcile(renamed)$matches))
})

test_that("a period compared with a number says what to do, instead of no rows", {
  t <- totals(kilnmoor_book(), by = region, every = "year")
  expect_snapshot(error = TRUE, t[t$year == 2025, ])
  expect_identical(nrow(t[t$year == as.Date("2025-01-01"), ]), 4L)
  expect_identical(nrow(t[t$revenue == 5, ]), 0L)
})

test_that("columns bound to a table join it, and a table bound to something else is plain", {
  t <- totals(kilnmoor_book(), by = region)
  beside <- quiet(cbind(t, target = 1:4))
  expect_s3_class(beside, "hinterfeld_totals")
  expect_identical(beside$target, 1:4)
  expect_identical(beside$revenue, t$revenue)
  behind <- cbind(data.frame(n = 1:4), t)
  expect_identical(class(behind), "data.frame")
  expect_identical(names(behind), c("n", names(t)))
})

test_that("rows, columns and cells can be put in every way that a data frame knows", {
  t <- totals(kilnmoor_book(), by = region)
  plain <- as.data.frame(t)
  same <- function(change) {
    ours <- change(t)
    expect_identical(as.data.frame(quiet(ours)), change(plain), ignore_attr = TRUE)
  }
  same(function(x) { x["note"] <- letters[1:4]; x })
  same(function(x) { x[, "note"] <- 1:4; x })
  same(function(x) { x[["note"]] <- 4:1; x })
  same(function(x) { x[2, "region"] <- "Elsewhere"; x })
  same(function(x) { x[1, ] <- x[2, ]; x })
  same(function(x) { x[] <- x; x })
  same(function(x) { x[2:3, ] <- x[3:2, ]; x })
})

test_that("a column whose rows are still told apart by one that is gone turns the table plain", {
  t <- totals(kilnmoor_book(), by = c(region, category))
  expect_s3_class(t[t$region == "Vale", c("category", "revenue")], "hinterfeld_listing")
  expect_message(left <- t[t$region == "Vale", "revenue"], "cannot be told apart")
  expect_false(inherits(left, "hinterfeld_listing"))
})
