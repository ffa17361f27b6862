test_that("text is coded once, blanks are missing, encodings of one text are one value", {
  latin <- iconv("Gl\u00fchofen", "UTF-8", "latin1")
  coded <- hinterfeld:::code_text(c("b", "a", NA, "b", "", "  ", latin, "Gl\u00fchofen"))
  expect_identical(as.integer(coded), c(1L, 2L, NA, 1L, NA, NA, 3L, 3L))
  expect_identical(levels(coded), c("b", "a", "Gl\u00fchofen"))
  expect_identical(Encoding(levels(coded)[3]), "UTF-8")
})

test_that("a blank group is nobody's: it is called not given", {
  book <- daybook(a_sale(region = c("", " ", NA, "Vale")), day, revenue, product)
  expect_identical(totals(book, by = region, measures = "lines")$lines, c(3, 1))
  expect_identical(totals(book, by = region, measures = "lines")$region, c("not given", "Vale"))
  expect_identical(lines_of(book)$region, c(NA, NA, NA, "Vale"))
})

test_that("columns are picked bare, as strings, with selections and with values from outside", {
  book <- daybook(a_sale(region = "Vale", town = "Oldkiln"), day, revenue, product)
  wanted <- c("town", "region")
  by_all <- list(
    totals(book, by = c(town, region)), totals(book, by = c("town", "region")), totals(book, by = tidyselect::all_of(wanted))
  )
  for (t in by_all) expect_named(t, c("town", "region", "revenue"))
  expect_snapshot(error = TRUE, totals(book, by = c(town, reigon)))
  expect_snapshot(error = TRUE, totals(book, by = toupper(town)))
})

test_that("columns of lists are carried, surveyed as such, and cannot be grouped", {
  sales <- a_sale()
  sales$tags <- list(c("a", "b"))
  book <- daybook(sales, day, revenue, product)
  expect_identical(lines_of(book)$tags, list(c("a", "b")))
  expect_identical(survey(book)$type[4], "list")
  expect_snapshot(error = TRUE, totals(book, by = tags))
})

test_that("every type of column splits and comes back as it was", {
  at <- as.POSIXct("2026-01-01 08:00", tz = "UTC")
  book <- daybook(a_sale(whole = 3L, at = at, on = as.Date("2026-01-01"), yes = TRUE, kind = factor("b", c("z", "b"))), day, revenue, product)
  t <- totals(book, by = c(whole, at, on, yes, kind))
  expect_identical(t$whole, 3L)
  expect_identical(t$at, at)
  expect_identical(t$on, as.Date("2026-01-01"))
  expect_identical(t$yes, TRUE)
  expect_identical(t$kind, "b")
  with_total <- totals(book, by = c(whole, yes), subtotals = TRUE)
  expect_identical(with_total$whole, c("3", "3", "Total"))
})

test_that("texts are coded by what they say, whatever their encoding, in any number of threads", {
  latin <- "Kr\xfcge"
  Encoding(latin) <- "latin1"
  products <- rep(c(latin, enc2utf8(latin), "Krug", NA, " "), 60000)
  coded <- lapply(1:3, function(n) {
    withr::local_options(hinterfeld.threads = n)
    hinterfeld:::code_text(products)
  })
  expect_identical(levels(coded[[1]]), c(enc2utf8(latin), "Krug"))
  expect_identical(as.integer(coded[[1]]), rep(c(1L, 1L, 2L, NA, NA), 60000))
  expect_identical(coded[[2]], coded[[1]])
  expect_identical(coded[[3]], coded[[1]])
  # More distinct texts than the dictionary starts with, the last of them met by the last thread only.
  many <- sprintf("p%d", c(1:100000, 100000:1, 1:7))
  withr::local_options(hinterfeld.threads = 2)
  expect_identical(as.character(hinterfeld:::code_text(many)), many)
  expect_identical(levels(hinterfeld:::code_text(factor(c("b", "a", " "), c("a", "b", " ")))), c("a", "b"))
})

test_that("a daybook of plain lines is smaller than its table and gives the same values back", {
  sales <- a_sale(product = rep(c("a", "b"), 5000), region = "Vale", revenue = seq(1, 10000) / 100, pieces = 2)
  book <- daybook(sales, day, revenue, product, units = pieces)
  expect_lt(as.numeric(object.size(book)), 0.7 * as.numeric(object.size(sales)))
  expect_identical(lines_of(book)$revenue, sales$revenue)
  expect_identical(lines_of(book)$units, sales$pieces)
  # Revenue beyond 32 bits, and missing units, are held as exactly.
  large <- daybook(a_sale(product = c("a", "b"), revenue = c(98765432.11, 1), pieces = c(NA, 1)), day, revenue, product, units = pieces)
  expect_identical(lines_of(large)$revenue, c(98765432.11, 1))
  expect_identical(totals(large, measures = c("revenue", "units"))$units, 1)
})
