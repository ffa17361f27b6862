demo_question <- function(..., files = some_files()) {
  run_cli("totals", unname(files[c("order_lines", "orders", "products")]), "--day",
          "order_day",
          "--revenue", "quantity * unit_price * (1 - discount)", "--set-aside", "--keep",
          "reads_as(status, \"delivered\", \"collected\")", "--currency", "Mk", ...)
}

test_that("a question is answered as the functions answer it", {
  run <- demo_question("--by", "region,product", "--within", "region", "--top", "2", "--share", files = demo_files())
  expect_identical(run$status, 0L)
  expect_snapshot(cat(run$stdout))
  expect_true(all(nchar(strsplit(run$stdout, "\n")[[1]]) <= 80))
  csv <- demo_question("--every", "year", "--measures", "revenue,lines", "--change", "year_before", "--running",
                       "--subtotals", "--csv", "--quiet", files = demo_files())
  expect_identical(csv$stderr, "")
  book <- kilnmoor_book()
  t <- totals(book, every = "year", measures = c("revenue", "lines"), subtotals = TRUE) |> add_change() |>
    add_running_total()
  expect_identical(strsplit(csv$stdout, "\n")[[1]], readLines(deliver(t, withr::local_tempfile(fileext = ".csv"))))
})

daybook_with_order <- function(files = some_files()) {
  lines <- attach_table(load_table(files[["order_lines"]]), load_table(files[["orders"]]), by = order_id, need = "any")
  lines <- attach_table(lines, load_table(files[["products"]]), by = product_id, need = "any")
  book <- quiet(daybook(lines, order_day, quantity * unit_price * (1 - discount), product, units = quantity,
                        order = order_id, on_bad = "set_aside", currency = "Mk"))
  quiet(keep_lines(book, reads_as(status, "delivered", "collected")))
}

test_that("measures, periods, crosstabs and picks are answered as the functions answer them", {
  book <- daybook_with_order()
  csv <- function(...) {
    run <- demo_question("--units", "quantity", "--order", "order_id", "--csv", "--quiet", ...)
    expect_identical(run$stderr, "")
    strsplit(run$stdout, "\n")[[1]]
  }
  as_csv <- function(t) readLines(deliver(t, withr::local_tempfile(fileext = ".csv")))
  expect_identical(csv("--by", "region", "--measure", "orders = count_distinct(order)", "--measure",
                       "best_day = largest_of(revenue, per = \"day\", where = channel == \"Web\")", "--measure",
                       "price=ratio_of(revenue, units)"),
                   as_csv(totals(book, by = region, measures = list(
                     orders = count_distinct(order),
                     best_day = largest_of(revenue, per = "day", where = channel == "Web"),
                     price = ratio_of(revenue, units)
                   ))))
  two <- totals(book, by = region, every = c("year", "quarter_of_year"))
  expect_identical(csv("--by", "region", "--every", "year,quarter_of_year", "--crosstab", "year,quarter_of_year",
                       "--sort", "-2024 / Q2"),
                   as_csv(sort_rows(crosstab(two, region, c(year, quarter_of_year)), down(`2024 / Q2`))))
  expect_identical(csv("--by", "category,region", "--share", "--within", "region", "--crosstab", "region", "--of",
                       "revenue_share"),
                   as_csv(crosstab(add_share(totals(book, by = c(category, region)), within = region), category, region,
                                   of = "revenue_share")))
  # A chosen period is taken before shares and picks, and after the change, which needs the period before.
  latest <- in_period(add_change(totals(book, by = c(region, product), every = "year")), "latest")
  expect_identical(csv("--by", "region,product", "--every", "year", "--within", "region", "--share", "--top", "2",
                       "--period", "latest", "--change", "year_before"),
                   as_csv(best_sellers(add_share(latest, within = region), n = 2, within = region)))
  # A word that stands twice is two words.
  expect_identical(csv("--by", "product", "--within", "product", "--top", "1"),
                   as_csv(best_sellers(totals(book, by = product), n = 1, within = product)))
  expect_identical(csv("--by", "region", "--compare", "May 2026", "2025-05"),
                   as_csv(add_change(totals(book, by = region), periods = list(
                     "May 2026" = as.Date(c("2026-05-01", "2026-05-31")),
                     "2025-05" = as.Date(c("2025-05-01", "2025-05-31"))
                   ))))
  expect_identical(csv("--by", "region", "--every", "year", "--change", "year_before", "--as-of", "2026-05-31",
                       "--period", "2026", "--columns", "region,revenue_change"),
                   as_csv(as.data.frame(in_period(add_change(totals(book, by = region, every = "year"),
                                                             as_of = as.Date("2026-05-31")), "2026"))[
                                                               c("region", "revenue_change")]))
  expect_identical(csv("--by", "product,region", "--within", "region", "--best-of-each"),
                   as_csv(best_of_each(totals(book, by = c(product, region)), within = region)))
  expect_identical(csv("--by", "product", "--slow", "2", "--ties", "ordinal"),
                   as_csv(slow_sellers(totals(book, by = product), n = 2, ties = "ordinal")))
  expect_identical(csv("--unsold", demo_files()[["products"]], "--within", "region"),
                   as_csv(unsold(book, load_table(demo_files()[["products"]]), within = region)))
  audited <- demo_question("--by", "region", "--audit")
  expect_match(audited$stdout, "keep: reads_as(status", fixed = TRUE)
  expect_match(audited$stdout, "--audit says", fixed = TRUE)
  several <- demo_question("--keep", "region == \"Vale\"", "--why", "the Vale only",
                           "--leave-out", "revenue < 0", "--by", "region", "--every", "year", "--change", "year_before")
  expect_snapshot(cat(several$stdout))
})

test_that("a file takes the table, and standard input gives the lines", {
  path <- withr::local_tempfile(fileext = ".parquet")
  run <- demo_question("--by", "category", "--out", path)
  expect_match(run$stdout, "6 rows")
  expect_equal(nanoparquet::read_parquet(path)$revenue,
               totals(daybook_with_order(), by = category)$revenue)
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
  expect_snapshot({
    cat(run_cli("totals")$stderr)
    cat(run_cli("totals", "x.csv", "--every", "moth")$stderr)
    cat(demo_question("--by", "regoin")$stderr)
    cat(run_cli("totals", demo_files()[["order_lines"]], "--revenue", "system('id')", "--product",
                "product_id", "--day", "line_id")$stderr)
  })
  expect_identical(run_cli("totals", "x.csv", "--every", "moth")$status, 2L)
  usage <- function(...) cat(run_cli("totals", "x.csv", ...)$stderr)
  expect_snapshot({
    usage("--top", "2", "--slow", "3")
    usage("--audit", "--csv")
    usage("--why", "no reason")
    usage("--compare", "May 2026")
    usage("--keep")
    cat(demo_question("--measure", "x = sum(revenue)")$stderr)
    cat(demo_question("--measure", "x = ratio_of(revenue)")$stderr)
    cat(demo_question("--measure", "x = count_distinct(order, customer_id)")$stderr)
    cat(demo_question("--by", "region", "--compare", "Mai 2026", "x")$stderr)
    cat(demo_question("--by", "region", "--change", "year_before")$stderr)
    cat(demo_question("--by", "region", "--moving", "3")$stderr)
    cat(demo_question("--by", "region,category", "--top", "1", "--others", "--crosstab", "region")$stderr)
    cat(demo_question("--by", "region", "--columns", "regoin")$stderr)
    cat(demo_question("--by", "regoin", "--share", "--within", "town", "--keep", "shiped", "--order", "no")$stderr)
    cat(demo_question("--as-of", "May", "--change", "year_before", "--every", "year")$stderr)
  })
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
  for (locale in c("C", "")[some_of(2, 1)]) {
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

test_that("a folder, a database and lines in chunks answer as one file does", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "sales"))
  sales <- strsplit(small_sales, "\n")[[1]]
  writeLines(sales[1:3], file.path(folder, "sales", "a.csv"))
  writeLines(sales[c(1, 4:6)], file.path(folder, "sales", "b.csv"))
  writeLines(sales, file.path(folder, "all.csv"))
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "shop.sqlite"))
  DBI::dbWriteTable(con, "sales", as.data.frame(load_table(file.path(folder, "all.csv"), types = c(day = "text"))))
  DBI::dbDisconnect(con)
  withr::local_envvar(SHOP = paste0("sqlite:", file.path(folder, "shop.sqlite")))
  asked <- c("--by", "region,product", "--every", "year", "--subtotals", "--keep", "status == \"paid\"", "--change",
             "year_before")
  one <- run_cli("totals", file.path(folder, "all.csv"), asked)
  expect_match(one$stdout, "11.50")
  expect_identical(run_cli("totals", file.path(folder, "sales"), asked)$stdout, one$stdout)
  expect_identical(run_cli("totals", "sales", "--database", "SHOP", asked)$stdout, one$stdout)
  said <- run_cli("survey", "sales", "--database", "SHOP")$stdout
  expect_match(said, "Survey of 5 lines")
  said <- run_cli("survey", file.path(folder, "sales", "*.csv"))$stdout
  expect_match(said, "Survey of 5 lines")
  said <- run_cli("totals", "sals", "--database", "SHOP")$stderr
  expect_match(said, "Did you mean \"sales\"")
  withr::local_options(hinterfeld.in_memory = 10)
  chunks <- run_cli("totals", file.path(folder, "sales"), asked)
  expect_identical(chunks$stdout, one$stdout)
  expect_match(chunks$stderr, "in\\s+chunks\\s+and\\s+tallying\\s+each")
  expect_identical(run_cli("totals", file.path(folder, "sales"), asked, "--quiet")$stderr, "")
})

test_that("a brief's lines, roles and restrictions are asked, from any folder, and options take their place", {
  folder <- withr::local_tempdir()
  quiet(file.copy(demo_files(), folder))
  file.copy(demo_brief(), file.path(folder, "hinterfeld.yaml"))
  told <- run_cli("totals", file.path(folder, "hinterfeld.yaml"), "--by", "region", "--csv")
  expect_identical(told$status, 0L)
  expect_equal(utils::read.csv(text = told$stdout), as.data.frame(totals(kilnmoor_book(), by = region)))
  web <- run_cli("totals", file.path(folder, "hinterfeld.yaml"), "--keep", "channel == \"Web\"", "--every", "year",
                 "--json", "--target", demo_files()[["targets"]])
  expect_match(web$stderr, "the table is not split by it")
  web <- run_cli("totals", file.path(folder, "hinterfeld.yaml"), "--keep", "channel == \"Web\"", "--every", "year",
                 "--json")
  expect_equal(jsonlite::fromJSON(web$stdout)$rows$revenue,
               totals(keep_lines(kilnmoor_book(), channel == "Web"), every = "year")$revenue)
  open <- run_cli("totals", file.path(folder, "hinterfeld.yaml"), "--every", "month", "--closed", "Sunday,2026-09-01",
                  "--change", "period_before", "--per-open-day", "--csv", "--covers", "2023-01-01", "2026-09-30")
  last <- utils::tail(utils::read.csv(text = open$stdout), 1)
  expect_identical(c(last$month, last$comparable, last$revenue_open_days), c("2026-09-01", "full", "25"))
  # The one of this folder needs no name.
  here <- withr::with_dir(folder, run_cli("totals", "--by", "category", "--rows", "all", "--currency", "Kr"))
  expect_match(here$stderr, "Lines, roles and restrictions are those of hinterfeld.yaml")
  expect_match(here$stdout, "Revenue by category \\(Kr\\)(.|\n)*1 286 475[.]09")
  expect_match(run_cli("totals", file.path(folder, "hinterfeld.yaml"), demo_files()[["orders"]])$stderr,
               "names\\s+its\\s+own\\s+files,\\s+so\\s+give\\s+no\\s+others")
  expect_match(withr::with_dir(tempdir(), run_cli("totals", "--by", "category"))$stderr, "FILE is missing")
})

test_that("every added column that has an option is that of R", {
  sales <- file.path(withr::local_tempdir(), "sales.csv")
  lines <- as.data.frame(quiet(lines_of(kilnmoor_book())))[c("day", "product", "revenue", "region")]
  lines$day <- format(lines$day)
  utils::write.csv(lines[seq(1, nrow(lines), by = 7), ], sales, row.names = FALSE)
  book <- quiet(daybook(load_table(sales), day, revenue, product))
  same <- function(options, t) {
    told <- run_cli(c("totals", sales, options, "--csv"))
    ours <- as.data.frame(utils::read.csv(text = told$stdout))
    path <- deliver(quiet(t), withr::local_tempfile(fileext = ".csv"))
    expect_equal(ours, utils::read.csv(path), info = paste(options, collapse = " "))
  }
  months <- quiet(totals(book, every = "month"))
  same(c("--every", "month", "--running", "--restart", "year"), add_running_total(months, restart = "year"))
  same(c("--every", "month", "--moving", "3"), add_moving(months, last = 3))
  regions <- totals(book, by = region)
  same(c("--by", "region", "--rank", "--ascending"), add_rank(regions, highest_first = FALSE))
  same(c("--by", "region", "--pareto"), add_pareto(regions))
  same(c("--by", "region", "--top", "2", "--others"), best_sellers(regions, 2, others = TRUE))
  # A crosstab shows the measure and what was added to it.
  years <- totals(book, by = region, every = "year")
  grid <- c("--by", "region", "--every", "year", "--crosstab", "year")
  same(c(grid, "--change", "year_before"),
       crosstab(add_change(years), region, year, of = c("revenue", "revenue_change", "revenue_change_pct")))
  same(c(grid, "--moving", "2"), crosstab(add_moving(years, last = 2), region, year,
                                          of = c("revenue", "revenue_moving_sum")))
  expect_match(run_cli("totals", sales, "--every", "year", "--crosstab", "year")$stderr, "leaves none\\s+for its rows")
  expect_match(run_cli("totals", sales, "--period", "2025")$stderr, "has\\s+no\\s+periods")
  days <- totals(book, by = region, every = "quarter", fill = TRUE)
  same(c("--by", "region", "--every", "quarter", "--fill"), days)
  for (wrong in list(c("--restart", "year"), c("--ascending"), c("--others"), c("--as-of", "2026-01-01"))) {
    expect_match(run_cli(c("totals", sales, wrong))$stderr, sprintf("%s goes with --", wrong[1]), fixed = TRUE)
  }
  expect_match(run_cli("totals", sales, "--csv", "--json")$stderr, "use only one of --audit, --csv and --json")
  expect_match(run_cli("totals", sales, "--running", "--every", "month", "--restart", "moon")$stderr,
               "--restart cannot be")
})
