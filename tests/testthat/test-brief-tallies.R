test_that("a brief in chunks writes the bytes of a brief at once", {
  folder <- withr::local_tempdir()
  part <- list(a = 1:250, b = 251:400)
  sales <- random_sales(12)
  dir.create(file.path(folder, "sales"))
  for (name in names(part)) utils::write.csv(sales[part[[name]], ], file.path(folder, "sales", paste0(name, ".csv")),
                                             na = "", row.names = FALSE)
  writeLines("region,island\nVale,yes\nHighfen,no", file.path(folder, "regions.csv"))
  brief <- file.path(folder, "job.yaml")
  writeLines(c(
    "brief: 1", "data:", "  lines: {file: sales/, types: {day: text, price: text}}",
    "  attach: [{table: regions.csv, by: region, need: any}]",
    "daybook: {day: day, product: product, revenue: price * pieces, units: pieces, on_bad: set_aside}",
    "restrict:", "  - leave_out: island == \"no\"", "  - keep: day >= as.Date(\"2024-01-15\")", "tables:",
    "  monthly: {by: product, every: month, subtotals: true, fill: true, add: [{change: {}}, {share: {}}]}",
    "  kept: {by: region, keep: [\"status == 'paid'\"], measures: [lines, {dearest: {largest_of: revenue, per: day}}]}",
    "  grid: {by: [region, product], every: quarter, crosstab: {rows: [region, product], columns: quarter}}",
    "  best: {by: [region, product], pick: {best_sellers: {n: 1, within: region}}}",
    "  why: {by: region, every: month, add: [{change: {versus: period_before}}, {causes: {}}]}",
    "outputs: {tables: [csv, json]}"
  ), brief)
  quiet(run_brief(brief, into = file.path(folder, "at_once")))
  withr::local_options(hinterfeld.in_memory = 10, hinterfeld.block = 2500)
  expect_message(run_brief(brief, into = file.path(folder, "chunks")), "Reading .* in chunks")
  files <- setdiff(list.files(file.path(folder, "at_once")), "run.json")
  expect_length(files, 10)
  for (file in files) {
    expect_identical(readLines(file.path(folder, "chunks", file)), readLines(file.path(folder, "at_once", file)),
                     label = file)
  }
  records <- lapply(file.path(folder, c("at_once", "chunks"), "run.json"), jsonlite::read_json)
  expect_identical(records[[2]][c("lines", "audit", "inputs")], records[[1]][c("lines", "audit", "inputs")])
})

test_that("a brief reads the columns that it uses, and says which", {
  path <- brief_folder()
  said <- character()
  withCallingHandlers(run_brief(path), hinterfeld_message = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleMessage")
  })
  expect_false(any(grepl("columns are used", said)))
  noted <- sub("(status|paid|open),", "\\1,note,", strsplit(small_sales, "\n")[[1]])
  writeLines(noted, file.path(dirname(path), "sales.csv"))
  expect_message(run_brief(path), "5 of 6 columns are used: day, product, region, status, revenue")
})
