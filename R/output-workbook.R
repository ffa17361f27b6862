# Tables as a workbook (XLSX, ECMA-376): a sheet that tells what each table is, then a sheet per table.

worksheet_rows <- 1048576L

write_workbook <- function(tables, path) {
  for (package in c("openxlsx", "zip")) need_package(package, "to write workbooks")
  check_worksheet_rows(tables)
  tables <- lapply(tables, visible_texts)
  names <- sheet_names(tables)
  book <- openxlsx::createWorkbook(creator = "hinterfeld")
  openxlsx::modifyBaseFont(book, fontSize = 11, fontName = "Calibri")
  about <- lapply(tables, table_description)
  rows <- write_contents(book, names, tables, about)
  for (i in seq_along(tables)) write_sheet(book, tables[[i]], names[i], about[[i]])
  # It is packed again below. The package has spelled its option in two ways.
  old <- options(openxlsx.compressionLevel = 1, openxlsx.compresssionLevel = 1)
  on.exit(options(old))
  openxlsx::saveWorkbook(book, path, overwrite = TRUE)
  finish_workbook(path, sprintf("<hyperlink ref=\"A%d\" location=\"'%s'!A1\"/>", rows,
                                htmltools::htmlEscape(names, attribute = TRUE)))
}

# XML can hold no control characters.
visible_texts <- function(x) {
  hidden <- function(text) any(grepl("[[:cntrl:]]", text)) && !identical(printable(text), enc2utf8(text))
  odd <- names(x)[vapply(as.list(x), function(column) (is.character(column) || is.factor(column)) &&
                         hidden(unique(as.character(column))), NA)]
  if (length(odd) == 0 && !hidden(names(x))) {
    return(x)
  }
  say("visible", "Texts of the table hold control characters, which are written as \ufffd.")
  columns <- as.list(x)
  columns[odd] <- lapply(columns[odd], function(column) printable(as.character(column)))
  attributes(columns) <- replace(attributes(x), "names", list(printable(names(x))))
  columns
}

check_worksheet_rows <- function(tables) {
  long <- which(vapply(tables, nrow, 0L) >= worksheet_rows)
  if (length(long)) {
    stop_because("file",
                 sprintf("A worksheet holds %s rows; the table has %s.", group_digits(worksheet_rows),
                         group_digits(nrow(tables[[long[1]]]))),
                 i = "Write it as .csv or .parquet, or split the table by less.", call = NULL)
  }
}

# Sheet names have at most 31 characters and none of \ / ? * : [ ]; < and > would end a tag.
sheet_names <- function(tables) {
  names <- names(tables) %||% rep("table", length(tables))
  names <- trimws(gsub("[][\\\\/?*:'<>]", " ", names))
  names <- substr(ifelse(names == "", "table", names), 1, 31)
  names[tolower(names) == "contents"] <- "table contents"
  same <- function(x) duplicated(tolower(x))
  n <- 2L
  while (any(same(names))) {
    names[same(names)] <- paste(substr(names[same(names)], 1, 27), n)
    n <- n + 1L
  }
  names
}

heading_style <- function() {
  openxlsx::createStyle(textDecoration = "bold", fgFill = "#EDE7DA", border = "bottom", borderColour = "#6E6A72",
                        valign = "top")
}

# A line has room for about a hundred characters; not every program finds the height of a row by itself.
write_contents <- function(book, names, tables, about) {
  lines <- do.call(rbind, Map(function(name, about, table) {
    words <- printable(about$sentences)
    data.frame(
      Sheet = c(name, rep("", max(0, length(words) - 1))), Rows = c(nrow(table), rep(NA, max(0, length(words) - 1))),
      `What it is and how it was computed` = if (length(words)) words else "A plain table, given as it is.",
      check.names = FALSE
    )
  }, names, about, tables))
  openxlsx::addWorksheet(book, "Contents", gridLines = FALSE)
  openxlsx::writeData(book, "Contents", lines, headerStyle = heading_style())
  wrap <- openxlsx::createStyle(wrapText = TRUE, valign = "top")
  openxlsx::addStyle(book, "Contents", wrap, seq_len(nrow(lines)) + 1L, 1:3, gridExpand = TRUE)
  openxlsx::setColWidths(book, "Contents", 1:3, c(32, 10, 100))
  high <- 15 * pmax(1, ceiling(nchar(lines[[3]], "width") / 95))
  openxlsx::setRowHeights(book, "Contents", seq_len(nrow(lines)) + 1L, high)
  openxlsx::addStyle(book, "Contents", openxlsx::createStyle(textDecoration = "underline", valign = "top"),
                     which(nzchar(lines$Sheet)) + 1L, 1)
  openxlsx::freezePane(book, "Contents", firstRow = TRUE)
  openxlsx::pageSetup(book, "Contents", orientation = "landscape", fitToWidth = TRUE, fitToHeight = FALSE)
  which(nzchar(lines$Sheet)) + 1L
}

# The heading stays the first row, where other programs look for it. The title is printed above every page; a note on
# the first heading has the title and the sentences.
write_sheet <- function(book, x, sheet, about) {
  forms <- column_forms(x)
  calendar <- calendar_of(x)
  data <- as.data.frame(Map(function(values, form) {
    # Beside totals, periods are texts.
    if (is.character(values) && form$kind == "period") shown_text(values, form, calendar) else worksheet_values(values)
  }, as.list(x), forms), check.names = FALSE, optional = TRUE)
  names(data) <- names(x)
  title <- gsub("&", "&&", printable(about$title %||% sheet), fixed = TRUE)
  openxlsx::addWorksheet(book, sheet, header = c("", substr(title, 1, 200), ""),
                         footer = c("", "&[Page] / &[Pages]", ""))
  openxlsx::pageSetup(book, sheet, orientation = "landscape", fitToWidth = TRUE, fitToHeight = FALSE,
                      printTitleRows = 1)
  if (length(about$sentences)) {
    words <- paste(printable(c(about$title, about$sentences)), collapse = "\n")
    note <- openxlsx::createComment(words, author = "hinterfeld", visible = FALSE, width = 6, height = 14)
    openxlsx::writeComment(book, sheet, 1, 1, note)
  }
  openxlsx::writeData(book, sheet, data, headerStyle = heading_style(), withFilter = nrow(data) > 0)
  openxlsx::freezePane(book, sheet, firstRow = TRUE)
  rows <- seq_len(nrow(data)) + 1L
  # The package goes through all cells for every style that is added: one for each format, not for each column.
  formats <- vapply(forms, function(form) number_format(form, calendar, about$unit) %||% "", "")
  for (format in setdiff(if (nrow(data)) unique(formats), "")) {
    openxlsx::addStyle(book, sheet, openxlsx::createStyle(numFmt = format), rows, which(formats == format),
                       gridExpand = TRUE)
  }
  right <- which(vapply(forms, function(form) form$kind %in% number_kinds, NA))
  if (length(right)) {
    openxlsx::addStyle(book, sheet, openxlsx::createStyle(halign = "right"), 1, right, gridExpand = TRUE, stack = TRUE)
  }
  widths <- vapply(seq_along(forms), function(j) {
    widest <- max(nchar(c(names(data)[j], shown_text(utils::head(x[[j]], 1000), forms[[j]], calendar)), "width"))
    min(60, widest + if (nrow(data)) 5 else 3)
  }, 0)
  openxlsx::setColWidths(book, sheet, seq_along(forms), widths)
  totals <- which(total_rows(x)) + 1L
  if (length(totals)) {
    openxlsx::addStyle(book, sheet, openxlsx::createStyle(textDecoration = "bold"), totals, seq_along(forms),
                       gridExpand = TRUE, stack = TRUE)
  }
}

# Days as the numbers that a worksheet has for them: the package would give them a format of its own, and go through all
# cells for it. There 1900 is a leap year.
worksheet_values <- function(x) {
  if (inherits(x, "Date")) {
    days <- as.integer(x) + 25569
    return(days - (days < 60))
  }
  if (is.factor(x)) as.character(x) else x
}

number_format <- function(form, calendar, unit) {
  plain <- paste0("#,##0", if (form$digits > 0) paste0(".", strrep("0", form$digits)))
  switch(form$kind,
    money = if (is.null(unit)) plain else sprintf("%s \"%s\"", plain, gsub("[\"\\\\]", "", printable(unit))),
    number = plain,
    percent = "0.0%",
    change = "+0.0%;-0.0%;0.0%",
    name = "0",
    period = if (isTRUE(calendar$weeks == "iso")) {
      plain_year <- form$every == "year" && identical(calendar$year_starts, "01-01")
      if (form$every == "month") "yyyy-mm" else if (plain_year) "yyyy" else "yyyy-mm-dd"
    } else {
      "yyyy-mm-dd"
    },
    date = "yyyy-mm-dd",
    NULL
  )
}

# The contents lead to the sheets. A workbook says when it was made, inside and for each of its parts; the same tables
# must give the same bytes.
finish_workbook <- function(path, links) {
  folder <- temporary_folder()
  on.exit(remove_temporary(folder))
  utils::unzip(path, exdir = folder)
  change_part <- function(part, change) {
    file <- file.path(folder, part)
    text <- paste(readLines(file, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
    writeLines(change(text), file, useBytes = TRUE)
  }
  change_part("docProps/core.xml", function(text) {
    gsub("[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9:]+Z", "2000-01-01T12:00:00Z", text)
  })
  # The package does not escape the names of sheets whose heading is repeated.
  change_part("xl/workbook.xml", function(text) gsub("&(?![a-z#0-9]+;)", "&amp;", text, perl = TRUE))
  links <- paste0("<hyperlinks>", paste(links, collapse = ""), "</hyperlinks><pageMargins")
  change_part("xl/worksheets/sheet1.xml", function(text) sub("<pageMargins", links, text, fixed = TRUE))
  files <- sort(list.files(folder, recursive = TRUE, all.files = TRUE), method = "radix")
  Sys.setFileTime(file.path(folder, files), as.POSIXct("2000-01-01 12:00:00"))
  zip::zip(path, files, root = folder, include_directories = FALSE, compression_level = 4)
}
