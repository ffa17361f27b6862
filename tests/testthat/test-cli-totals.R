demo_question <- function(...) {
  run_cli("totals", demo_files()[["order_lines"]], demo_files()[["orders"]], demo_files()[["products"]], "--day",
          "order_day",
          "--revenue", "quantity * unit_price * (1 - discount)", "--set-aside", "--keep",
          "reads_as(status, \"delivered\", \"collected\")", "--currency", "Mk", ...)
}

test_that("a question is answered as the functions answer it", {
  run <- demo_question("--by", "region,product", "--within", "region", "--top", "2", "--share")
  expect_identical(run$status, 0L)
  expect_snapshot(cat(run$stdout))
  expect_true(all(nchar(strsplit(run$stdout, "\n")[[1]]) <= 80))
  csv <- demo_question("--every", "year", "--measures", "revenue,lines", "--change", "year_before", "--running",
                       "--subtotals", "--csv", "--quiet")
  expect_identical(csv$stderr, "")
  book <- kilnmoor_book()
  t <- totals(book, every = "year", measures = c("revenue", "lines"), subtotals = TRUE) |> add_change() |>
    add_running_total()
  expect_identical(strsplit(csv$stdout, "\n")[[1]], readLines(deliver(t, withr::local_tempfile(fileext = ".csv"))))
})

test_that("a file takes the table, and standard input gives the lines", {
  path <- withr::local_tempfile(fileext = ".parquet")
  run <- demo_question("--by", "category", "--out", path)
  expect_match(run$stdout, "6 rows")
  expect_equal(nanoparquet::read_parquet(path)$revenue, totals(kilnmoor_book(), by = category)$revenue)
  piped <- processx::run("sh", c("-c", sprintf("cat '%s' | '%s' '%s' totals - --by region --quiet", local({
    file <- withr::local_tempfile(.local_envir = parent.frame(2))
    writeLines(small_sales, file, sep = "")
    file
  }), file.path(R.home("bin"), "Rscript"), system.file("cli", "hinterfeld", package = "hinterfeld"))),
  env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  expect_match(piped$stdout, "Vale +29.25")
  expect_match(piped$stdout, "not given +24.00")
})

test_that("a reader that has seen enough is no error", {
  file <- withr::local_tempfile()
  days <- format(as.Date("2020-01-01") + 0:2000)
  writeLines(c("day,product,revenue", sprintf("%s,product %d,1.00", rep(days, each = 30), 1:30)), file)
  script <- sprintf("'%s' '%s' totals '%s' --by product --every day --csv; echo $? >&3",
                    file.path(R.home("bin"), "Rscript"),
                    system.file("cli", "hinterfeld", package = "hinterfeld"), file)
  code <- withr::local_tempfile()
  run <- processx::run("sh", c("-c", sprintf("{ %s; } 3>'%s' | head -n 1", script, code)),
                       env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  expect_identical(run$stdout, "day,product,revenue\n")
  expect_identical(run$stderr, "")
  expect_identical(readLines(code), "0")
})

test_that("wrong options and expressions say what to do", {
  expect_snapshot(cat(run_cli("totals")$stderr))
  expect_snapshot(cat(run_cli("totals", "x.csv", "--every", "moth")$stderr))
  expect_snapshot(cat(demo_question("--by", "regoin")$stderr))
  expect_snapshot(cat(run_cli("totals", demo_files()[["order_lines"]], "--revenue", "system('id')", "--product",
                              "product_id", "--day", "line_id")$stderr))
  expect_identical(run_cli("totals", "x.csv", "--every", "moth")$status, 2L)
})

test_that("repeated words and conditions are kept in their order", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(small_sales, file, sep = "")
  ask <- function(...) run_cli("totals", file, ..., "--csv", "--quiet")
  run <- ask("--by", "product", "--within", "product", "--rank")
  expect_identical(run$status, 0L)
  expect_identical(ask("--by", "product", "--top", "3", "--rows", "3")$status, 0L)
  run <- ask("--by", "region", "--keep", "status == \"paid\"", "--leave-out=region == \"Highfen\"", "--keep",
             "revenue > 6")
  expect_identical(run$stdout, "region,revenue\nVale,11.50\n")
})

test_that("the numbers of a condition on text do not depend on the locale", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(enc2utf8(c("day,product,region,revenue", "2026-01-01,a,Vall\u00e9e,1", "2026-01-02,b,Vale,2")), file,
             useBytes = TRUE)
  for (locale in c("C", "")) {
    run <- run_process("totals", file, "--keep", "region == \"Vall\u00e9e\"", "--by", "region", "--csv", "--quiet",
                       env = c(LC_ALL = locale, LANG = ""))
    expect_identical(run$stdout, "region,revenue\nVall\u00e9e,1.00\n", label = locale)
  }
})

test_that("options of whole numbers take no others, and a name keeps its line ends", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(small_sales, file, sep = "")
  for (wrong in list(c("--top", "1.5"), c("--top", "x"), c("--top", "0"), c("--decimals", "two"))) {
    run <- run_cli("totals", file, "--by", "product", wrong)
    expect_identical(run$status, 2L, label = paste(wrong, collapse = " "))
    expect_match(run$stderr, "whole number")
  }
  writeBin(charToRaw("day,product,revenue\n2026-01-01,\"a\rb\",1\n"), file)
  run <- run_process("totals", file, "--by", "product", "--csv")
  expect_match(run$stdout, "a\rb", fixed = TRUE)
})
