products <- load_table(demo_files()[["products"]])

test_that("the product that never sold in a region is found, with its sales elsewhere", {
  found <- unsold(kilnmoor_book(), products, where = region == "Saltcoast")
  expect_identical(found$product, "Tall shelf prop 300 mm")
  db <- demo_database()
  elsewhere <- sql(db, "SELECT max(day) AS d, count(*) AS n, sum(quantity) AS q, sum(units) / 100.0 AS r FROM sales WHERE product = 'Tall shelf prop 300 mm'")
  expect_identical(format(found$last_sale), elsewhere$d)
  expect_equal(unlist(found[c("lines", "units", "revenue")]), unlist(elsewhere[c("n", "q", "r")]), ignore_attr = TRUE)
})

test_that("coverage equals SQL for every product and combination", {
  ours <- coverage(kilnmoor_book(), products, within = c(region, channel))
  expect_identical(nrow(ours), 73L * 12L)
  db <- demo_database()
  expected <- sql(db, "SELECT region, channel, product, count(*) AS n, sum(units) / 100.0 AS r, max(day) AS d FROM sales GROUP BY 1, 2, 3")
  at <- match(paste(ours$region, ours$channel, ours$product), paste(expected$region, expected$channel, expected$product))
  expect_identical(ours$sold, !is.na(at))
  expect_equal(ours$revenue[ours$sold], expected$r[at[ours$sold]])
  expect_identical(format(ours$last_sale[ours$sold]), expected$d[at[ours$sold]])
  gaps <- unsold(kilnmoor_book(), products, within = c(region, channel))
  expect_identical(nrow(gaps), sum(!ours$sold))
})

test_that("products that never sold at all, and those not in the catalogue, are told", {
  book <- a_book(product = c("Needle tool", "Sieve"))
  catalogue <- data.frame(item = c("Needle tool", "Kiln wash"))
  expect_snapshot(found <- unsold(book, catalogue, product = item))
  expect_identical(found$item, "Kiln wash")
  expect_identical(found$last_sale, as.Date(NA))
})

test_that("mistakes are explained", {
  expect_snapshot(error = TRUE, unsold(a_book(), data.frame(name = "a")))
  expect_snapshot(error = TRUE, unsold(a_book(), data.frame(product = c("a", "a"))))
  expect_snapshot(error = TRUE, unsold(a_book(), products, within = regoin))
})
