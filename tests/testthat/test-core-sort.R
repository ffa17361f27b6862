book <- kilnmoor_book()

test_that("rows stand in the order asked for, missing ones last, equal ones as they stood", {
  t <- add_change(totals(book, by = c(region, category), every = "year"))
  sorted <- sort_rows(t, region, down(revenue_change))
  data <- tibble::as_tibble(t)
  at <- order(match(data$region, sort(unique(data$region), method = "radix")), -data$revenue_change,
              seq_len(nrow(data)))
  expect_identical(as.list(tibble::as_tibble(sorted)), as.list(data[at, ]))
  expect_match(in_words(sorted), "Rows sorted by region and revenue_change .highest first.", all = FALSE)
  expect_true(all(reconcile(sorted)$matches))
  expect_false(any(grepl("It shows", in_words(sorted))))
  expect_identical(sort_rows(t, down("year"))$year, sort(data$year, decreasing = TRUE))
})

test_that("subtotals stay below their groups", {
  t <- totals(book, by = c(region, category), subtotals = TRUE)
  sorted <- sort_rows(t, category)
  text <- as.character(sorted$category)
  expect_identical(unique(as.character(sorted$region)), unique(as.character(t$region)))
  groups <- split(text, factor(as.character(sorted$region), unique(as.character(sorted$region))))
  for (group in groups[names(groups) != "Total"]) {
    expect_identical(utils::tail(group, 1), "Total")
    inner <- utils::head(group, -1)
    expect_identical(inner, sort(inner, method = "radix"))
  }
  expect_identical(utils::tail(as.character(sorted$region), 1), "Total")
})

test_that("a period is named as it is written, the latest too, and it is a step", {
  t <- totals(book, by = region, every = "month", subtotals = TRUE)
  expect_identical(unique(format(in_period(t, "2026-03")$month)), "2026-03-01")
  expect_identical(nrow(in_period(totals(book, every = "month"), "2025-Q2")), 3L)
  expect_identical(nrow(in_period(totals(book, every = "week"), "2026-W38")), 1L)
  # Weeks belong to the year that holds their Thursday.
  weeks <- in_period(totals(book, every = "week"), "2026")$week
  expect_identical(weeks[1], as.Date("2025-12-29"))
  latest <- in_period(add_change(totals(book, by = region, every = "year")), "latest")
  expect_identical(nrow(latest), 4L)
  expect_silent(q <- inquiry_of(sort_rows(latest, down(revenue_change))))
  expect_snapshot({
    as_code(q)
    as_brief(q)
  })
  expect_match(in_words(latest), "Only rows of the latest period.", all = FALSE)
  expect_identical(as.data.frame(in_period(t, "latest")), as.data.frame(in_period(t, "2026-09")))
  april <- totals(daybook(lines_of(book), day, revenue, product, calendar = sales_calendar("04-01")), every = "quarter")
  expect_identical(nrow(in_period(april, "2025/26")), 4L)
})

test_that("mistakes are explained", {
  t <- totals(book, by = region, every = "year")
  expect_snapshot(error = TRUE, {
    sort_rows(t)
    sort_rows(t, down(revenu))
    in_period(t, "2031")
    in_period(totals(book, by = region), "2026")
  })
})

test_that("a minus, desc() and down() begin with the highest, and what is computed is no column to sort by", {
  t <- totals(kilnmoor_book(), by = region, every = "year")
  down <- sort_rows(t, down(revenue))
  expect_identical(sort_rows(t, -revenue), down)
  expect_identical(sort_rows(t, desc(revenue)), down)
  expect_identical(down$revenue, sort(t$revenue, decreasing = TRUE))
  expect_snapshot(error = TRUE, sort_rows(t, revenue * 2))
})

test_that("groups are sorted by their subtotals, inside each other", {
  t <- totals(kilnmoor_book(), by = c(region, category, channel), subtotals = TRUE)
  up <- sort_rows(t, revenue)
  regions <- totals(kilnmoor_book(), by = region)
  expect_identical(unique(up$region), c(rev(regions$region), "Total"))
  inside <- up[up$level == "category" & up$region == "Vale", ]
  expect_identical(inside$revenue, sort(inside$revenue))
  named <- sort_rows(t, down(region), category)
  expect_identical(unique(named$region), c(sort(regions$region, decreasing = TRUE), "Total"))
  expect_identical(order(named$level == "Total"), seq_len(nrow(named)))
  for (one in unique(named$region)) {
    own <- named[named$region == one, ]
    expect_true(own$level[nrow(own)] %in% c("region", "Total"))
  }
})
