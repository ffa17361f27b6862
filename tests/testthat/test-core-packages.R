# A library with the packages that this one imports, and what these need, and no other.
library_of_imports <- function(env = parent.frame()) {
  known <- utils::installed.packages()
  needs <- tools::package_dependencies("hinterfeld", known, c("Depends", "Imports"), recursive = TRUE)[[1]]
  needs <- setdiff(needs, rownames(known)[known[, "Priority"] %in% "base"])
  folder <- withr::local_tempdir(.local_envir = env)
  file.symlink(find.package(c("hinterfeld", needs)), folder)
  folder
}

test_that("without any suggested package it loads, totals, prints and delivers CSV, and says what is missing", {
  skip_on_os("windows")
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(c(
    "missing <- c('shiny', 'DBI', 'nanoparquet', 'openxlsx', 'zip', 'readxl', 'svglite', 'commonmark')",
    "stopifnot(!vapply(missing, rlang::is_installed, NA))",
    "library(hinterfeld)",
    "t <- add_rank(totals(demo_daybook(), by = region))",
    "print(t)",
    "path <- deliver(t, file.path(tempdir(), 'regions.csv'))",
    "writeLines(readLines(path, 2))",
    "deliver(figure_ranking(t), file.path(tempdir(), 'regions.png'))",
    "said <- function(code) cat(tryCatch(code, hinterfeld_error_package = conditionMessage), sep = '\\n')",
    "said(deliver(t, file.path(tempdir(), 'regions.xlsx')))",
    "said(deliver(t, file.path(tempdir(), 'regions.parquet')))",
    "said(deliver(figure_ranking(t), file.path(tempdir(), 'regions.svg')))",
    "writeBin(charToRaw('PK'), 'regions.xlsx')",
    "said(load_table('regions.xlsx'))",
    "said(open_desk(t))",
    "said(sales_report(demo_daybook(), file.path(tempdir(), 'r.html'), words = '*a*', sections = 'headline'))",
    "Sys.setenv(SHOP = 'sqlite:shop.sqlite')",
    "writeLines(c('brief: 1', 'data: {lines: {database: SHOP, table: sales}}',",
    "  'daybook: {day: day, product: product, revenue: revenue}', 'tables: {all: {by: product}}'), 'shop.yaml')",
    "cat(unlist(check_brief('shop.yaml')[c('problem', 'hint')]), sep = '\\n')"
  ), script)
  run <- processx::run(
    file.path(R.home("bin"), "Rscript"), c("--no-environ", script), wd = dirname(script), error_on_status = FALSE,
    stderr_to_stdout = TRUE, encoding = "UTF-8",
    env = c("current", R_LIBS = library_of_imports(), R_LIBS_SITE = "none", R_LIBS_USER = "none", LC_ALL = "C.UTF-8")
  )
  expect_snapshot(writeLines(run$stdout))
  expect_identical(run$status, 0L)
})

test_that("at most 15 packages besides those of R itself are imported", {
  asked <- strsplit(utils::packageDescription("hinterfeld")$Imports, "[[:space:]]*,[[:space:]]*")[[1]]
  base <- rownames(utils::installed.packages(priority = "base"))
  expect_lte(length(setdiff(sub("[ (].*$", "", asked), base)), 15)
})

test_that("no package that groups or totals tables is used", {
  sources <- Filter(is.function, as.list(asNamespace("hinterfeld"), all.names = TRUE))
  called <- unlist(lapply(sources, function(x) {
    lines <- deparse(x)
    regmatches(lines, gregexpr("[[:alnum:].]+(?=:::?[[:alnum:]`])", lines, perl = TRUE))
  }))
  totalling <- c("data.table", "dplyr", "tidyr")
  expect_identical(intersect(called, totalling), character())
  expect_identical(intersect(names(getNamespaceImports("hinterfeld")), totalling), character())
})

test_that("a package is asked for by its name", {
  expect_error(need_package("nosuchpackage", "to test"), "The package nosuchpackage is needed to test.", fixed = TRUE)
})
