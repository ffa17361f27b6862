test_that("the demo prints the audit, the first days and what it wrote", {
  run <- demo_run()
  out <- run$out
  expect_identical(run$status, 0L)
  expect_snapshot(cat(run$stdout), transform = function(lines) gsub(out, "OUT", lines, fixed = TRUE))
  expect_true(all(c("daily_product_revenue.csv", "kilnmoor.xlsx", "report.html", "towns.png",
                    "run.json") %in% list.files(out)))
  daily <- utils::read.csv(file.path(out, "daily_product_revenue.csv"))
  monthly <- utils::read.csv(file.path(out, "monthly_product_revenue.csv"))
  expect_identical(names(daily), c("day", "product", "revenue"))
  expect_equal(sum(monthly$revenue), sum(daily$revenue))
})

test_that("a folder that cannot be made is a failure", {
  file <- withr::local_tempfile(lines = "in the way")
  run <- run_cli("demo", "--out", file)
  expect_identical(run$status, 1L)
  expect_match(run$stderr, "is a file,\\s+not a\\s+folder")
})

test_that("every command's help shows an example", {
  listed <- regmatches(help <- run_cli("--help")$stdout, gregexpr("(?m)^  [a-z]+(?=  )", help, perl = TRUE))[[1]]
  commands <- trimws(listed)
  expect_gte(length(commands), 10)
  for (command in commands) {
    help <- run_cli(command, "--help")
    expect_identical(help$status, 0L)
    expect_match(help$stdout, paste("Example:\n  hinterfeld", command))
    expect_true(all(nchar(strsplit(help$stdout, "\n")[[1]]) <= 80), label = command)
    expect_snapshot(cat(help$stdout))
  }
})
