# Two runs, the second after one more line, one line less and a product gone.
two_runs <- function(env = parent.frame()) {
  path <- brief_folder(env = env)
  folder <- dirname(path)
  text <- readLines(path)
  writeLines(text, path)
  quiet(run_brief(path, into = file.path(folder, "old")))
  lines <- readLines(file.path(folder, "sales.csv"))
  writeLines(c(lines[-2], sub("^[^,]*,[^,]*,", "2026-02-03,New bowl,", lines[3])), file.path(folder, "sales.csv"))
  quiet(run_brief(path, into = file.path(folder, "new")))
  folder
}

test_that("what changed between two runs is told row by row, the largest first", {
  folder <- two_runs()
  old <- file.path(folder, "old")
  new <- file.path(folder, "new")
  changed <- what_changed(old, new)
  expect_true(all(changed$what %in% c("new", "gone", "different")))
  name <- changed$table[1]
  tables <- lapply(file.path(c(old, new), paste0(name, ".csv")), function(path) quiet(load_table(path)))
  own <- changed[changed$table == name, ]
  expect_false(is.unsorted(-abs(own$difference)))
  expect_identical(own$difference, replace(own$after, is.na(own$after), 0) - replace(own$before, is.na(own$before), 0))
  expect_equal(sum(own$difference[own$column == "revenue"]), sum(tables[[2]]$revenue) - sum(tables[[1]]$revenue))
  printed <- run_cli("compare", old, new)
  expect_identical(printed$status, 0L)
  expect_snapshot(cat(gsub("[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9:]{8}", "THEN", printed$stdout)))
  same <- what_changed(new, new)
  expect_identical(nrow(same), 0L)
  expect_match(format(same), "No table has changed", all = FALSE)
  said <- run_cli("compare", old, folder)$stderr
  expect_match(said, "There is no record of a run")
})

test_that("rows of periods have the names that the brief's calendar gives them", {
  text <- sub("(?s)tables:.*(?=outputs:)", "tables:
  quarters: {by: product, every: quarter, subtotals: true}
", sub("revenue: revenue", "revenue: revenue\n  calendar: {year_starts: 04-01}", small_brief), perl = TRUE)
  path <- brief_folder(text)
  folders <- file.path(dirname(path), c("old", "new"))
  quiet(run_brief(path, into = folders[1]))
  cat("2026-04-02,Sieve,Vale,paid,1\n", file = file.path(dirname(path), "sales.csv"), append = TRUE)
  quiet(run_brief(path, into = folders[2]))
  label <- period_label(as.Date("2026-04-01"), "quarter", sales_calendar("04-01"))
  expect_setequal(what_changed(folders[1], folders[2])$row,
                  c(paste0(label, ", Sieve"), paste0(label, ", Total"), "Total, Total"))
  # An older record says nothing of periods.
  record <- jsonlite::read_json(file.path(folders[2], "run.json"))
  record$outputs[[1]]$periods <- NULL
  record$calendar <- NULL
  write <- function() {
    writeLines(jsonlite::toJSON(record, auto_unbox = TRUE, null = "null"), file.path(folders[2], "run.json"))
  }
  write()
  expect_true("2026-04-01, Sieve" %in% what_changed(folders[1], folders[2])$row)
  record$outputs[[1]]$periods <- list(quarter = "fortnight")
  write()
  expect_error(what_changed(folders[1], folders[2]), class = "hinterfeld_error_file")
})

test_that("rows are found by their keys, whatever their order, blanks and subtotals among them", {
  text <- sub("(?s)tables:.*(?=outputs:)", "tables:
  goods: {by: [product, region], measures: [revenue, lines], sort: [-revenue]}
  all: {by: [region, product], subtotals: true}
", small_brief, perl = TRUE)
  sold <- function(...) paste0(c("day,product,revenue,status,region", ...), collapse = "\n")
  ran <- function(data) {
    path <- brief_folder(text, paste0(data, "\n"), parent.frame())
    quiet(run_brief(path))
    file.path(dirname(path), "out")
  }
  before <- ran(sold("2026-03-02,a,1,paid,x", "2026-03-02,b,2,paid,x", "2026-03-02,c,3,paid,"))
  after <- ran(sold("2026-03-02,c,3,paid,", "2026-03-02,d,9,paid,x", "2026-03-02,a,0.5,paid,x",
                    "2026-03-02,a,0.5,paid,x"))
  found <- what_changed(before, after)
  goods <- found[found$table == "goods", ]
  expect_identical(goods$row, c("d, x", "b, x", "a, x"))
  expect_identical(goods$what, c("new", "gone", "different"))
  expect_identical(goods$column, c("revenue", "revenue", "lines"))
  expect_identical(goods$difference, c(9, -2, 1))
  expect_true("Total" %in% sub(",.*$", "", found$row[found$table == "all"]))
})

test_that("a file that is not as its run left it is named, and not compared", {
  folder <- two_runs()
  old <- file.path(folder, "old")
  new <- file.path(folder, "new")
  cat("Reef,1,2\n", file = file.path(new, "regions.csv"), append = TRUE)
  changed <- what_changed(old, new)
  expect_identical(nrow(changed), 0L)
  said <- function(changed) gsub("\\s+", " ", paste(format(changed), collapse = " "))
  expect_match(said(changed), "regions.csv in [^ ]*new\" was changed after its run")
  unlink(file.path(old, "regions.csv"))
  expect_match(said(what_changed(old, new)), "regions.csv in [^ ]*old\" was removed after its run")
})

test_that("what no run has written is no record, whatever it holds", {
  folder <- two_runs()
  path <- file.path(folder, "new", "run.json")
  sound <- readLines(path)
  record <- jsonlite::read_json(path)
  hurt <- function(change) {
    writeLines(jsonlite::toJSON(change(record), auto_unbox = TRUE, digits = NA, null = "null"), path)
    expect_error(what_changed(file.path(folder, "old"), file.path(folder, "new")), "There is no record of a run",
                 class = "hinterfeld_error_file")
  }
  for (field in c("brief", "inputs", "versions", "lines", "audit", "outputs", "started")) {
    hurt(function(record) record[setdiff(names(record), field)])
    hurt(function(record) replace(record, field, list(7)))
  }
  hurt(function(record) utils::modifyList(record, list(lines = list(kept = "many"))))
  hurt(function(record) utils::modifyList(record, list(headline = list(best_sellers = list(1)))))
  hurt(function(record) {
    record$outputs[[1]]$file <- "../../other.csv"
    record
  })
  hurt(function(record) {
    record$audit[[1]]$revenue_after <- "much"
    record
  })
  writeLines(paste(c(rep("[", 1e5), rep("]", 1e5)), collapse = ""), path)
  expect_error(what_changed(file.path(folder, "old"), file.path(folder, "new")), class = "hinterfeld_error_file")
  # A run goes on all the same, and nothing of the folder is taken for its own.
  brief <- file.path(folder, "job.yaml")
  writeLines(sound, path)
  expect_silent(quiet(what_changed(file.path(folder, "old"), file.path(folder, "new"))))
})

test_that("what stands out now and did not in the earlier run is told, of briefs with a report", {
  days <- seq(as.Date("2024-01-01"), as.Date("2026-06-30"), by = 1)
  sales <- data.frame(day = days, product = c("Bowl", "Jug"), revenue = 10, status = "paid", region = "Vale")
  lines <- function(sales) paste0(c(paste(names(sales), collapse = ","), do.call(paste, c(sales, sep = ","))), "\n")
  path <- brief_folder(paste0(small_brief, "report: {sections: [findings]}\n"), lines(sales))
  ran <- function(sales, into) {
    writeLines(lines(sales), file.path(dirname(path), "sales.csv"), sep = "")
    quiet(run_brief(path, into = file.path(dirname(path), into)))
    file.path(dirname(path), into)
  }
  before <- ran(sales, "before")
  expect_true("change" %in% lapply(record_in(before)$findings, function(found) found$kind))
  # Bowls are not sold any more.
  after <- ran(sales[sales$product == "Jug" | sales$day < "2026-04-01", ], "after")
  changed <- what_changed(before, after)
  expect_match(format(changed), "* No sale of Bowl for 8 weeks", fixed = TRUE, all = FALSE)
  expect_match(run_cli("compare", before, after)$stdout, "What stands out now and did not before:")
  expect_false(any(grepl("stands out", format(what_changed(after, after)))))
  # Whoever did not look before has nothing to compare with.
  writeLines(sub("report: .*", "", paste(readLines(path), collapse = "\n")), path)
  plain <- ran(sales, "plain")
  expect_length(record_in(plain)$findings, 0)
  expect_false(any(grepl("stands out", format(what_changed(plain, after)))))
})
