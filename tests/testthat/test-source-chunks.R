columns_of <- function(t) lapply(as.list(tibble::as_tibble(t)), c)

test_that("tallies of chunks of files are those of all lines, with span and audit, on random lines", {
  for (seed in seeds(1, 2, 4)) {
    sales <- random_sales(seed, n = 500)
    folder <- withr::local_tempdir()
    part <- sort(sample(3, nrow(sales), replace = TRUE))
    for (i in unique(part)) utils::write.csv(sales[part == i, ], file.path(folder, paste0(i, ".csv")), na = "",
                                             row.names = FALSE)
    types <- c(day = "text", price = "text")
    make <- function(lines) {
      book <- daybook(lines, day, price, product, units = pieces, on_bad = "set_aside")
      book <- keep_lines(book, day >= as.Date("2024-02-10") & !(region %in% "Vale"))
      if (seed %% 2) leave_out(book, status == "open") else book
    }
    measures <- list("revenue", best_day = largest_of(revenue, per = "day"), n = count_distinct(status),
                     price = ratio_of(revenue, units))
    withr::local_options(hinterfeld.block = c(900, 5000)[seed %% 2 + 1])
    chunked <- quiet(tally_of(folder, by = c(product, region), measures = measures, make = make, types = types))
    whole <- quiet(tally_of(make(load_table(folder, types = types)), by = c(product, region), measures = measures))
    ask <- function(facts) {
      t <- totals(facts, by = c(region, product), every = "month", subtotals = TRUE, fill = TRUE,
                  measures = list("revenue", "lines", "best_day", "n", ratio_of(revenue, units)))
      columns_of(add_change(t))
    }
    expect_identical(quiet(ask(chunked)), quiet(ask(whole)), label = seed)
    expect_identical(chunked$span, whole$span)
    expect_identical(format(audit(chunked)), format(audit(whole)))
  }
})

test_that("a chunk without a line that counts is told in the audit, and covers its days", {
  folder <- withr::local_tempdir()
  writeLines(c("day,product,revenue", "2026-01-05,Sieve,1"), file.path(folder, "a.csv"))
  writeLines(c("day,product,revenue", "2026-03-05,Rib,2"), file.path(folder, "b.csv"))
  writeLines(c("day,product,revenue", "never,Rib,2"), file.path(folder, "c.csv"))
  tally <- quiet(tally_of(folder, by = product, make = function(lines) {
    keep_lines(daybook(lines, day, revenue, product, on_bad = "set_aside"), product == "Sieve")
  }))
  expect_identical(tally$span, as.Date(c("2026-01-05", "2026-03-05")))
  expect_identical(audit(tally)$lines_after, c(3, 3, 2, 1))
  expect_error(quiet(tally_of(folder, make = function(lines) {
    keep_lines(daybook(lines, day, revenue, product, on_bad = "set_aside"), product == "Bat")
  })), class = "hinterfeld_error_no_lines")
  expect_error(quiet(tally_of(folder, make = function(lines) {
    daybook(lines[c("day", "product")], day, product, product, on_bad = "set_aside")
  })), "2 lines cannot be used: revenue not a number", class = "hinterfeld_error_role")
  expect_error(tally_of(folder), "`make` must be a function", class = "hinterfeld_error_argument")
})

test_that("columns whose type all texts must tell have it in every chunk", {
  path <- text_at("a,b\n 1,TRUE\n2,false\nNA,\n3.50,TRUE\n")
  withr::local_options(hinterfeld.block = 8, hinterfeld.threads = 1)
  chunks <- list()
  tally_of(path, make = function(table) {
    chunks <<- c(chunks, list(table))
    daybook(data.frame(day = "2026-03-02", product = "a", revenue = rep(1, nrow(table))), day, revenue, product)
  })
  expect_gt(length(chunks), 2)
  expect_identical(unlist(lapply(chunks, function(chunk) chunk$a)), load_table(path)$a)
  expect_identical(unlist(lapply(chunks, function(chunk) chunk$b)), c(TRUE, FALSE, NA, TRUE))
})

test_that("parts of one name and content in several folders are several parts", {
  folder <- withr::local_tempdir()
  for (year in c("2025", "2026")) {
    dir.create(file.path(folder, year))
    writeLines(c("day,product,revenue", "2026-03-02,a,5"), file.path(folder, year, "sales.csv"))
  }
  tally <- quiet(tally_of(file.path(folder, "*", "*.csv"), make = function(lines) daybook(lines, day, revenue,
                                                                                          product)))
  expect_identical(totals(tally)$revenue, 10)
})
