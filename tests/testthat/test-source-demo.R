book <- demo_daybook()
lines <- lines_of(book)

test_that("the demo has the size and span it promises", {
  expect_identical(range(lines$day), as.Date(c("2023-01-01", "2026-09-17")), ignore_attr = TRUE)
  expect_gt(nrow(lines), 50000)
  expect_setequal(stats::na.omit(unique(lines$category)), c(
    "Clay bodies", "Glazes & slips", "Kilns & furniture", "Wheels & tools", "Packing & safety"
  ))
})

test_that("every planted difficulty is there", {
  orders <- raw_table("orders")
  expect_gt(length(unique(orders$status[trimws(tolower(orders$status)) %in% "delivered"])), 5)
  expect_true(anyNA(orders$status))
  best <- totals(keep_lines(book, region == "Highfen" & category == "Packing & safety"), by = product)
  expect_identical(best$product[1:2], c("Double-wall box medium", "Honeycomb wrap 50 m"))
  expect_identical(best$revenue[1], best$revenue[2])
  expect_false(any(lines$product == "Tall shelf prop 300 mm" & lines$region == "Saltcoast"))
  expect_true(any(lines$product == "Tall shelf prop 300 mm"))
  expect_gte(min(lines$day[lines$product == "Sea-mist glaze 1 l"]), as.Date("2026-02-02"))
  expect_lte(max(lines$day[lines$product == "Reclaimed clay 12.5 kg"]), as.Date("2024-06-30"))
  there <- lines$town == "Quellholt"
  year <- format(lines$day[there], "%Y")
  expect_identical(c(tapply(lines$revenue[there], year, sum)), c("2025" = 38.5, "2026" = 11602))
  expect_true(any(lines$revenue < 0))
  expect_true(any(lines$day == as.Date("2024-02-29") & lines$product == "Slab roller, table top"))
  expect_setequal(lines$product[is.na(lines$category)], c("Gift voucher card", "Pallet charge"))
  towns <- raw_table("towns")
  expect_identical(towns$region[towns$town == "Oldkiln"], c("Vale", "Highfen"))
})

test_that("what was asked for must be yes or no", {
  expect_snapshot(error = TRUE, demo_daybook(completed = NA))
})
