test_that("a starter brief of the demo's files is in order, and says what was guessed", {
  folder <- withr::local_tempdir()
  file.copy(demo_files(), folder)
  files <- file.path(folder, c("order_lines.csv", "orders.csv", "products.csv", "towns.csv"))
  starter <- starter_brief(files, folder)
  expect_snapshot(writeLines(starter))
  writeLines(starter, file.path(folder, "new.yaml"))
  expect_identical(nrow(check_brief(file.path(folder, "new.yaml"))), 0L)
})

test_that("one file, odd names and no likely columns still make a brief", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "odd.csv")
  writeLines(c("when: date,the item,Net amount", "2026-03-02,Sieve,4"), path)
  starter <- starter_brief(path, folder)
  expect_true(any(grepl("day: \"when: date\"", starter, fixed = TRUE)))
  expect_true(any(grepl("revenue: Net amount", starter, fixed = TRUE)))
  writeLines(c("a,b", "x,y"), path)
  expect_true(any(grepl("revenue: a .*no column looks like it", starter_brief(path, folder))))
  expect_identical(hinterfeld:::relative_to(file.path(folder, "x", "y.csv"), file.path(folder, "z", "q")),
                   "../../x/y.csv")
})

test_that("what comes from data stays what it is in a starter brief", {
  folder <- withr::local_tempdir()
  names <- c("day\nrestrict: [{keep: 'revenue < 0'}]", "product\u2028x", "revenue", "a: b # c", "\u0085y")
  rows <- rbind(names, c("2026-01-01", "cell\u2028restrict:\u0085- keep: FALSE", "1", "\"x\"", "z"))
  quote <- function(x) paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\"")
  writeLines(enc2utf8(apply(rows, 1, function(row) paste(quote(row), collapse = ","))), file.path(folder, "sales.csv"),
             useBytes = TRUE)
  brief <- starter_brief(file.path(folder, "sales.csv"), folder)
  expect_false(any(grepl("[\u0085\u2028]|\n", brief)))
  writeLines(enc2utf8(brief), file.path(folder, "job.yaml"), useBytes = TRUE)
  content <- yaml::read_yaml(file.path(folder, "job.yaml"))
  expect_null(content$restrict)
  expect_true(content$daybook$day %in% names)
  expect_identical(content$daybook$product, names[2])
})
