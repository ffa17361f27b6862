test_that("the demo's unusable lines are set aside with reason and row", {
  aside <- set_aside(kilnmoor_book())
  expect_identical(as.list(table(aside$reason)), list(
    "blank row" = 2L, "day not readable" = 3L, "no day" = 7L, "no product" = 6L, "no revenue" = 3L,
    "revenue not a number" = 2L, "too large" = 1L
  ))
  expect_true(all(aside$file == "order_lines.csv"))
  raw <- raw_table("order_lines")
  expect_identical(raw$unit_price[aside$row[aside$reason == "too large"]], "99999999999999.00")
  expect_identical(raw$unit_price[aside$row[aside$reason == "revenue not a number"]], c("n/a", "n/a"))
  expect_identical(raw$line_id[aside$row], aside$line_id)
  expect_setequal(aside$order_day[aside$reason == "day not readable"], c("2025-02-30", "13.2024"))
})

test_that("unusable lines stop the daybook, each reason counted", {
  sales <- a_sale(
    day = c("2026-01-05", "2026-02-30", NA, "2026-01-06", "2026-01-07", "2026-01-08", NA),
    product = c("a", "a", "a", " ", "a", "a", NA), revenue = c("1", "1", "1", "1", "", "dear", NA)
  )
  expect_snapshot(error = TRUE, daybook(sales, day, revenue, product))
  book <- daybook(sales, day, revenue, product, on_bad = "set_aside")
  expect_identical(set_aside(book)$reason, c(
    "day not readable", "no day", "no product", "no revenue", "revenue not a number", "blank row"
  ))
  expect_snapshot(error = TRUE, daybook(sales[-1, ], day, revenue, product, on_bad = "set_aside"))
})

test_that("lines and revenue add up at every step, for random lines", {
  for (seed in seeds(1, 6, 25)) {
    sales <- random_sales(seed)
    book <- daybook(sales, day, pieces * price, product, on_bad = "set_aside")
    kept <- keep_lines(book, status == "paid" | region == "Vale")
    steps <- audit(kept)
    expect_identical(steps$lines_before[-1], steps$lines_after[-nrow(steps)])
    expect_equal(steps$lines_after[1], nrow(sales))
    expect_identical(steps$lines_before[2] - steps$lines_after[nrow(steps)],
                     sum(steps$lines_before[-1] - steps$lines_after[-1]))
    known <- which(!is.na(steps$revenue_before))
    expect_identical(steps$revenue_before[known[-1]], steps$revenue_after[known[-length(known)]])
    expect_identical(steps$revenue_after[nrow(steps)], totals(kept)$revenue)
    # Independently: cents of every readable price, in decimal text arithmetic.
    amount <- suppressWarnings(as.numeric(sales$price)) * sales$pieces
    amount[!is.finite(amount)] <- 0
    expect_equal(steps$revenue_after[2], sum(sign(amount) * floor(abs(amount) * 100 + 0.5 + 1e-6)) / 100)
    expect_identical(nrow(lines_of(book)) + nrow(set_aside(book)), nrow(sales))
  }
})

test_that("days come from dates, date-times, ISO text and text with a format", {
  day_of <- function(x, ...) lines_of(daybook(a_sale(day = x), day, revenue, product, ...))$day
  expect_equal(day_of(as.Date("2024-02-29")), as.Date("2024-02-29"))
  late <- as.POSIXct("2024-03-01 23:30:00", tz = "America/New_York")
  expect_equal(day_of(late), as.Date("2024-03-01"))
  expect_equal(day_of(c("2024-02-29", "2024-02-29T10:00:00Z", " 2024-02-29 10:00 ")), rep(as.Date("2024-02-29"), 3))
  times <- c(" 3:05", " 23:59:60.5+02:00", "T10:00 PM", " 10:00 -0130", "T10:00:00 UTC", " 09:08:07,123Z")
  expect_equal(day_of(paste0("2024-02-29", times)), rep(as.Date("2024-02-29"), length(times)))
  # The end of a day is the start of the next one, and a date before Christ is another.
  odd <- c(" 24:00:00", " 10:60", " BC", " 10:00:00 BC", "Z", " 1", " 10:00+", "T10:00:00.", " 10:00+01:0")
  days <- c(paste0("2024-02-29", odd), format(as.Date("2024-03-01") + 1:20))
  aside <- set_aside(daybook(a_sale(day = days), day, revenue, product, on_bad = "set_aside"))
  expect_identical(aside$day, paste0("2024-02-29", odd))
  expect_equal(day_of("29.2.2024", day_format = "%d.%m.%Y"), as.Date("2024-02-29"))
})

test_that("days that cannot be trusted are refused with what to do", {
  book_with <- function(x, ...) daybook(a_sale(day = x), day, revenue, product, ...)
  expect_snapshot(error = TRUE, {
    book_with(c("03/04/2025", "05/06/2025"))
    book_with(c("13/04/2025", "05/06/2025"))
    book_with("13/04/2025", day_format = "%Y/%m/%d")
    book_with("yesterday")
    book_with(45292)
    book_with("45292")
    book_with(TRUE)
  })
})

test_that("roles are columns or expressions, and mistakes in them are explained", {
  sales <- a_sale(price = "5.75", pieces = 2)
  book <- daybook(sales[-3], day = "day", revenue = price * pieces, product = product, units = pieces)
  expect_identical(lines_of(book)$revenue, 11.5)
  expect_identical(names(lines_of(book)), c("day", "product", "revenue", "units", "price"))
  expect_snapshot(error = TRUE, {
    daybook(sales, day, revenue)
    daybook(sales, dya, revenue, product)
    daybook(sales, day, price * peaces, product)
    daybook(sales, day, product, product)
    daybook(sales, day, price, product)
    daybook(a_sale(amount = "12,50")[-3], day, amount, product)
    daybook(a_sale(), day, revenue, product, units = product)
    daybook(a_sale(), day, revenue, product, on_bad = "drop")
  })
})

test_that("returns are kept and counted", {
  expect_identical(totals(a_book(revenue = c(10, -2.5)))$revenue, 7.5)
})

test_that("lines changed after reading are a step of their own", {
  lines <- load_table(demo_files()[["order_lines"]])
  some <- lines[lines$quantity %in% 2, ]
  some <- some[!is.na(some$unit_price), ]
  some$day <- as.Date("2026-01-01")
  steps <- audit(daybook(some, day, quantity * unit_price, product_id, on_bad = "set_aside"))
  expect_identical(steps$what[1:2], c("read", "change"))
})

test_that("further columns keep decimals of their own", {
  sales <- a_sale(cost = c(1.2345, 2.0005), pieces = c(1, 0.25))
  book <- daybook(sales, day, revenue, product, units = pieces, decimals = c(revenue = 1, cost = 3))
  expect_identical(lines_of(book)$cost, c(1.235, 2.001))
  expect_identical(lines_of(book)$units, c(1, 0.25))
  expect_identical(lines_of(book)$revenue, c(5.8, 5.8))
  expect_snapshot(error = TRUE, {
    daybook(sales, day, revenue, product, decimals = c(cots = 3))
    daybook(sales, day, revenue, product, decimals = c(product = 3))
    daybook(a_sale(cost = 1e15), day, revenue, product, decimals = c(cost = 2))
  })
  expect_message(daybook(a_sale(pieces = 1 / 3), day, revenue, product, units = pieces), "too many decimals")
})

test_that("the demo's unusable lines stop a daybook that may not set them aside", {
  lines <- load_table(demo_files()[["order_lines"]])
  lines <- quiet(attach_table(lines, load_table(demo_files()[["orders"]]), order_id, need = "any"))
  expect_snapshot(error = TRUE, daybook(lines, order_day, quantity * unit_price, product_id))
})

test_that("a daybook gives its lines where R is asked for rows", {
  lines <- tibble::tibble(day = as.Date("2026-03-01") + 0:3, product = c("b", "a", NA, "b"), revenue = c(1.5, 2, 3, -1))
  book <- daybook(lines, day, revenue, product, on_bad = "set_aside")
  expect_identical(tibble::as_tibble(book), lines_of(book))
  expect_s3_class(as.data.frame(book), "data.frame", exact = TRUE)
  expect_equal(as.data.frame(head(book, 2)), as.data.frame(book)[1:2, ], ignore_attr = TRUE)
  expect_identical(nrow(head(book, 100)), 3L)
  expect_error(head(book, -1), class = "hinterfeld_error_argument")
  expect_output(utils::str(book), "Daybook of 3 lines")
})

test_that("unreadable units are set aside like revenue; blank ones and blank orders stay", {
  sales <- a_sale(product = letters[1:6], revenue = 1:6, pieces = c("2", "?", NA, "1,5", "3", "4"),
                  ticket = c("A", NA, "B", "C", "C", "C"))
  expect_error(daybook(sales, day, revenue, product, units = pieces), "units not a number: 2 lines",
               class = "hinterfeld_error_unusable_lines")
  book <- daybook(sales, day, revenue, product, units = pieces, order = ticket, on_bad = "set_aside")
  expect_identical(set_aside(book)$reason, rep("units not a number", 2))
  expect_identical(lines_of(book)$units, c(2, NA, 3, 4))
  steps <- audit(book)
  expect_identical(steps$revenue_before[3] - steps$revenue_after[3], 6)
  expect_identical(lines_of(daybook(sales[2, ][-4], day, revenue, product, order = ticket))$order, NA_character_)
})

test_that("amounts of several currencies are asked about, unless the revenue takes their column", {
  sales <- a_sale(product = c("a", "b"), revenue = NULL, amount = c(10, 20), currency = c("EUR", "GBP"))
  expect_message(daybook(sales, day, amount, product), "`currency` holds \"EUR\", \"GBP\", and revenue adds up")
  expect_no_message(daybook(sales, day, amount * ifelse(currency == "GBP", 1.17, 1), product))
  expect_no_message(daybook(transform(sales, currency = "EUR"), day, amount, product))
})
