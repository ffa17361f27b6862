products <- load_table(demo_files()[["products"]])

test_that("the product that never sold in a region is found, with its sales elsewhere", {
  found <- unsold(kilnmoor_book(), products, where = region == "Saltcoast")
  expect_identical(found$product, "Tall shelf prop 300 mm")
  db <- demo_database()
  elsewhere <- sql(db, "SELECT max(day) AS d, count(*) AS n, sum(quantity) AS q, sum(units) / 100.0 AS r FROM sales
                        WHERE product = 'Tall shelf prop 300 mm'")
  expect_identical(format(found$last_sale), elsewhere$d)
  expect_equal(unlist(found[c("lines", "units", "revenue")]), unlist(elsewhere[c("n", "q", "r")]), ignore_attr = TRUE)
})

test_that("coverage equals SQL for every product and combination", {
  ours <- coverage(kilnmoor_book(), products, within = c(region, channel))
  expect_identical(nrow(ours), 73L * 12L)
  db <- demo_database()
  expected <- sql(
    db,
    "SELECT region, channel, product, count(*) AS n, sum(units) / 100.0 AS r, max(day) AS d FROM sales GROUP BY 1, 2, 3"
  )
  at <- match(paste(ours$region, ours$channel, ours$product),
              paste(expected$region, expected$channel, expected$product))
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
  expect_snapshot(error = TRUE, {
    unsold(a_book(), data.frame(name = "a"))
    unsold(a_book(), data.frame(product = c("a", "a")))
    unsold(a_book(), products, within = regoin)
  })
})

test_that("products that the catalogue lacks are credited to nobody", {
  sales <- data.frame(day = as.Date("2024-01-10") + 0:5, product = c("a", "b", "c"), r = 1:6, reg = c("x", "y"))
  book <- daybook(sales, day, r, product)
  catalogue <- data.frame(product = c("p", "q"))
  found <- quiet(coverage(book, catalogue, within = reg))
  expect_identical(c(found$lines, found$revenue), rep(0, 8))
  expect_identical(nrow(quiet(unsold(book, catalogue, within = reg))), 4L)
  some <- quiet(coverage(book, data.frame(product = c("p", "b")), within = reg))
  expect_identical(some$revenue[some$product == "b"], c(5, 2))
})

test_that("what did not sell is printed with what was left out", {
  found <- unsold(keep_lines(kilnmoor_book(), region != "Vale"), products, where = region == "Saltcoast")
  expect_match(in_words(found), "Left out: 13 995 lines", all = FALSE)
  expect_output(print(found), "Left out")
  best <- best_of_each(totals(kilnmoor_book(), by = c(region, product)), within = region)
  expect_match(in_words(best), "completed sales", all = FALSE)
})

test_that("products may be told by a key, and places without a line that counts are not looked at", {
  goods <- data.frame(code = c("x", "y", "z"), product = c("Slip", "Slip", "Wax"))
  lines <- data.frame(day = as.Date("2026-03-02"), code = c("x", "z", "x"), region = c("n", "n", "s"), amount = 1:3)
  book <- quiet(daybook(attach_table(lines, goods, by = code), day, amount, product))
  expect_identical(unsold(book, goods, product = code)$code, "y")
  expect_identical(as.character(unsold(book, goods, product = code, within = region)$region), c("n", "s", "s"))
  there <- unsold(book, goods, product = code, within = region, where = region == "n")
  expect_identical(there$code, "y")
  expect_match(in_words(there), "Sold means: has a line where region == \"n\"", all = FALSE, fixed = TRUE)
})
