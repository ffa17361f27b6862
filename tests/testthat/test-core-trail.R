test_that("the trails of merged tallies add up, in any order", {
  lines <- tibble::as_tibble(lapply(lines_of(kilnmoor_book()), identity))
  chunk <- function(rows, bad) {
    part <- lines[rows, ]
    part$product[bad] <- NA
    book <- daybook(part, day, revenue, product, on_bad = "set_aside")
    keep_lines(leave_out(book, region == "Vale"), channel == "Web", why = "web")
  }
  rows <- split(seq_len(3000), rep(1:3, each = 1000))
  books <- list(chunk(rows[[1]], 1:3), chunk(rows[[2]], integer()), chunk(rows[[3]], 1))
  tallies <- lapply(books, tally_of, by = region)
  whole <- audit(chunk(1:3000, c(1:3, 2001)))
  numbers <- c("lines_before", "lines_after", "revenue_before", "revenue_after")
  for (order in list(1:3, 3:1, c(2, 3, 1))) {
    merged <- audit(Reduce(merge_tallies, tallies[order]))
    own <- merged$what != "change" & merged$what != "read"
    expect_identical(merged$what[own], whole$what[whole$what != "change" & whole$what != "read"])
    expect_equal(as.list(merged[own, numbers]), as.list(whole[whole$what != "change" & whole$what != "read", numbers]))
  }
})

test_that("steps that only one has leave the other's lines as they were", {
  one <- hinterfeld:::new_trail(c("read", "daybook"), c("b.csv", "revenue is x"), c(0, 5), c(5, 5), c(NA, 100),
                                c(NA, 100), 2)
  two <- hinterfeld:::add_steps(
    replace(one, "why", list(c("a.csv", "revenue is x"))),
    hinterfeld:::new_trail("keep", "paid", 5, 3, 100, 70, 2)
  )
  merged <- hinterfeld:::merge_trails(one, two)
  expect_identical(merged$what, c("read", "daybook", "keep"))
  expect_identical(merged$lines_after, c(10, 10, 8))
  expect_identical(merged$revenue_after[2:3], c(200, 170))
  expect_identical(hinterfeld:::merge_trails(two, one), merged)
  book <- kilnmoor_book()
  expect_identical(audit(merge_tallies(tally_of(book), of_other_lines(tally_of(book))))$why[1],
                   "order_lines.csv and 1 more")
})

test_that("an attached table's unmatched lines add up", {
  a <- hinterfeld:::new_trail("attach", "goods by code", 5, 5, unmatched = 2, unused = 1)
  b <- hinterfeld:::new_trail("attach", "goods by code", 7, 7, unmatched = 1, unused = 3)
  merged <- hinterfeld:::merge_trails(a, b)
  expect_identical(hinterfeld:::why_words(merged), "goods by code; 3 unmatched")
})

test_that("trails of chunks that end early stand in the order of the others, however they are merged", {
  step <- function(what, why, before, after) new_trail(what, why, before, after, before, after)
  read <- function(n) add_steps(step("read", "f", 0, n), step("daybook", "revenue is x", n, n))
  none <- add_steps(read(5), step("set aside", "no day", 5, 0))
  kept <- add_steps(read(9), step("keep", "paid", 9, 4))
  both <- add_steps(add_steps(read(7), step("set aside", "no day", 7, 6)), step("keep", "paid", 6, 2))
  orders <- list(list(none, kept, both), list(kept, none, both), list(both, kept, none), list(kept, both, none))
  for (trails in orders) {
    merged <- merge_trails(merge_trails(trails[[1]], trails[[2]]), trails[[3]])
    expect_identical(merged$what, c("read", "daybook", "set aside", "keep"))
    expect_identical(merged$lines_after, c(21, 21, 15, 6))
    expect_identical(merged$lines_before, c(0, 21, 21, 15))
  }
})

test_that("revenue of other decimals is added up in the finer ones", {
  one <- hinterfeld:::new_trail("daybook", "revenue is x", 5, 5, 100, 100, 2)
  two <- hinterfeld:::new_trail("daybook", "revenue is x", 5, 5, 7, 7, 0)
  merged <- hinterfeld:::merge_trails(one, two)
  expect_identical(merged$revenue_after, 800)
  expect_identical(merged$decimals, 2L)
})
