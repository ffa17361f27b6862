# The same by base R: the largest values of one sign until they make a part of them.
fewest <- function(member, change, share, n = Inf) {
  sides <- lapply(c(up = 1, down = -1), function(sign) {
    value <- sign * change
    value[is.na(value)] <- 0
    order <- order(-value, member)
    order <- order[value[order] > 0]
    upto <- cumsum(value[order]) / sum(value[order])
    kept <- seq_along(order) <= n & c(0, upto)[seq_along(order)] < share
    data.frame(member = member[order][kept], cumulative = upto[kept])
  })
  do.call(rbind, sides)
}

test_that("the fewest members that make most of what went up, and of what went down, are those of base R", {
  for (seed in seeds(401, 2, 20)) {
    withr::local_seed(seed)
    n <- 400
    lines <- data.frame(day = as.Date("2024-01-01") + c(0, 730, sample(0:730, n, TRUE)),
                        product = c("a", "b", sample(letters, n, TRUE)),
                        region = c("Vale", "Vale", sample(c("Vale", "Highfen"), n, TRUE)),
                        revenue = sample(-5:20, n + 2, TRUE))
    t <- in_period(add_change(totals(daybook(lines, day, revenue, product), by = c(region, product), every = "year")),
                   "2025")
    share <- sample(c(0.5, 0.8, 1), 1)
    for (most in list(NULL, 2)) {
      ours <- best_causes(t, most, share, within = region)
      for (region in unique(t$region)) {
        rows <- t[t$region == region, ]
        expected <- fewest(as.character(rows$product), rows$revenue_change, share, most %||% Inf)
        own <- ours[ours$region == region, ]
        expect_identical(as.character(own$product), expected$member, info = paste(seed, region))
        expect_equal(own$cumulative, expected$cumulative)
        expect_identical(own$revenue_change, rows$revenue_change[match(own$product, rows$product)])
      }
    }
  }
})

test_that("subtotals and what cannot be compared are left out, and wrong arguments refused", {
  t <- add_change(totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE))
  made <- best_causes(t)
  expect_false("Total" %in% made$region)
  expect_false(as.Date("2023-01-01") %in% made$year)
  expect_snapshot(print(best_causes(in_period(t, "2026"))))
  expect_snapshot(error = TRUE, {
    best_causes(totals(kilnmoor_book(), by = region))
    best_causes(t, 0)
    best_causes(t, share = 2)
    best_causes(t, share = NULL)
  })
})
