lines <- tibble::tibble(code = c("a", "b", "x", NA, "a"), shop = c("n", "n", "s", "s", "s"), price = 1:5)
goods <- tibble::tibble(code = c("a", "b", "c"), name = c("Apron", "Bat", "Cone"))

test_that("every line gets its row and stays in its place", {
  out <- quiet(attach_table(lines, goods, code, need = "any"))
  expect_identical(out$name, c("Apron", "Bat", NA, NA, "Apron"))
  expect_identical(out[names(lines)], lines, ignore_attr = TRUE)
})

test_that("lines without a match stop or are counted, and unused rows are counted", {
  expect_snapshot(error = TRUE, attach_table(lines, goods, code))
  expect_snapshot(invisible(attach_table(lines, goods, code, need = "any")))
  expect_message(attach_table(lines[1:2, ], goods[1:2, ], code), "every line found its row")
})

test_that("a repeated key is refused", {
  expect_snapshot(error = TRUE, attach_table(lines, goods[c(1, 2, 2, 1), ], code))
  towns <- load_table(demo_files()[["towns"]])
  orders <- load_table(demo_files()[["orders"]])
  expect_snapshot(error = TRUE, attach_table(orders, towns, town))
  expect_no_error(quiet(attach_table(orders, towns, c(region, town))))
})

test_that("several key columns and keys of other names are compared", {
  prices <- tibble::tibble(place = c("n", "s"), code = c("a", "a"), cost = c(10, 20))
  out <- quiet(attach_table(lines, prices, c(shop = place, code), need = "any"))
  expect_identical(out$cost, c(10, NA, NA, NA, 20))
})

test_that("names that clash get the table's name", {
  other <- tibble::tibble(code = c("a", "b", "x"), price = c(7, 8, 9))
  expect_snapshot(names(attach_table(lines, other, code, need = "any", name = "list")))
})

test_that("keys of different kinds and unknown keys are explained", {
  expect_snapshot(error = TRUE, {
    attach_table(lines, tibble::tibble(code = 1:2), code)
    attach_table(lines, goods, cod)
    attach_table(lines, goods, name)
    attach_table(lines, goods)
    attach_table(lines, goods, code, need = "all")
    attach_table(1:3, goods, code)
  })
})

test_that("keys that differ only by case or spaces are pointed at", {
  expect_message(attach_table(tibble::tibble(code = c("A ", "b", "kiln")), goods, code, need = "any"),
                 "1 line would match")
})

test_that("attaching is a step of the audit", {
  sale <- a_sale(code = c("a", "x"))
  book <- daybook(quiet(attach_table(sale, goods, code, need = "any")), day, revenue, product)
  expect_identical(audit(book)$why[2], "goods by code; 1 unmatched; 2 rows unused")
})
