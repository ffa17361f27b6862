# Lines with orders of one or several lines, some without a day or an order, and what is left of them step by step.
order_lines <- function(seed, n, as = identity) {
  withr::with_seed(seed, {
    data.frame(day = ifelse(runif(n) < 0.1, NA, format(as.Date("2026-01-01") + sample(60, n, TRUE))),
               product = sample(c("p", "q", NA), n, TRUE, c(5, 4, 1)), revenue = sample(900, n, TRUE) / 100,
               ticket = as(sample(c(NA, seq_len(n)), n, TRUE)), status = sample(c("paid", "open", NA), n, TRUE),
               region = sample(c("Vale", "Highfen"), n, TRUE))
  })
}

book_with_orders <- function(lines, ...) {
  quiet(daybook(lines, day, revenue, product, order = ticket, on_bad = "set_aside", ...)) |>
    keep_lines(status == "paid") |> leave_out(region == "Vale")
}

# Distinct orders of what is left after each step, told from the lines.
orders_told <- function(lines) {
  left <- list(TRUE, !is.na(lines$day), !is.na(lines$product), lines$status %in% c("paid", NA),
               lines$status %in% "paid", lines$region != "Vale")
  left <- Reduce(`&`, left, accumulate = TRUE)
  vapply(left, function(rows) length(unique(stats::na.omit(lines$ticket[rows]))), 0L) + 0
}

test_that("the audit counts the orders that each step leaves", {
  kinds <- list(identity, function(x) ifelse(is.na(x), NA, paste("no.", x)), function(x) x * 1e9 + 0.5,
                function(x) as.double(x) - 20, factor)
  for (seed in seq_along(kinds)) {
    lines <- order_lines(seed, 80, kinds[[seed]])
    steps <- audit(book_with_orders(lines))
    expect_identical(steps$what, c("read", "daybook", "set aside", "set aside", "keep", "undecided",
                                   "leave out"))
    expect_identical(steps$orders_after[-1], orders_told(lines))
    expect_identical(steps$orders_before[-(1:2)], steps$orders_after[-c(1, 7)])
    expect_identical(steps$orders_after[1], NA_real_)
  }
})

test_that("steps that take no line leave the orders as they are, and lines of a daybook keep what is known", {
  lines <- order_lines(9, 80)
  book <- book_with_orders(lines) |> extend_lines(double = revenue * 2) |> keep_lines(revenue > 2)
  steps <- audit(book)
  left <- !is.na(lines$day) & !is.na(lines$product) & lines$status %in% "paid" & lines$region != "Vale"
  of <- function(rows) length(unique(stats::na.omit(lines$ticket[rows]))) + 0
  expect_identical(utils::tail(steps$orders_after, 3), c(of(left), of(left), of(left & lines$revenue > 2)))
  again <- audit(quiet(daybook(lines_of(book), day, revenue, product, order = order)))
  expect_identical(again$orders_after[seq_len(nrow(steps))], steps$orders_after)
  expect_identical(again$orders_after[nrow(again)], of(left & lines$revenue > 2))
  expect_true(all(is.na(audit(quiet(daybook(lines_of(book), day, revenue, product)))$orders_after[nrow(again)])))
})

test_that("merged and saved tallies count the orders of all their lines", {
  for (seed in seeds(21, 2, 4)) {
    as <- if (seed %% 2) identity else function(x) sprintf("n\u00ba %s", x)
    lines <- order_lines(seed, 200, as)
    lines$ticket[lines$ticket == as(NA)] <- NA
    chunks <- split(lines, withr::with_seed(seed, sample(4, 200, TRUE)))
    tallies <- lapply(chunks, function(chunk) {
      path <- save_tally(tally_of(book_with_orders(chunk), by = region, every = "month"), tempfile())
      load_tally(path)
    })
    whole <- audit(book_with_orders(lines))
    merged <- Reduce(merge_tallies, tallies)
    expect_identical(as.list(audit(merged))[5:8], as.list(whole)[5:8])
    expect_identical(load_tally(save_tally(merged, tempfile()))$orders, merged$orders)
    # A tally has no lines: what its restriction leaves of orders is not told, nor by who merges it.
    fewer <- keep_lines(merged, region == "Highfen")
    expect_identical(audit(fewer)$orders_after, c(whole$orders_after, NA))
    expect_true(all(is.na(audit(merge_tallies(fewer, of_other_lines(fewer)))$orders_after)))
  }
})

test_that("orders that would not fit are refused when a tally is read", {
  tally <- tally_of(book_with_orders(order_lines(1, 40)), by = region)
  damaged <- function(orders) {
    tally$orders[names(orders)] <- orders
    expect_error(load_tally(save_tally(tally, tempfile())), class = "hinterfeld_error_file")
  }
  damaged(list(reached = tally$orders$reached + 100L))
  damaged(list(steps = 40L))
  damaged(list(labels = rep("same", length(tally$orders$reached))))
})

test_that("orders that are numbers in one part and texts in another are one where they are written alike", {
  lines <- data.frame(day = "2026-01-05", product = "p", revenue = 1, status = "paid", region = "Highfen")
  part <- function(tickets) tally_of(book_with_orders(data.frame(lines, ticket = tickets)), by = product)
  merged <- merge_tallies(part(c(1, 2, 3)), part(c("3", "1")))
  expect_identical(utils::tail(audit(merged)$orders_after, 1), 3)
})

test_that("parts of the same lines count the orders that either has, also where more steps parted them", {
  book <- quiet(daybook(order_lines(4, 120), day, revenue, product, order = ticket, on_bad = "set_aside"))
  book <- keep_lines(book, status == "paid")
  vale <- quiet(keep_lines(book, region == "Vale"))
  dear <- quiet(leave_out(keep_lines(book, region == "Highfen"), revenue < 3))
  merged <- audit(merge_tallies(tally_of(vale, by = product), tally_of(dear, by = product)))
  whole <- audit(book)
  either <- keep_lines(book, region == "Vale" | revenue >= 3)
  n <- nrow(merged)
  expect_identical(merged$orders_after[n], utils::tail(audit(either)$orders_after, 1))
  expect_lt(merged$orders_after[n], merged$orders_before[n])
  expect_identical(merged$orders_after[-n], whole$orders_after)
  expect_identical(merged$lines_after[n], utils::tail(audit(either)$lines_after, 1))
})
