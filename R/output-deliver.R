#' Deliver: write tables or a figure to a file
#'
#' The file extension decides the format. The file appears whole or not at all: it is written to a temporary file beside
#' its place and moved there when complete. The same table always gives the same bytes.
#'
#' @param x A totals table, a crosstab or any data frame, for `.csv`, `.tsv`, `.xlsx`, `.parquet`, `.json` or
#'   `.md`; a named list of them for `.xlsx`, one sheet each; a figure, for `.png`, `.svg` or `.pdf`.
#' @param path Text: where to write. The folder must exist.
#' @param width,height Size of a figure in pixels. Text grows with the picture: 1280 by 800 pixels are drawn at 144
#'   pixels per inch, 2560 by 1600 at 288. `.svg` and `.pdf` have the same proportions.
#' @return `path`, invisibly; for a figure with several pages ([figure_pages()]), the paths of its numbered files,
#'   `name-1.png`, `name-2.png` ...
#' @section Files:
#' * `.csv` and `.tsv`: UTF-8 with commas or tabs, a heading, dates as `YYYY-MM-DD`, and plain numbers with a decimal
#'   point; money has all its decimals. Text that a spreadsheet would read as a formula (it begins with `=`, `+`, `-` or
#'   `@` and is not a number) is prefixed with an apostrophe, and a message says so; the other formats do not need this.
#' * `.xlsx`: a first sheet, `Contents`, says what each table is and how it was computed; then follows one sheet per
#'   table, with real dates and numbers, formats for money and percentages, a frozen heading and filters.
#' * `.parquet`: dates, text, counts as whole numbers of 64 bits, and other exact columns as decimals of 64 bits with
#'   their own number of decimals. The metadata hold the title, the sentences and the code (`hinterfeld.title` ...).
#' * `.json`: `description` (title, sentences, unit, columns) and `rows`, one object per row.
#' * `.md`: a Markdown table with the title above and the sentences below it.
#' * At 1280 by 800 pixels, the text of a figure is easy to read on a screen and on a slide.
#' @section Errors: `hinterfeld_error_file` for an unknown ending, a folder that does not exist, or more rows than
#'   a worksheet holds, `hinterfeld_error_argument` when `x` is neither table nor figure.
#' @references Parquet: the Apache Parquet format, logical type DECIMAL. XLSX: ECMA-376. JSON: RFC 8259. CSV: RFC 4180.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = product, every = "day")
#' path <- deliver(t, file.path(tempdir(), "daily_product_revenue.csv"))
#' readLines(path, 3)
#' regions <- add_share(totals(demo_daybook(), by = region))
#' deliver(list(daily = t, regions = regions), file.path(tempdir(), "revenue.xlsx"))
deliver <- function(x, path, width = 1280, height = 800) {
  check_text(path, "path")
  ending <- file_ending(path)
  figure <- inherits(x, "ggplot")
  several <- is.list(x) && !figure && !is.data.frame(x)
  check_deliverable(x, figure, several)
  writers <- if (figure) figure_writers else if (several) several_writers else table_writers
  if (!ending %in% names(writers)) {
    what <- if (figure) "A figure" else if (several) "Several tables" else "A table"
    stop_because("file", sprintf("%s cannot be written as \"%s\".", what, basename(path)),
                 i = sprintf("Give a file name that ends in %s.", examples_of(paste0(".", names(writers)), 10)))
  }
  if (!dir.exists(dirname(path))) {
    stop_because("file", sprintf("There is no folder \"%s\".", dirname(path)), i = "Make it first: `dir.create()`.")
  }
  if (figure) {
    return(invisible(deliver_pages(x, path, function(page, draft) writers[[ending]](page, draft, width, height))))
  }
  write_whole(path, function(draft) in_plain_session(writers[[ending]](x, draft)))
  invisible(path)
}

deliver_pages <- function(x, path, write) {
  pages <- attr(x, "pages", exact = TRUE) %||% list(x)
  paths <- numbered_paths(path, length(pages))
  for (i in seq_along(pages)) write_whole(paths[i], function(draft) in_plain_session(write(pages[[i]], draft)))
  paths
}

# "towns.png" of two pages: "towns-1.png", "towns-2.png".
numbered_paths <- function(path, pages) {
  if (pages == 1) {
    return(path)
  }
  ending <- sub("^.*([.][^.]*)$", "\\1", path)
  paste0(substr(path, 1, nchar(path) - nchar(ending)), "-", seq_len(pages), ending)
}

# By ending. The files that take several tables are those that have a place for each.
table_writers <- list(
  csv = function(x, path) write_delimited(x, path, ","),
  tsv = function(x, path) write_delimited(x, path, "\t"),
  xlsx = function(x, path) write_workbook(list(x), path),
  parquet = function(x, path) write_parquet_file(x, path),
  json = function(x, path) write_json_file(x, path),
  md = function(x, path) write_markdown(x, path)
)

several_writers <- list(xlsx = function(x, path) write_workbook(x, path))

figure_writers <- list(
  png = function(x, path, width, height) write_png(x, path, width, height),
  svg = function(x, path, width, height) write_svg(x, path, width, height),
  pdf = function(x, path, width, height) write_pdf(x, path, width, height)
)

check_deliverable <- function(x, figure, several, call = caller_env()) {
  tables <- if (several) x else list(x)
  sound <- length(tables) && all(vapply(tables, is.data.frame, NA)) && (!several || rlang::is_named(tables))
  check_made(figure || sound, x, "x", "a table, a figure, or a named list of tables", call = call)
  if (!figure) for (table in tables) check_plain(table, call)
}

check_plain <- function(x, call = caller_env()) {
  odd <- names(x)[vapply(x, function(column) is.list(column) || !is.null(dim(column)), NA)]
  if (length(odd)) {
    stop_because("argument", sprintf("%s cannot be written: a cell must hold one value.", columns_named(odd)),
                 i = "Leave the column out, or make it text.", call = call)
  }
}
