# The cases: each ours, by base R's best honest way, in SQLite, or the floor. Prints seconds as "case way seconds".
# Rscript bench/cases.R LINES REPEATS WHAT, where WHAT is lines (cases over lines), tables (cases over a totals table),
# chunks and one_pass (the same lines in chunks and at once) or one of the cases for peak memory.
suppressPackageStartupMessages(library(hinterfeld))
source("bench/lines.R")
arguments <- commandArgs(TRUE)
n <- as.numeric(arguments[1])
repeats <- as.integer(arguments[2])
what <- arguments[3]

with_threads <- function(threads, code) {
  old <- options(hinterfeld.threads = threads)
  on.exit(options(old))
  force(code)
}
# In SQLite, in memory, with the columns that are asked for.
with_database <- function(columns, code) {
  db <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(db))
  DBI::dbWriteTable(db, "t", columns)
  code(function(case, query) timed(case, "sqlite", DBI::dbGetQuery(db, query), 1))
}
completed <- c("delivered", "collected")
ours <- function(lines) {
  book <- daybook(lines, day, revenue, product, units = units, order = order)
  totals(keep_lines(book, status %in% completed), by = product, every = "day")
}

# Base R: codes for the columns that are asked for, a filter, one number per group, rowsum().
base_way <- function(lines) {
  kept <- which(lines$status %in% completed)
  products <- sort(unique(lines$product))
  code <- match(lines$product[kept], products)
  day <- as.integer(lines$day[kept])
  first <- min(day)
  cents <- round(lines$revenue[kept] * 100)
  sums <- rowsum(cents, (day - first) * length(products) + code, reorder = FALSE)
  group <- as.integer(rownames(sums)) - 1L
  out <- data.frame(day = first + group %/% length(products), product = products[group %% length(products) + 1L],
                    revenue = sums[, 1] / 100)
  out[order(out$day, -out$revenue, out$product), ]
}

if (what == "lines") {
  Rcpp::sourceCpp("bench/floor.cpp")
  lines <- sale_lines(n)
  known <- unique(lines$product)
  timed("match", "base", match(lines$product, known))
  timed("daybook", "ours", book <- daybook(lines, day, revenue, product, units = units, order = order))
  cat("daybook_size ratio", as.numeric(object.size(book)) / as.numeric(object.size(lines)), "\n")
  timed("whole", "ours", ours(lines))
  timed("whole", "base", base_way(lines), times = 1)
  if (n <= 1e7) {
    columns <- lines[c("product", "category", "region", "status")]
    columns$day <- as.integer(lines$day)
    columns$month <- format(lines$day, "%Y-%m")
    columns$cents <- round(lines$revenue * 100)
    with_database(columns, function(ask) {
      ask("whole",
          "SELECT day, product, sum(cents) FROM t WHERE status IN ('delivered', 'collected') GROUP BY day, product
                    ORDER BY day, sum(cents) DESC, product")
      ask("category_region_month",
          "SELECT month, category, region, sum(cents) FROM t WHERE status IN ('delivered', 'collected')
                                    GROUP BY month, category, region")
    })
    rm(columns)
  }
  rm(lines)
  kept <- keep_lines(book, status %in% completed)
  columns <- kept$columns
  coded <- list(day = as.integer(columns$day) - as.integer(kept$span[1]) + 1L, product = as.integer(columns$product),
                category = as.integer(columns$category), region = as.integer(columns$region), units = columns$revenue)
  months <- hinterfeld::period_start(columns$day, "month")
  coded$month <- match(months, sort(unique(months)))
  rm(months)
  # In turns, and often: what is over in a moment is easily disturbed.
  for (i in seq_len(4 * repeats)) {
    timed("day_product", "floor", floor_two(coded$day, coded$product, coded$units, 731L, 2000L), 1)
    timed("day_product", "one_thread", with_threads(1, totals(kept, by = product, every = "day")), 1)
    timed("day_product", "ours", with_threads(2, totals(kept, by = product, every = "day")), 1)
    timed("category_region_month", "floor",
          floor_three(coded$month, coded$category, coded$region, coded$units, 24L, 5L, 6L), 1)
    timed("category_region_month", "one_thread",
          with_threads(1, totals(kept, by = c(category, region), every = "month")), 1)
    timed("category_region_month", "ours", with_threads(2, totals(kept, by = c(category, region), every = "month")), 1)
  }
}

if (what == "why") {
  book <- daybook(sale_lines(n), day, revenue, product, units = units, order = order)
  changed <- add_change(totals(book, by = product, every = "month", subtotals = TRUE))
  timed("causes", "ours", add_causes(changed))
  demo <- demo_daybook()
  timed("findings", "ours", suppressMessages(findings(demo)))
}

if (what == "tables") {
  # A totals table of a million rows: 1 000 products in 5 categories and 6 regions, in most months of fifteen years.
  lines <- sale_lines(4e6, products = 1000L, days = 5479L)
  lines$product <- paste(lines$product, lines$region)
  book <- daybook(lines, day, revenue, product)
  rm(lines)
  t <- totals(book, by = c(category, region, product), every = "month")
  cat("table rows", nrow(t), "\n")
  # Base R gets text as it is used to: a totals table holds it as codes.
  plain <- as.data.frame(t)
  plain[c("category", "region", "product")] <- lapply(plain[c("category", "region", "product")], paste0)
  timed("best_sellers", "ours", best_sellers(t, n = 5, within = c(category, region)), times = 2 * repeats + 1)
  timed("best_sellers", "base", {
    scope <- interaction(plain$category, plain$region, drop = TRUE)
    rank <- stats::ave(-plain$revenue, scope, FUN = function(x) rank(x, ties.method = "min"))
    top <- plain[rank <= 5, ]
    top[order(top$category, top$region, -top$revenue), ]
  })
  timed("running_total", "ours", add_running_total(t), times = 2 * repeats + 1)
  timed("running_total", "base", {
    order <- order(plain$category, plain$region, plain$product, plain$month)
    sorted <- plain[order, ]
    running <- stats::ave(sorted$revenue, sorted$category, sorted$region, sorted$product, drop = TRUE, FUN = cumsum)
    running[order(order)]
  }, times = 1)
  timed("share", "ours", add_share(t, within = c(category, region, month)), times = 2 * repeats + 1)
  timed("share", "base",
        plain$revenue / stats::ave(plain$revenue, plain$category, plain$region, plain$month, FUN = sum))
  timed("change", "ours", add_change(t), times = 2 * repeats + 1)
  timed("change", "base", {
    before <- as.POSIXlt(plain$month)
    before$year <- before$year - 1
    at <- match(paste(as.Date(before), plain$category, plain$region, plain$product),
                paste(plain$month, plain$category, plain$region, plain$product))
    plain$revenue - ifelse(is.na(at), 0, plain$revenue[at])
  })
  timed("pareto", "ours", suppressMessages(add_pareto(t, within = c(category, region))), times = 2 * repeats + 1)
  timed("pareto", "base", {
    order <- order(plain$category, plain$region, -plain$revenue)
    sorted <- plain[order, ]
    scope <- interaction(sorted$category, sorted$region, drop = TRUE)
    stats::ave(sorted$revenue, scope, FUN = cumsum) / stats::ave(sorted$revenue, scope, FUN = sum)
  })
  # The month of the year before is the twelfth before, counted in months.
  columns <- transform(plain[c("category", "region", "product")], cents = round(plain$revenue * 100),
                       month = 12L * as.integer(format(plain$month, "%Y")) + as.integer(format(plain$month, "%m")))
  with_database(columns, function(ask) {
    ask("best_sellers",
        "SELECT * FROM (SELECT *, rank() OVER (PARTITION BY category, region ORDER BY cents DESC) AS place FROM t)
                         WHERE place <= 5 ORDER BY category, region, place")
    ask("running_total", "SELECT *, sum(cents) OVER (PARTITION BY category, region, product ORDER BY month) FROM t")
    ask("share", "SELECT *, cents * 1.0 / sum(cents) OVER (PARTITION BY category, region, month) FROM t")
    ask("change", "SELECT t.*, t.cents - coalesce(earlier.cents, 0) FROM t LEFT JOIN t AS earlier ON earlier.product =
         t.product AND
                   earlier.region = t.region AND earlier.category = t.category AND earlier.month = t.month - 12")
    ask("pareto", "SELECT *, sum(cents) OVER (PARTITION BY category, region ORDER BY cents DESC, product, month) * 1.0 /
                   sum(cents) OVER (PARTITION BY category, region) FROM t")
  })
}

if (what == "peak_daybook") book <- daybook(sale_lines(n), day, revenue, product, units = units, order = order)
if (what == "peak_lines") lines <- sale_lines(n)
if (what == "peak_totals") {
  book <- daybook(sale_lines(n), day, revenue, product, units = units, order = order)
  gc(reset = TRUE, full = TRUE)
  before <- sum(gc()[, 2])
  t <- totals(book, by = c(category, region), every = "month")
  cat("totals_peak megabytes", sum(gc()[, 6]) - before, "of", as.numeric(object.size(book)) / 2^20, "\n")
  gc(reset = TRUE, full = TRUE)
  t <- totals(book, by = product, every = "day")
  cat("totals_peak_large megabytes", sum(gc()[, 6]) - before, "of", as.numeric(object.size(book)) / 2^20, "\n")
  # The same as the system sees it, with what compiled code takes apart from R's vectors.
  rm(t)
  gc(full = TRUE)
  held <- in_status("VmRSS")
  writeLines("5", "/proc/self/clear_refs")
  t <- totals(book, by = product, every = "day")
  cat("totals_process megabytes", in_status("VmHWM") - held, "of", as.numeric(object.size(book)) / 2^20, "\n")
}

# Many lines in chunks, each a daybook of its own, tallied and merged; and the same lines at once. Both print what their
# totals are, down to the last bit.
size <- 2e6
print_totals <- function(t) cat("totals", nrow(t), rlang::hash(lapply(as.list(tibble::as_tibble(t)), c)), "\n")
if (what == "chunks") {
  tally <- NULL
  seconds <- 0
  for (seed in seq_len(n / size)) {
    lines <- sale_lines(size, seed)
    seconds <- seconds + system.time({
      one <- tally_of(daybook(lines, day, revenue, product, units = units, order = order), by = product, every = "day")
      tally <- if (is.null(tally)) one else merge_tallies(tally, one)
    })[["elapsed"]]
    rm(lines, one)
    gc(FALSE)
  }
  cat("chunks seconds", seconds, "\n")
  print_totals(totals(tally, by = product, every = "day"))
}
if (what == "one_pass") {
  lines <- list(day = structure(rep(NA_real_, n), class = "Date"), product = character(n), revenue = numeric(n))
  for (seed in seq_len(n / size)) {
    rows <- (seed - 1) * size + seq_len(size)
    some <- sale_lines(size, seed)
    for (name in names(lines)) lines[[name]][rows] <- some[[name]]
  }
  book <- daybook(tibble::as_tibble(lines), day, revenue, product)
  rm(lines)
  print_totals(totals(book, by = product, every = "day"))
}

if (what != "peak_totals") cat("peak", what, "megabytes", in_status("VmHWM"), "\n")
