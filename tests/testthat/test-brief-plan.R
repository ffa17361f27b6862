test_that("what a run would write is what it writes, and saying so changes nothing", {
  text <- sub("outputs:.*$", "outputs: {tables: [csv, json], figures: [png, svg], workbook: all.xlsx}
figures: {bars: {draw: ranking, table: regions}}
report: {sections: [headline], file: page.html}
", small_brief)
  path <- brief_folder(text)
  withr::local_dir(dirname(path))
  plan <- run_cli("run", "job.yaml", "--dry", "--store", "kept")
  expect_identical(plan$status, 0L)
  expect_identical(sort(list.files()), c("job.yaml", "sales.csv"))
  expect_snapshot(cat(plan$stdout))
  quiet(run_brief("job.yaml"))
  named <- sub("^  ", "", grep("^  [^ ]+$", strsplit(plan$stdout, "\n")[[1]], value = TRUE))
  expect_setequal(named, list.files("job-out"))
  again <- run_cli("run", "job.yaml", "--dry")$stdout
  expect_match(again, "Would write nothing: \"job-out\" is up to date since the run of", fixed = TRUE)
  expect_match(run_cli("run", "job.yaml", "--dry", "--again")$stdout, "in place of its last run", fixed = TRUE)
  writeLines(sub("day: day", "dya: day", readLines("job.yaml")), "wrong.yaml")
  expect_identical(run_cli("run", "wrong.yaml", "--dry")$status, 1L)
})
