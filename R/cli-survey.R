# hinterfeld survey: what a file holds.

cli_survey <- function(args) {
  given <- cli_options(
    "survey",
    list(option("column", "show the distinct values of this column and how often each occurs", "NAME"),
         flag("spellings", "with --column: one row per spelling, not per value"),
         option("rows", "how many columns or values to print [default: %default]", "N", "40"),
         option("delimiter", "the delimiter [default: detected in the heading]", "MARK"),
         option("encoding", "the file's encoding [default: UTF-8]", "NAME", "UTF-8"),
         option("sheet", "the sheet of a workbook [default: the first]", "NAME"), database_option()),
    args, files = c(1, 1), of = "FILE",
    example = c("hinterfeld survey orders.csv", "hinterfeld survey sales/ --column status",
                "hinterfeld survey shop.orders --database SHOP")
  )
  if (is.null(given)) {
    return(invisible())
  }
  table <- if (is.null(given$database)) {
    load_table(cli_file(given$files), delimiter = given$delimiter, encoding = given$encoding, sheet = given$sheet)
  } else {
    with_open_sources(load_table(database_named(given$database), given$files))
  }
  shown <- if (is.null(given$column)) survey(table) else rlang::exec(survey, table, given$column)
  writeLines(with_own_words(c(`print(x, spellings = TRUE)` = "--spellings"),
                            format(shown, n = given$rows, spellings = given$spellings)))
}
