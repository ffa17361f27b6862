# Registry: kinds of files that tables are read from. Adding one is one new entry and its test.
#
# endings   of its files' names; text is what no other kind knows
# options   of load_table() that it takes
# scan      (path, options, call, wanted): a part looked at: its names, rows, empty lines, and what the kind needs to
#           read it; `wanted` columns, NULL for all
# whole     the same for a part that is read at once, where its values can be taken along
# plan      (scans, names, options): how each column is read, told from all parts
# chunks    (scan, plan, options, take, call): hands each chunk, a list of columns, to `take`
# names     (path, options, call): the names of a part's columns, quickly
source_kinds <- list(
  text = list(
    what = "delimited text", endings = c("csv", "tsv", "txt", "tab", "dat", "psv"),
    options = c("delimiter", "decimal_mark", "types", "blank", "encoding"),
    scan = function(...) scan_delimited(...), whole = function(...) scan_delimited(..., take = TRUE),
    plan = function(...) plan_delimited(...), chunks = function(...) chunks_delimited(...),
    names = function(...) delimited_names(...)
  ),
  parquet = list(
    what = "Parquet", endings = "parquet", options = "types",
    scan = function(...) scan_parquet(...), plan = function(...) plan_typed(...),
    chunks = function(...) chunks_parquet(...), names = function(...) parquet_names(...)
  ),
  workbook = list(
    what = "a workbook", endings = c("xlsx", "xls"), options = c("sheet", "range", "types", "blank"),
    scan = function(...) scan_workbook(...), plan = function(...) plan_typed(...),
    chunks = function(...) chunks_workbook(...), names = function(...) workbook_names(...)
  )
)

known_endings <- function() {
  endings <- unlist(lapply(source_kinds, function(kind) kind$endings), use.names = FALSE)
  c(endings, paste0(source_kinds$text$endings[1:2], ".gz"))
}

table_endings <- function() {
  sprintf("[.](%s)([.]gz)?$", paste(unlist(lapply(source_kinds, function(kind) kind$endings)), collapse = "|"))
}

kind_of_file <- function(path) {
  ending <- tolower(sub("^.*[.]", "", shown_file(path)))
  fits <- vapply(source_kinds, function(kind) ending %in% kind$endings, NA)
  if (any(fits)) names(source_kinds)[fits] else "text"
}

# The kind of all parts, with the options that it takes.
kind_of_files <- function(files, options, call = caller_env()) {
  kinds <- vapply(files, kind_of_file, "")
  if (length(unique(kinds)) > 1) {
    first <- match(unique(kinds), kinds)[1:2]
    stop_because("file", "Files that are read together must be of one kind.",
                 x = sprintf("%s is %s, %s is %s.", shown_file(files[first[1]]), source_kinds[[kinds[first[1]]]]$what,
                             shown_file(files[first[2]]), source_kinds[[kinds[first[2]]]]$what),
                 i = "Read each kind for itself, or name a pattern such as \"*.csv\".", call = call)
  }
  foreign <- setdiff(names(options), source_kinds[[kinds[1]]]$options)
  if (length(foreign)) {
    stop_because("argument",
                 sprintf("%s is %s, which takes no %s.", shown_file(files[1]), source_kinds[[kinds[1]]]$what,
                         paste0("`", foreign, "`", collapse = ", ")),
                 i = sprintf("It takes %s.", paste0("`", source_kinds[[kinds[1]]]$options, "`", collapse = ", ")),
                 call = call)
  }
  source_kinds[[kinds[1]]]
}
