# The desk with 10 million lines in a real browser: from a choice to numbers in the page, and to the figure. Writes
# bench/DESK.md.
source("bench/lines.R")
arguments <- commandArgs(TRUE)
if (length(arguments)) {
  options(hinterfeld.threads = 2)
  book <- hinterfeld::daybook(sale_lines(1e7), day = day, product = product, revenue = revenue)
  hinterfeld::open_desk(book, port = as.integer(arguments))
  quit()
}
`%||%` <- rlang::`%||%`
for (helper in c("sales", "browser")) source(sprintf("tests/testthat/helper-%s.R", helper))
rscript <- file.path(R.home("bin"), "Rscript")
serve <- function(args, port) {
  process <- processx::process$new(rscript, args, cleanup_tree = TRUE)
  repeat {
    open <- tryCatch(curl::curl_fetch_memory(sprintf("http://127.0.0.1:%d/", port))$status_code == 200,
                     error = function(cnd) FALSE)
    if (open) return(process)
    Sys.sleep(0.2)
  }
}
link <- function(table) {
  paste0("?inquiry=", utils::URLencode(as.character(jsonlite::toJSON(list(table = table), auto_unbox = TRUE)), TRUE))
}

# Milliseconds in the page from asking for a state by its link until the table has changed, and until all stands.
timed <- function(page, table) {
  page$script("
    const seen = document.body.dataset.settled;
    const start = performance.now();
    window.told = {};
    const told = window.told;
    const once = (id, name) => {
      const watch = new MutationObserver(() => { told[name] = performance.now() - start; watch.disconnect(); });
      watch.observe(document.getElementById(id), { childList: true });
    };
    once('table', 'numbers');
    once('figure', 'figure');
    Shiny.setInputValue('ask', { act: 'link', link: arguments[0] }, { priority: 'event' });
    window.done = () => document.body.dataset.settled !== seen;", link(table))
  for (try in 1:400) {
    if (isTRUE(page$script("return window.done()"))) break
    Sys.sleep(0.05)
  }
  unlist(page$script("return [window.told.numbers, window.told.figure]")) / 1000
}

port <- 41000 + sample(2000, 1)
process <- serve(c("bench/desk.R", port), port)
page <- open_page(sprintf("http://127.0.0.1:%d/", port))
Sys.sleep(3)
cases <- list(
  "by region" = list(by = list("region")),
  "by region and product, share, best 5" = list(
    by = list("region", "product"), add = list(list(share = list(within = list("region")))),
    pick = list(best_sellers = list(n = 5, within = list("region")))
  ),
  "by product and month, change" = list(by = list("product"), every = list("month"),
                                        add = list(list(change = list(versus = "year_before")))),
  "by category, only one status" = list(by = list("category"), keep = list("status == \"delivered\"")),
  "by product and week (209 000 rows)" = list(by = list("product"), every = list("week"))
)
rows <- vapply(names(cases), function(name) {
  times <- vapply(1:5, function(i) {
    timed(page, list(by = list("category"), every = list(c("month", "quarter", "year")[i %% 3 + 1])))
    timed(page, cases[[name]])
  }, c(0, 0))
  middle <- apply(times, 1, stats::median)
  wanted <- if (grepl("week|month", name)) "1 / 0.7" else "0.3 / 0.7"
  sprintf("| %s | %.2f | %.2f | %s |", name, middle[1], middle[2] - middle[1], wanted)
}, "")

# What a second reader waits for the numbers of a small choice while the first one's is computed, at most.
other <- open_page(sprintf("http://127.0.0.1:%d/", port))
Sys.sleep(3)
waits <- vapply(names(cases), function(name) {
  max(vapply(1:5, function(i) {
    page$script("Shiny.setInputValue('ask', { act: 'link', link: arguments[0] }, { priority: 'event' })",
                link(c(cases[[name]], list(fill = i %% 2 == 0))))
    Sys.sleep(0.05)
    seconds <- timed(other, list(by = list("region"), every = list(c("month", "quarter", "year")[i %% 3 + 1])))[1]
    Sys.sleep(3)
    seconds
  }, 0))
}, 0)
process$kill_tree()

port <- port + 1
process <- serve(c("inst/cli/hinterfeld", "desk", "--demo", "--address-only", "--port", port), port)
first <- vapply(1:5, function(i) {
  page <- open_page("about:blank")
  page$go(sprintf("http://127.0.0.1:%d/", port))
  for (try in 1:200) {
    now <- page$script("return document.querySelector('#figure img') ? performance.now() : 0")
    if (now > 0) break
    Sys.sleep(0.02)
  }
  now / 1000
}, 0)
process$kill_tree()
writeLines(c(
  "# The desk", "",
  sprintf("One run on %s, 2 processors: 10 million lines in the desk, asked in Chromium. Medians of 5, in seconds.",
          format(Sys.Date())), "",
  "| | choice to numbers in the page | figure later by | wanted |", "| --- | ---: | ---: | --- |", unname(rows), "",
  "A second reader, who chooses while one of these is computed, waits for numbers",
  sprintf("%.2f seconds at most (wanted: 1).", max(waits)), "",
  sprintf("The demo's first view with its figure: %.1f seconds after the address was entered (wanted: 2).",
          stats::median(first))
), "bench/DESK.md")
