all_kinds <- function() {
  t <- totals(kilnmoor_book(), by = c(category, product), every = "month",
              measures = list("revenue", "units", mean = mean_of(revenue)))
  suppressWarnings(add_share(add_change(t)))
}

test_that("another reader finds the table, to the cent and with its types", {
  t <- all_kinds()
  path <- deliver(list(`per month` = t, `crosstab: a/b` = crosstab(t, category, month)),
                  withr::local_tempfile(fileext = ".xlsx"))
  expect_identical(readxl::excel_sheets(path), c("Contents", "per month", "crosstab  a b"))
  read <- readxl::read_excel(path, "per month", guess_max = 1e5)
  expect_identical(names(read), names(t))
  expect_s3_class(read$month, "POSIXct")
  expect_identical(as.Date(read$month), t$month)
  for (name in c("revenue", "units", "revenue_before",
                 "revenue_change")) expect_identical(read[[name]], t[[name]], label = name)
  for (name in c("mean", "revenue_change_pct",
                 "revenue_share")) expect_equal(read[[name]], t[[name]], tolerance = 1e-14, label = name)
  for (name in c("category", "product", "comparable",
                 "revenue_direction")) expect_identical(read[[name]], as.character(t[[name]]), label = name)
  expect_identical(sum(round(read$revenue * 100)), sum(round(t$revenue * 100)))
})

test_that("the first sheet tells what each table is and how it was computed", {
  t <- all_kinds()
  path <- deliver(t, withr::local_tempfile(fileext = ".xlsx"))
  contents <- readxl::read_excel(path, "Contents")
  expect_identical(contents$Sheet[1], "table")
  expect_identical(contents[["What it is and how it was computed"]], as.character(unclass(in_words(t))))
})

test_that("formats, the heading that stays and the filter are in the file, and no time is", {
  path <- deliver(all_kinds(), withr::local_tempfile(fileext = ".xlsx"))
  folder <- withr::local_tempdir()
  utils::unzip(path, exdir = folder)
  part <- function(...) paste(readLines(file.path(folder, "xl", ...), warn = FALSE), collapse = "")
  styles <- part("styles.xml")
  for (format in c("#,##0.00", "yyyy-mm", "+0.0%;-0.0%;0.0%", "0.0%")) expect_match(styles, format, fixed = TRUE)
  sheet <- part("worksheets", "sheet2.xml")
  expect_match(sheet, "state=\"frozen\"", fixed = TRUE)
  expect_match(sheet, "<autoFilter", fixed = TRUE)
  expect_match(sheet, "orientation=\"landscape\"", fixed = TRUE)
  expect_match(sheet, "Monthly revenue, units and mean by category and product", fixed = TRUE)
  expect_match(part("comments2.xml"), "revenue_share: ", fixed = TRUE)
  expect_no_match(paste(readLines(file.path(folder, "docProps", "core.xml"), warn = FALSE), collapse = ""),
                  format(Sys.Date(), "%Y-"))
  again <- deliver(all_kinds(), withr::local_tempfile(fileext = ".xlsx"))
  expect_identical(unname(tools::md5sum(again)), unname(tools::md5sum(path)))
})

test_that("each sheet's days have the format of their period, and each format a number of its own", {
  book <- kilnmoor_book()
  tables <- list(totals(book, every = "month"), totals(book, every = "day"), totals(book, every = "year"),
                 data.frame(on = as.Date(c("1900-01-02", NA, "1900-03-01"))), totals(book, every = "month"))
  names(tables) <- c("month", "day", "year", "plain", "again")
  path <- deliver(tables, withr::local_tempfile(fileext = ".xlsx"))
  folder <- withr::local_tempdir()
  utils::unzip(path, exdir = folder)
  part <- function(...) paste(readLines(file.path(folder, "xl", ...), warn = FALSE), collapse = "")
  found <- function(text, pattern) regmatches(text, gregexpr(pattern, text, perl = TRUE))[[1]]
  styles <- part("styles.xml")
  numbers <- found(styles, "(?<=<numFmt numFmtId=\")[0-9]+")
  codes <- found(styles, "(?<=formatCode=\")[^\"]+")
  expect_identical(anyDuplicated(numbers), 0L)
  cells <- found(sub(".*<cellXfs", "", sub("</cellXfs>.*", "", styles)), "(?<=<xf numFmtId=\")[0-9]+")
  format_of <- function(sheet) {
    style <- as.integer(found(part("worksheets", sprintf("sheet%d.xml", sheet)), "(?<=<c r=\"A2\" s=\")[0-9]+"))
    codes[match(cells[style + 1], numbers)]
  }
  expect_identical(vapply(2:6, format_of, ""), c("yyyy-mm", "yyyy-mm-dd", "yyyy", "yyyy-mm-dd", "yyyy-mm"))
  expect_identical(as.Date(readxl::read_excel(path, "plain")$on), tables$plain$on)
})

test_that("the contents lead to the sheets, and every part is sound XML whatever sheets are called", {
  t <- totals(kilnmoor_book(), by = region, every = "year", subtotals = TRUE)
  tables <- list(`clay & "slips"` = t, `<b>` = crosstab(t, region, year))
  path <- deliver(tables, withr::local_tempfile(fileext = ".xlsx"))
  folder <- withr::local_tempdir()
  utils::unzip(path, exdir = folder)
  parts <- list.files(folder, "[.](xml|rels|vml)$", recursive = TRUE, full.names = TRUE, all.files = TRUE)
  checked <- processx::run("/usr/bin/python3", c("-c", "import sys, xml.dom.minidom
for part in sys.argv[1:]: xml.dom.minidom.parse(part)", parts), error_on_status = FALSE)
  expect_identical(checked[c("status", "stderr")], list(status = 0L, stderr = ""))
  contents <- paste(readLines(file.path(folder, "xl", "worksheets", "sheet1.xml"), warn = FALSE), collapse = "")
  expect_match(contents, "<hyperlink ref=\"A2\" location=\"'clay &amp; &quot;slips&quot;'!A1\"/>", fixed = TRUE)
  expect_match(contents, "'b'!A1", fixed = TRUE)
  # Beside totals a period is a text, and is named.
  expect_identical(unique(readxl::read_excel(path, 2)$year), c("2023", "2024", "2025", "2026", "Total"))
})

test_that("names of sheets are made valid and distinct", {
  tables <- stats::setNames(rep(list(data.frame(n = 1)), 5), c("contents", "a/b", "A B", "[]", strrep("x", 40)))
  path <- deliver(tables, withr::local_tempfile(fileext = ".xlsx"))
  sheets <- c("Contents", "table contents", "a b", "A B 2", "table", strrep("x", 31))
  expect_identical(readxl::excel_sheets(path), sheets)
})

test_that("a sheet that cannot hold the rows is refused", {
  expect_snapshot(error = TRUE, deliver(data.frame(n = seq_len(1048576)), "big.xlsx"))
})

test_that("formulas stay text", {
  path <- deliver(data.frame(s = c("=1+1", "@x", "-a"), n = -1), withr::local_tempfile(fileext = ".xlsx"))
  expect_identical(readxl::read_excel(path, 2)$s, c("=1+1", "@x", "-a"))
  folder <- withr::local_tempdir()
  utils::unzip(path, exdir = folder)
  expect_no_match(paste(readLines(file.path(folder, "xl", "worksheets", "sheet2.xml"), warn = FALSE), collapse = ""),
                  "<f>")
})

test_that("control characters, which XML forbids, are written as what cannot be shown", {
  odd <- "Sieve\u0001\u001b[31m fine"
  t <- totals(daybook(a_sale(product = odd), day, revenue, product), by = product)
  expect_message(path <- deliver(t, withr::local_tempfile(fileext = ".xlsx")), "control characters")
  expect_identical(readxl::read_excel(path, 2)$product, "Sieve\ufffd\ufffd[31m fine")
  expect_match(deparse(readxl::read_excel(path, "Contents")[[1]][1]), "table")
  plain <- stats::setNames(data.frame(x = 1), "a\u0001b")
  expect_message(path <- deliver(plain, withr::local_tempfile(fileext = ".xlsx")), "control characters")
  expect_named(readxl::read_excel(path, 2), "a\ufffdb")
  expect_message(svg <- deliver(figure_ranking(t), withr::local_tempfile(fileext = ".svg")), "control characters")
  text <- paste(readLines(svg, encoding = "UTF-8"), collapse = "")
  expect_no_match(text, "[\u0001-\u0008\u000b\u000c\u000e-\u001f]", perl = TRUE)
  expect_match(text, "Sieve\ufffd\ufffd[31m fine", fixed = TRUE)
})
