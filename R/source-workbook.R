# Files that know their types: workbooks here, Parquet in source-parquet.R. A part is one chunk.

# Types are those of the values; the parts of a source must agree on them.
plan_typed <- function(scans, names, options) {
  types <- lapply(scans, function(scan) vapply(scan$prototype[names], type_of, ""))
  for (i in seq_along(scans)[-1]) {
    other <- names[types[[i]] != types[[1]]]
    if (length(other)) {
      stop_because("type",
                   sprintf("Column `%s` is %s in %s and %s in %s.", other[1], types[[1]][[other[1]]],
                           shown_file(scans[[1]]$path), types[[i]][[other[1]]], shown_file(scans[[i]]$path)),
                   i = "Write the files with one type, or leave the column out with `columns`.", call = NULL)
    }
  }
  asked <- ifelse(names %in% names(options$types), options$types[names], NA)
  name_of <- c(number = "number", text = "text", date = "date", datetime = "date-time", logical = "logical")
  other <- which(!is.na(asked) & asked != "text" & types[[1]] != "text" & types[[1]] != name_of[as.character(asked)])
  if (length(other)) {
    stop_because("type",
                 sprintf("Column `%s` is %s in %s, not %s.", names[other[1]], types[[1]][other[1]],
                         shown_file(scans[[1]]$path), asked[other[1]]),
                 i = "Leave it out of `types`: the file knows its types.", call = NULL)
  }
  kinds <- ifelse(!is.na(asked) & asked != "text" & types[[1]] == "text", "open", "typed")
  stats::setNames(kinds, names)
}

# Columns as the daybook takes them: whole numbers as numbers, text where it is asked for.
plain_chunk <- function(table, names, types) {
  lapply(stats::setNames(nm = names), function(name) {
    x <- table[[name]]
    if (is.factor(x)) x <- as.character(x)
    if (inherits(x, "Date")) x <- plain_days(x)
    if (is.numeric(x) && !is.object(x)) x <- as.double(x)
    if (name %in% names(types) && types[[name]] == "text" && !is.character(x)) plain_value(x) else x
  })
}

# A part's values must be such as a table of lines can hold.
check_values <- function(table, path, call) {
  odd <- names(table)[vapply(as.list(table), function(x) is.list(x) || !is.null(dim(x)), NA)]
  if (length(odd)) {
    stop_because("type", sprintf("%s of %s holds lists, not values.", columns_named(odd[1]), shown_file(path)),
                 i = "Leave the column out with `columns`.", call = call)
  }
}

# What another package says of a damaged file, as an error of ours.
opened_or_stop <- function(code, path, what, call) {
  tryCatch(code, error = function(cnd) {
    if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
    stop_because("file", sprintf("%s cannot be read as %s.", shown_file(path), what),
                 x = gsub("\\s+", " ", gsub(path, shown_path(path), conditionMessage(cnd), fixed = TRUE)),
                 i = "Was it cut short? Get the file again.", call = call)
  })
}

# Workbooks ----------------------------------------------------------------------------------------------------------

# A sheet is read whole to be known: it has no word on its rows and types beforehand.
scan_workbook <- function(path, options, call = caller_env(), wanted = NULL) {
  stamp <- file_stamps(path)
  check_sheet(path, options$sheet, call)
  table <- opened_or_stop(read_sheet(path, options), path, "a workbook", call)
  check_names(names(table), path, NULL, call)
  list(path = path, stamp = stamp, names = names(table), rows = as.double(nrow(table)), empty = NULL,
       prototype = table[0, ], table = table)
}

# Types come from all cells of a column; rows of nothing are told apart from the end of the table.
read_sheet <- function(path, options, rows = Inf) {
  table <- readxl::read_excel(
    path, sheet = options$sheet, range = options$range, na = c("", options$blank), trim_ws = FALSE,
    .name_repair = "minimal", progress = FALSE, guess_max = 1048576L, n_max = rows
  )
  for (name in names(table)) {
    x <- table[[name]]
    # A cell of a day is a time at midnight.
    if (inherits(x, "POSIXct") && all(is.na(x) | as.numeric(x) %% 86400 == 0)) {
      days <- as.Date(x)
      table[[name]] <- replace(days, format(days) %in% options$blank, NA)
    }
    if (is.logical(x) && all(is.na(x))) table[[name]] <- rep(NA_character_, length(x))
  }
  table
}

check_sheet <- function(path, sheet, call) {
  need_package("readxl", "to read workbooks", call)
  sheets <- opened_or_stop(readxl::excel_sheets(path), path, "a workbook", call)
  sound <- is.null(sheet) || is.character(sheet) && sheet %in% sheets ||
    is.numeric(sheet) && sheet %in% seq_along(sheets)
  if (!sound) {
    stop_because("file", sprintf("%s has no sheet %s.", shown_file(path), describe(sheet)),
                 i = sprintf("Its sheets are %s.", examples_of(sheets, 20)), i = did_you_mean(sheet, sheets, "\""),
                 call = call)
  }
}

chunks_workbook <- function(scan, plan, options, take, call = caller_env()) {
  check_unchanged(scan$path, scan$stamp, call)
  if (scan$rows > 0) take(plain_chunk(scan$table, names(plan), options$types))
}

workbook_names <- function(path, options, call = caller_env()) {
  check_sheet(path, options$sheet, call)
  opened_or_stop(names(read_sheet(path, options, rows = 0)), path, "a workbook", call)
}
