test_that("spellings are settled and columns computed alike in R, in a brief, in parts and on the command line", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "sales"))
  set.seed(3)
  parts <- lapply(1:3, function(i) {
    data.frame(day = as.character(as.Date("2025-01-05") + 40 * i + 0:29), product = sample(c("Jug", "Pot"), 30, TRUE),
               shop = sample(c("Vale", "vale", " Vale ", "Fen", "FEN", NA), 30, TRUE, if (i == 1) c(1, 5, 1, 5, 1, 1)),
               revenue = sample(9999, 30) / 100, units = sample(4, 30, TRUE),
               cost = if (i == 2) sample(9, 30, TRUE) else sample(9999, 30) / 1000)
  })
  for (i in 1:3) utils::write.csv(parts[[i]], file.path(folder, "sales", paste0(i, ".csv")), row.names = FALSE, na = "")
  writeLines(c("shop,region", "Vale,North", "Fen,South"), file.path(folder, "shops.csv"))
  writeLines(c(
    "brief: 1", "data: {lines: sales/, settle: shop, attach: [{table: shops.csv, by: shop, need: any}]}",
    "daybook: {day: day, product: product, revenue: revenue, units: units}", "columns:",
    "  profit: revenue - units * cost", "  third: revenue / 3", "  size: ifelse(units > 2, \"large\", \"small\")",
    "restrict: [{keep: profit > -20, why: no losses}]",
    "tables: {t: {by: [region, size], measures: [revenue, profit, third, lines], every: month}}",
    "outputs: {folder: out}"
  ), file.path(folder, "job.yaml"))
  job <- file.path(folder, "job.yaml")
  expect_identical(nrow(check_brief(job)), 0L)
  written <- function(into, ...) {
    record <- quiet(run_brief(job, into = file.path(folder, into), ...))
    list(table = readLines(file.path(folder, into, "t.csv")), audit = lapply(record$audit, `[`, c("what", "why")))
  }
  whole <- written("whole")
  expect_identical(withr::with_options(list(hinterfeld.in_memory = 10), written("chunks")), whole)
  expect_identical(written("stored", store = file.path(folder, "kept")), whole)
  # What else is in a new part may change the spelling of all.
  more <- transform(parts[[1]], shop = "VALE", day = as.character(as.Date(day) + 300))
  utils::write.csv(rbind(more, more), file.path(folder, "sales", "4.csv"), row.names = FALSE)
  expect_identical(written("stored", store = file.path(folder, "kept")), written("again"))
  unlink(file.path(folder, "sales", "4.csv"))
  lines <- quiet(load_table(file.path(folder, "sales"))) |> settle_spelling(shop) |> quiet()
  lines <- quiet(attach_table(lines, load_table(file.path(folder, "shops.csv")), shop, need = "any"))
  book <- daybook(lines, day, revenue, product, units = units)
  book <- quiet(extend_lines(book, profit = revenue - units * cost, third = revenue / 3,
                             size = ifelse(units > 2, "large", "small")))
  t <- totals(keep_lines(book, profit > -20), by = c(region, size), every = "month",
              measures = c("revenue", "profit", "third", "lines"))
  expect_identical(readLines(deliver(t, file.path(folder, "r.csv"))), whole$table)
  asked <- run_cli("totals", file.path(folder, "sales"), file.path(folder, "shops.csv"), "--units", "units", "--settle",
                   "shop", "--extend", "profit = revenue - units * cost", "--extend", "third = revenue / 3", "--extend",
                   "size = ifelse(units > 2, \"large\", \"small\")", "--keep", "profit > -20", "--by", "region,size",
                   "--every", "month", "--measures", "revenue,profit,third,lines", "--csv", "--quiet")
  # A table that is attached by the command line need not hold every shop.
  if (asked$status == 0L) expect_identical(strsplit(asked$stdout, "\n")[[1]], whole$table)
  writeLines(sub("settle: shop", "settle: shops", sub("third: revenue", "revenue: revenu", readLines(job))), job)
  expect_snapshot(writeLines(format(check_brief(job))))
  wrong <- function(column) run_cli("totals", file.path(folder, "sales"), "--extend", column)$stderr
  expect_match(wrong("profit"), "--extend cannot be \"profit\"")
  expect_match(wrong("revenue = 1"), "--extend: The lines already")
})

test_that("a brief that is in order is one with which a run begins, and its errors show no call of R", {
  sales <- "Datum;Artikel;Rechnungsnr;Umsatz\n02.02.2025;Krug;R1;10,50\n13.02.2025;Topf;R2;5,25\n"
  path <- brief_folder("brief: 1\ndata: {lines: sales.csv}\ntables: {t: {by: product}}\noutputs: {folder: out}\n")
  writeLines(sales, file.path(dirname(path), "sales.csv"), sep = "")
  text <- readLines(path)
  checked <- function(revenue, format = ", day_format: \"%d.%m.%Y\"", data = "lines: sales.csv") {
    roles <- sprintf("daybook: {day: Datum, product: Artikel, revenue: %s%s}", revenue, format)
    writeLines(c(sub("lines: sales.csv", data, text), roles), path)
    writeLines(format(check_brief(path)))
  }
  comma <- "lines: {file: sales.csv, decimal_mark: \",\"}"
  expect_snapshot({
    checked("Umsatz", format = "")
    checked("Umsatz")
    checked("Rechnungsnr", data = comma)
    checked("Umsatz", data = comma)
  })
  expect_no_error(quiet(run_brief(path)))
  expect_identical(utils::read.csv(file.path(dirname(path), "out", "t.csv"))$revenue, c(10.5, 5.25))
})
