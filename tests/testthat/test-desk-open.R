served <- serve_desk("--demo", env = teardown_env())

test_that("facts, ports and hosts that cannot be are refused", {
  expect_snapshot(error = TRUE, {
    open_desk(1)
    open_desk(demo_daybook(), port = 70000)
    open_desk(demo_daybook(), host = 1)
    open_desk("no such brief.yaml")
  })
  said <- run_process("desk")$stderr
  expect_match(said, "BRIEF is missing; use --demo to look at made-up data")
})

test_that("the page answers choices with the numbers of the core, from both ends of each link", {
  desk <- quiet(brief_desk(read_brief(demo_brief())))
  page <- read_desk(served$address)
  as_asked <- function() {
    answer <- quiet(desk_answer(desk, state_of_link(page$link(), desk$facts)))
    expect_identical(page$table(), cells_of(answer$table), info = page$link())
  }
  as_asked()
  expect_match(page$text("inquiry"), "Revenue of completed sales, per month, against the year before, in 2026.",
               fixed = TRUE)
  expect_match(page$text("headline"), "767 981.10", fixed = TRUE)
  page$choose("every", "input[name=every][value='']")
  page$choose("by", "input[value=product]")
  page$choose("within", "input[value=region]")
  page$choose("rank", "input[value=best_sellers]")
  as_asked()
  page$choose("share", "input[value=within]")
  as_asked()
  expect_match(page$text("inquiry"), "within region, the best 5 of each region, as share of its region")
  # Back goes to the inquiry before.
  page$back()
  page$settled()
  expect_no_match(page$text("inquiry"), "as share of its")
  as_asked()
  page$choose("rank", "input[value=none]")
  page$choose("every", "input[value=year]")
  page$choose("grid", "input[value=year]")
  as_asked()
  page$click("#choices [data-act=swap]")
  page$settled()
  as_asked()
  page$press("\uE00C")
  # Random choices at the page: whatever is offered can be chosen, and what it shows is what R says.
  withr::local_seed(11)
  shown <- 0
  for (i in seq_len(rounds(0, 30))) {
    if (i %% 4 == 0) {
      # The link alone gives the same page; then from the beginning.
      for (address in paste0(served$address, c(page$link(), ""))) {
        page$go(address)
        page$settled()
        if (page$text("problem") == "") as_asked()
      }
    }
    part <- sample(setdiff(names(desk_parts), "counts"), 1)
    page$open(part)
    offered <- page$script("return Array.from(document.querySelectorAll('#choices input:not([disabled])')).filter(i =>
                            i.type !== 'number').length")
    if (offered == 0) next
    page$script("const all = Array.from(document.querySelectorAll('#choices input:not([disabled])')).filter(i =>
                 i.type !== 'number'); all[arguments[0]].click(); return true;", sample(offered, 1) - 1)
    page$settled()
    if (page$text("problem") == "") {
      as_asked()
      shown <- shown + 1
    }
  }
  if (thorough()) expect_gt(shown, 1)
  expect_identical(Filter(function(entry) !grepl("favicon", entry$message), page$log("browser")), list())
  asked <- network_requests(page)
  expect_identical(asked[!startsWith(asked, served$address) & !startsWith(asked, sub("http", "ws", served$address))],
                   character())
})

test_that("the page comes with headers, arrows go through a list without choosing, and a button closes it", {
  headers <- curlGetHeaders(served$address)
  expect_match(headers, "^Content-Security-Policy: .*frame-ancestors 'none'", all = FALSE)
  expect_match(headers, "^X-Content-Type-Options: nosniff", all = FALSE)
  page <- read_desk(served$address)
  asked <- page$link()
  page$open("every")
  page$press("\uE015")
  page$press("\uE015")
  Sys.sleep(0.3)
  expect_identical(page$link(), asked)
  page$press("\uE007")
  page$settled()
  expect_match(utils::URLdecode(page$link()), "\"every\":[\"year\"]", fixed = TRUE)
  page$click("#choices .close")
  expect_true(page$script("return document.getElementById('choices').hidden"))
  expect_identical(page$script("return document.activeElement.dataset.part"), "every")
})

if (thorough()) test_that("the page is for keyboards and readers: names, focus, lines behind, what was left out", {
  page <- read_desk(paste0(served$address, state_link(desk_state(
    by = list("region", "product"), measures = list("revenue"), pick = list(best_sellers = list(n = 3L,
                                                                                               within = list("region")))
  ))))
  nameless <- "return Array.from(document.querySelectorAll('button, a[href], input, select')).filter(e =>
    e.offsetParent !== null && !(e.innerText || '').trim() && !e.getAttribute('aria-label') &&
    !(e.labels && e.labels.length && e.labels[0].innerText.trim())).map(e => e.outerHTML)"
  expect_identical(page$script(nameless), list())
  expect_identical(page$script("return document.querySelectorAll('.mark').length"), 12L)
  page$script("document.querySelector('#table td').focus()")
  page$press("\uE015")
  expect_true(page$until("return document.activeElement.closest('tr').dataset.row === '2'"))
  expect_true(page$until("return document.getElementById('notice').innerText.includes('revenue')"))
  page$press("\uE007")
  expect_true(page$until("return !!document.querySelector('#choices [data-act=\"row-lines\"]')"))
  expect_identical(page$script(nameless), list())
  page$click("[data-act='row-lines']")
  expect_true(page$until("return document.querySelectorAll('#lines tbody tr').length > 0"))
  answer <- quiet(desk_answer(a_desk(), state_of_link(page$link(), a_desk()$facts)))
  expect_match(page$text("lines"), sprintf("%s lines", group_digits(nrow(lines_behind(answer$table, 2)))))
  page$press("\uE00C")
  expect_true(page$until("return document.getElementById('lines').hidden"))
  page$click("[data-act=aside]")
  expect_true(page$until("return document.getElementById('lines').innerText.includes('completed sales')"))
  page$press("\uE00C")
  # Only this row, by the keyboard alone.
  page$script("document.querySelector('#table td').focus()")
  page$press("\uE007")
  expect_true(page$until("return !!document.activeElement.closest('#choices')"))
  page$press("\uE007")
  page$settled()
  expect_match(page$text("inquiry"), "only region Saltcoast")
  expect_identical(page$script(faint_texts), list())
  # On a phone nothing is wider than the page.
  phone <- read_desk(served$address, width = 500)
  expect_true(phone$script("return document.documentElement.scrollWidth <= window.innerWidth"))
})

if (thorough()) test_that("files that are taken are those that R delivers", {
  page <- read_desk(paste0(served$address, state_link(desk_state(
    by = list("region"), every = list("year"), measures = list("revenue", "units"), add = list(list(change = NULL))
  ))))
  t <- quiet(add_change(totals(demo_daybook(), by = region, every = "year", measures = c("revenue", "units"))))
  folder <- withr::local_tempdir()
  for (kind in c("csv", "parquet", "svg", "png", "xlsx")) {
    expect_true(page$until(sprintf("return document.getElementById('file-%s').href.includes('download')", kind)))
    href <- page$script("return document.getElementById(arguments[0]).href", paste0("file-", kind))
    got <- curl::curl_fetch_memory(href)
    expect_identical(got$status_code, 200L)
    path <- file.path(folder, paste0("own.", kind))
    quiet(deliver(if (kind %in% c("svg", "png")) autoplot(t) else t, path))
    expect_identical(got$content, readBin(path, "raw", file.size(path)), info = kind)
  }
})

if (thorough()) test_that("two readers do not disturb each other, and a hostile link or page gets nothing", {
  one <- read_desk(served$address)
  two <- read_desk(served$address)
  one$choose("every", "input[value=year]")
  expect_match(one$text("inquiry"), "per year")
  expect_no_match(two$text("inquiry"), "per year")
  two$go(paste0(served$address, "?inquiry=", utils::URLencode("{\"table\":{\"keep\":[\"system('id')\"]}}", TRUE)))
  expect_true(two$until("return !document.getElementById('problem').hidden"))
  expect_match(two$text("problem"), "cannot be asked here")
  # What cannot be answered is told as long as it is asked, whatever is opened meanwhile.
  across <- desk_state(by = list("product", "customer_id"), measures = list("revenue"),
                       crosstab = list(rows = list("product"), columns = list("customer_id")))
  two$go(paste0(served$address, state_link(across)))
  refused <- "return document.getElementById('problem').innerText.includes('columns across cannot be read')"
  expect_true(two$until(refused))
  two$open("rank")
  expect_true(two$until(refused))
  two$choose("rank", "input[value=rank]")
  expect_true(two$until(refused))
  two$choose("by", "input[value=customer_id]")
  expect_true(two$until("return document.getElementById('problem').innerText === ''"))
  handle <- curl::new_handle()
  curl::handle_setheaders(handle, Host = "evil.example")
  expect_identical(curl::curl_fetch_memory(served$address, handle)$status_code, 403L)
  files <- c("desk/../../DESCRIPTION", "desk/%2e%2e/DESCRIPTION", "../DESCRIPTION")
  for (file in files) {
    handle <- curl::new_handle(path_as_is = TRUE)
    answer <- curl::curl_fetch_memory(paste0(served$address, file), handle)
    expect_no_match(rawToChar(answer$content), "Package: hinterfeld")
  }
})

if (thorough()) test_that("new lines are offered, and taken in only when the reader says so", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "sales"))
  write <- function(name, revenue) {
    lines <- paste0("2026-03-0", seq_along(revenue), ",Bowl,", revenue)
    writeLines(c("day,product,revenue", lines), file.path(folder, "sales", name))
  }
  write("1.csv", c(1, 2))
  writeLines(c("brief: 1", "data: {lines: sales/}", "daybook: {day: day, product: product, revenue: revenue}",
               "tables:", "  all: {by: product}"), file.path(folder, "job.yaml"))
  served <- serve_desk(file.path(folder, "job.yaml"))
  page <- read_desk(served$address)
  expect_true(page$until("return document.getElementById('table').innerText.includes('3.00')"),
              info = paste(c(served$said, served$process$read_error_lines()), collapse = "\n"))
  write("2.csv", c(10, 20))
  expect_true(page$until("return document.getElementById('news').innerText.includes('have changed')"))
  expect_match(page$text("table"), "3.00")
  page$click("[data-act=renew]")
  page$settled()
  expect_match(page$text("table"), "33.00")
  page$click("[data-act='ways-out']")
  expect_true(page$until("return !!document.querySelector('#lines [data-act=\"add-to-brief\"]')"))
  page$click("#lines [data-act='add-to-brief']")
  expect_true(page$until("return document.getElementById('added').innerText.includes('from_the_desk')"))
  expect_true("from_the_desk" %in% names(read_brief(file.path(folder, "job.yaml"))$content$tables))
})
