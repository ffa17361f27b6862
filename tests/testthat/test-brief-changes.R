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

test_that("rows are found by their keys, whatever their order, blanks among them", {
  before <- data.frame(item = c("a", "b", NA), day = "x", revenue = c(1, 2, 3), units = 1:3)
  after <- data.frame(item = c(NA, "c", "a"), day = "x", revenue = c(3, 9, 1), units = c(3L, 1L, 7L))
  found <- row_changes("t", c("item", "day"), before, after)
  expect_identical(found$row, c("c, x", "a, x", "b, x"))
  expect_identical(found$what, c("new", "different", "gone"))
  expect_identical(found$column, c("revenue", "units", "revenue"))
  expect_identical(found$difference, c(9, 6, -2))
  expect_identical(row_changes("t", "item", NULL, after)$what, rep("new", 3))
})

test_that("the rows of a listing are told by its scopes and products, not by when these were last sold", {
  products <- quiet(load_table(demo_files()[["products"]]))
  expect_identical(row_keys(unsold(kilnmoor_book(), products, within = region)), c("region", "product"))
  t <- totals(kilnmoor_book(), by = c(region, product), subtotals = TRUE)
  expect_identical(row_keys(best_of_each(t, within = region)), "region")
  expect_identical(row_keys(t), c("region", "product"))
  expect_identical(row_keys(data.frame(a = "x", day = as.Date("2026-03-02"), n = 1)), c("a", "day"))
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
  record <- hinterfeld:::file_json(path)
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
