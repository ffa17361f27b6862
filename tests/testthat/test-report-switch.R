test_that("a report can be switched to a region: its numbers are those of the region's lines", {
  path <- withr::local_tempfile(fileext = ".html")
  quiet(sales_report(demo_daybook(), path, sections = c("pareto", "checks"), switch = "region"))
  page <- open_page(path)
  expect_identical(page$log("browser"), list())
  shown <- "return Array.from(document.querySelectorAll('#pareto .variant:not([hidden]) tbody tr')).map(r =>
            Array.from(r.cells).map(c => c.dataset.value))"
  rows <- function() do.call(rbind, lapply(page$script(shown), unlist))
  expected <- function(book) {
    t <- add_pareto(totals(book, by = product))
    unname(cbind(t$product, sprintf("%.2f", t$revenue)))
  }
  expect_identical(rows()[, 1:2], expected(demo_daybook()))
  choose <- "const s = document.getElementById('switch'); s.value = arguments[0]; s.dispatchEvent(new Event('change'));"
  for (value in c("Vale", "Highfen")) {
    page$script(choose, value)
    expect_identical(rows()[, 1:2], expected(keep_lines(demo_daybook(), region %in% value)))
  }
  page$script(choose, "")
  expect_identical(rows()[, 1:2], expected(demo_daybook()))
  ids <- unlist(page$script("return Array.from(document.querySelectorAll('[id]')).map(e => e.id)"))
  expect_identical(ids[duplicated(ids)], character())
})

if (thorough()) test_that("a year stands as it was at its end; a tally can be switched too", {
  tally <- tally_of(demo_daybook(), by = region)
  path <- withr::local_tempfile(fileext = ".html")
  quiet(sales_report(tally, path, sections = c("change"), switch = "year"))
  html <- paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
  expect_match(html, "<option value=\"2025\">2025</option>", fixed = TRUE)
  t <- quiet(add_change(totals(keep_lines(demo_daybook(), day <= as.Date("2025-12-31")), by = region, every = "year")))
  vale <- t$revenue_change_pct[t$region == "Vale" & t$year == as.Date("2025-01-01")]
  values <- regmatches(html, gregexpr("(?<=data-value=\")-?[0-9.]+(?=\")", html, perl = TRUE))[[1]]
  expect_true(vale %in% as.numeric(values))
})

test_that("a choice that would be too large, or of nothing, is refused", {
  path <- withr::local_tempfile(fileext = ".html")
  small <- daybook(data.frame(day = as.Date("2026-03-02"), product = "a", revenue = 1), day, revenue, product)
  expect_snapshot(error = TRUE, {
    sales_report(demo_daybook(), path, region = "town", switch = "region")
    sales_report(small, path, switch = "region")
    sales_report(demo_daybook(), path, switch = "town")
  })
})
