report_of_demo <- function() file.path(demo_run()$out, "report.html")

percent_of <- function(x) sprintf("%+.1f %%", 100 * x)

# The rows of one table of the page, as the browser has them.
rows_of <- function(page, id) {
  rows <- page$script("return Array.from(document.querySelectorAll('#' + arguments[0] + ' tbody tr')).filter(r =>
                       !r.hidden)
                       .map(r => Array.from(r.cells).map(c => c.dataset.value));", id)
  as.data.frame(do.call(rbind, lapply(rows, unlist)))
}

test_that("the page opens without an error or a request, and is built for keyboards and readers", {
  page <- open_page(report_of_demo())
  expect_identical(page$log("browser"), list())
  expect_identical(network_requests(page), character())
  expect_identical(page$script("return document.querySelectorAll('h1').length"), 1L)
  expect_identical(page$script("return document.documentElement.lang"), "en")
  images <- unlist(
    page$script("return Array.from(document.images).map(i => i.complete && i.naturalWidth > 0 ? i.alt : '')")
  )
  expect_gt(length(images), 8)
  expect_true(all(nchar(images) > 40))
  # Headings go down one step at a time, ids stand once, and every entry of the contents leads somewhere.
  levels <- unlist(
    page$script("return Array.from(document.querySelectorAll('h1,h2,h3,h4')).map(h => Number(h.tagName[1]))")
  )
  expect_true(all(diff(levels) <= 1))
  ids <- unlist(page$script("return Array.from(document.querySelectorAll('[id]')).map(e => e.id)"))
  expect_identical(anyDuplicated(ids), 0L)
  links <- unlist(
    page$script("return Array.from(document.querySelectorAll('nav a')).map(a => a.getAttribute('href').slice(1))")
  )
  expect_gt(length(links), 10)
  expect_identical(setdiff(links, ids), character())
})

test_that("tables sort and filter, and totals stay at the end", {
  page <- open_page(report_of_demo())
  box <- "table-change-region-town"
  first <- rows_of(page, box)
  expect_identical(nrow(first), 25L)
  press <- function(column) {
    page$script("var heads = document.querySelectorAll('#' + arguments[0] + ' th');
    heads[arguments[1]].querySelector('button').click(); return heads[arguments[1]].getAttribute(
      'aria-sort'
    )", box, column)
  }
  expect_identical(press(4), "descending")
  sorted <- rows_of(page, box)
  town <- utils::head(as.numeric(sorted$V5), -1)
  expect_identical(town, sort(town, decreasing = TRUE))
  expect_identical(utils::tail(sorted$V3, 1), "Total")
  expect_identical(press(4), "ascending")
  expect_identical(utils::head(as.numeric(rows_of(page, box)$V5), -1), sort(town))
  expect_identical(press(2), "ascending")
  expect_identical(utils::head(rows_of(page, box)$V3, 3), sort(setdiff(first$V3, "Total"))[1:3])
  type <- function(words) {
    page$script("var box = document.getElementById(arguments[0]), input = box.querySelector('input');
    input.value = arguments[1]; input.dispatchEvent(new Event('input'));
    return box.querySelector('output').textContent", box, words)
  }
  expect_identical(type("vale OLD"), "1 of 25 rows")
  expect_identical(rows_of(page, box)$V3, "Oldkiln")
  expect_identical(type(""), "25 rows")
})

test_that("the numbers of the page equal the tables, to the cent", {
  page <- open_page(report_of_demo())
  book <- kilnmoor_book()
  t <- add_pareto(totals(book, by = product))
  shown <- rows_of(page, "table-pareto")
  expect_identical(shown$V1, t$product)
  expect_identical(as.numeric(shown$V2), t$revenue)
  expect_equal(as.numeric(shown$V4), t$revenue_cumulative_share)
  expect_identical(shown$V6, t$revenue_class)
  years <- add_change(totals(book, every = "year"))
  cards <- unlist(
    page$script("return Array.from(document.querySelectorAll('.cards .value')).map(v => v.dataset.value)")
  )
  expect_identical(as.numeric(cards[1]), utils::tail(years$revenue, 1))
  change <- page$script("return document.querySelector('.cards .change strong').textContent")
  expect_identical(change, percent_of(utils::tail(years$revenue_change_pct, 1)))
  # Against SQL over the raw files.
  db <- demo_database()
  months <- sql(
    db, "SELECT substr(day, 1, 7) AS month, sum(units) / 100.0 AS revenue FROM sales GROUP BY 1 ORDER BY 1 DESC"
  )
  trend <- rows_of(page, "table-months")
  expect_identical(substr(trend$V1, 1, 7), months$month)
  expect_equal(as.numeric(trend$V2), months$revenue, tolerance = 1e-12)
  findings <- rows_of(page, "table-checks")
  expect_true(all(findings$V6 %in% c("adds up", "rows match")))
})

test_that("on a phone nothing but tables and figures scrolls sideways", {
  page <- open_page(report_of_demo(), width = 500)
  wide <- page$script("return document.documentElement.scrollWidth - window.innerWidth")
  expect_lte(wide, 0)
  expect_false(page$script("return document.querySelector('nav details').open"))
})

test_that("words, titles and data cannot put a script, a picture or a link of their own into the page", {
  book <- daybook(a_sale(product = c("<script>alert(1)</script>", "\" onclick=\"x"), revenue = c(2, 1)), day, revenue,
                  product)
  path <- withr::local_tempfile(fileext = ".html")
  words <- paste("<img src=x onerror=alert(1)> ![pic](http://x.example/p.png) [go](javascript:alert(1))",
                 "**fine** [page](https://x.example)")
  sales_report(book, path, title = "<b>T</b>", words = words)
  html <- paste(readLines(path), collapse = "\n")
  body <- sub("<script>// .*$", "", sub("^.*<body>", "", html))
  expect_no_match(body, "<script|<b>|<img src=x|javascript:")
  expect_no_match(body, "p.png", fixed = TRUE)
  expect_match(body, "<strong>fine</strong>", fixed = TRUE)
  expect_match(body, "href=\"https://x.example\"", fixed = TRUE)
  page <- open_page(path)
  expect_identical(network_requests(page), character())
  expect_identical(page$script("return document.querySelectorAll('[onclick]').length"), 0L)
})

test_that("a heading cannot leave its attribute, and only the report's own script may run", {
  hostile <- "kind\" onfocus=\"document.title='run'\" autofocus x=\""
  sales <- a_sale(day = as.Date("2026-03-02") - 0:9, product = letters[1:10], revenue = 1:10)
  sales[[hostile]] <- rep(c("a", "b"), 5)
  book <- daybook(sales, day, revenue, product)
  path <- withr::local_tempfile(fileext = ".html")
  quiet(sales_report(book, path, category = hostile, title = "Safe",
                     sections = c("best_sellers", "crosstab", "checks")))
  html <- paste(readLines(path), collapse = "\n")
  script <- sub("</script>.*$", "", sub("^.*<script>", "", html))
  hash <- jsonlite::base64_enc(digest::digest(script, algo = "sha256", serialize = FALSE, raw = TRUE))
  expect_match(html, sprintf("script-src &#39;sha256-%s&#39;", hash), fixed = TRUE)
  page <- open_page(path)
  expect_identical(page$script("return document.title"), "Safe")
  expect_identical(page$script("return document.querySelectorAll('[onfocus], [autofocus]').length"), 0L)
  # The script of the report ran: its headings sort.
  expect_gt(page$script("return document.querySelectorAll('th[aria-sort]').length"), 0)
  page$script("document.querySelector('th button').click()")
  expect_true(
    page$script("return [...document.querySelectorAll('th')].some(h => h.getAttribute('aria-sort') != 'none')")
  )
  # Another one does not.
  page$script(
    "let s = document.createElement('script'); s.textContent = \"document.title = 'run'\"; document.body.append(s)"
  )
  expect_identical(page$script("return document.title"), "Safe")
})

if (thorough()) test_that("a figure of pages shows the first and tells what is on the others", {
  captions <- function(region) {
    path <- withr::local_tempfile(fileext = ".html")
    quiet(sales_report(kilnmoor_book(), path, region = region, sections = c("best_sellers", "change")))
    html <- gsub("\n *", "", paste(readLines(path, encoding = "UTF-8"), collapse = "\n"))
    regmatches(html, gregexpr("<figcaption>.*?</figcaption>", html, perl = TRUE))[[1]]
  }
  many <- captions("town")
  expect_match(many, "<figcaption>The first of [0-9]+ pages. On the others: .*Lodewick", all = FALSE)
  few <- captions("region")
  expect_no_match(few, "On the others")
  # One short line stands below a figure, and the rest of its note opens.
  expect_match(few, "<details><summary>More</summary><p>", all = FALSE)
  expect_true(all(nchar(gsub("<[^>]*>", "", sub("<details>.*$", "", few))) <= 130))
})
