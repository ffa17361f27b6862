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
  expect_snapshot(x <- t["revenue"])
  expect_snapshot(x <- t[c(1, 1, 2), ])
  expect_snapshot(x <- t[c("category", "region")])
  expect_snapshot({
    x <- t
    x$revenue <- x$revenue / 2
  })
  expect_snapshot({
    x <- t
    x[1, "category"] <- "Clay"
  })
  expect_snapshot({
    x <- t
    names(x)[4] <- "revenue"
  })
  expect_snapshot(x <- rbind(t, t))
  expect_false(is_totals(x))
})

test_that("new columns are welcome, and as_tibble() gives a plain tibble", {
  x <- t
  x$note <- "fine"
  x[["more"]] <- 1
  expect_true(is_totals(x))
  expect_identical(class(tibble::as_tibble(t)), c("tbl_df", "tbl", "data.frame"))
  expect_null(attr(tibble::as_tibble(t), "memory"))
})
