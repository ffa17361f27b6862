# Parts of random lines with difficulties, and a brief that asks much of them.
part_lines <- function(seed, n = 120) {
  withr::with_seed(seed, data.frame(
    ticket = sample(c(sprintf("T%03d", 1:60), NA), n, TRUE),
    day = as.character(as.Date("2025-11-01") + sample(150, n, TRUE)),
    product = sample(c("Bowl", "Cup", "Jug", "Pot", NA), n, TRUE, c(4, 4, 3, 2, 0.3)),
    price = ifelse(stats::runif(n) < 0.02, "?", sprintf("%.2f", stats::runif(n, 1, 90))), pieces = sample(1:9, n, TRUE),
    shop = sample(c("Oldkiln", "Reedholm", "Ebbwick"), n, TRUE),
    status = sample(c("paid", "Paid ", "open", NA), n, TRUE)
  ))
}

write_part <- function(folder, name, seed, n = 120) {
  utils::write.csv(part_lines(seed, n), file.path(folder, "sales", name), row.names = FALSE, na = "")
}

stored_brief <- function(env = parent.frame(), tables = NULL, light = TRUE,
                       lines = "{file: sales/, types: {day: text, price: text}}") {
  folder <- withr::local_tempdir(.local_envir = env)
  dir.create(file.path(folder, "sales"))
  writeLines(c("shop,region", "Oldkiln,Vale", "Reedholm,Highfen", "Ebbwick,Saltcoast", "Gullhythe,Saltcoast"),
             file.path(folder, "shops.csv"))
  writeLines(c(
    "brief: 1", "data:", paste("  lines:", lines),
    "  attach: [{table: shops.csv, by: shop, need: any}]",
    "daybook: {day: day, product: product, revenue: price * pieces, units: pieces, order: ticket, on_bad: set_aside}",
    "restrict:", "  - {keep: 'reads_as(status, \"paid\")', why: paid}", "  - keep: day >= as.Date(\"2025-11-20\")",
    "tables:", "  monthly: {by: [region, product], every: month, subtotals: true, add: [{change: {}}]}",
    "  best: {by: product, measures: [revenue, {day: {largest_of: revenue, per: day}}, {n: {count_distinct: order}}]}",
    tables, "  shops_by_month: {by: region, every: month}",
    if (!light) c("figures:", "  trend: {draw: trend, table: shops_by_month}",
                  "report: {sections: [headline, weekdays, left_out]}"),
    if (light) "outputs: {tables: [csv]}" else "outputs: {tables: [csv, json], figures: [svg], workbook: all.xlsx}"
  ), file.path(folder, "job.yaml"))
  folder
}

# Runs with kept parts; gives what was said of them. Only what a test has `hurt` is damaged.
run_stored <- function(folder, hurt = FALSE) {
  said <- character()
  withCallingHandlers(
    run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), store = file.path(folder, "kept")),
    hinterfeld_message = function(cnd) {
      if (!hurt && inherits(cnd, "hinterfeld_message_kept_damaged")) testthat::fail(conditionMessage(cnd))
      said <<- c(said, conditionMessage(cnd))
      invokeRestart("muffleMessage")
    }
  )
  grep("kept", said, value = TRUE)
}

# Runs with kept parts, and afresh; gives what was said of parts, which must match `pattern`.
expect_as_fresh <- function(folder, pattern = NULL) {
  said <- run_stored(folder)
  if (!is.null(pattern)) testthat::expect_match(said, pattern, all = FALSE)
  quiet(run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "fresh"), again = TRUE))
  records <- lapply(c("out", "fresh"), function(into) jsonlite::read_json(file.path(folder, into, "run.json")))
  records <- lapply(records, function(record) record[setdiff(names(record), c("started", "seconds", "times"))])
  testthat::expect_identical(records[[1]], records[[2]])
  for (output in records[[2]]$outputs) {
    both <- file.path(folder, c("out", "fresh"), output$file)
    testthat::expect_identical(rlang::hash_file(both[1]), rlang::hash_file(both[2]), label = output$file)
  }
  said
}

# What a run says of its parts; nothing where nothing is new. Whether it is right is looked at with the next fresh one.
expect_said <- function(folder, pattern = NULL, hurt = FALSE) {
  said <- run_stored(folder, hurt)
  if (is.null(pattern)) testthat::expect_length(said, 0) else testthat::expect_match(said, pattern, all = FALSE)
}
