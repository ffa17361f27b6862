#' Save and load a tally
#'
#' Saves a tally to a file, so that a later run can add what is new instead of reading everything again.
#'
#' @param tally A tally made by [tally_of()] or [merge_tallies()].
#' @param path Text: the file. The folder must exist.
#' @return `save_tally()`: `path`, invisibly. `load_tally()`: the tally.
#' @section File: Version 4, all numbers little-endian: the 16 bytes `hinterfeld tally`; the version, 32 bits; the
#'   length of the description in bytes, 32 bits; the description, JSON in UTF-8, with keys, labels and their types,
#'   measures and the number of groups; then for each part the codes of each key as 32-bit integers (0 for missing) and
#'   for each measure the values and the numbers of lines as 64-bit integers; then, if orders are counted, for each
#'   order the last step it reached, as 32-bit integers, and its number, as 64-bit doubles or as texts (their lengths in
#'   bytes as 32-bit integers, then their bytes); finally, the SHA-256 of everything before it, 32 bytes.
#' @section Errors: `hinterfeld_error_file` if the file is missing, damaged, not a tally, or of a later version; then
#'   nothing of it is used.
#' @references JSON: RFC 8259. SHA-256: FIPS 180-4.
#' @export
#' @examples
#' tally <- tally_of(demo_daybook(), by = product, every = "month")
#' path <- save_tally(tally, tempfile(fileext = ".tally"))
#' identical(totals(load_tally(path), by = product, every = "year"), totals(tally, by = product, every = "year"))
save_tally <- function(tally, path) {
  check_tally(tally, "tally")
  check_text(path, "path")
  if (!dir.exists(dirname(path))) {
    stop_because("file", sprintf("There is no folder \"%s\".", dirname(path)), i = "Make it first: `dir.create()`.")
  }
  bytes <- tally_bytes(tally)
  write_whole(path, function(draft) {
    write_bytes(bytes, draft)
    # Its checksum with it: what reads back is what was meant.
    if (!identical(readBin(draft, "raw", length(bytes) + 1),
                   bytes)) stop_unwritten("It does not read back as it was written.")
  })
  invisible(path)
}

tally_bytes <- function(tally) {
  rowsets <- lapply(tally$rowsets, coded_rowset)
  orders <- if (!is.null(tally$orders)) coded_orders(tally$orders)
  about <- list(
    every = tally$every, by = tally$by, measures = lapply(tally$measures, measure_record), lines = tally$lines,
    made_of = as.list(tally$made_of), days = day_runs(tally$coverage), calendar = unclass(tally$calendar),
    currency = tally$currency,
    decimals = unname(tally$decimals), rounding = tally$rounding, trail = as.list(tally$trail),
    orders = orders[c("type", "count", "steps")], alike = tally$alike,
    parts = lapply(rowsets, function(rowset) rowset[c("names", "labels", "types", "amounts", "groups")])
  )
  text <- charToRaw(plain_json(about))
  numbers <- function(x) writeBin(x, raw(), endian = "little")
  body <- c(
    list(charToRaw(tally_mark), numbers(tally_version), numbers(length(text)), text),
    lapply(rowsets, function(rowset) {
      unlist(c(lapply(rowset$codes, numbers),
               lapply(rowset$held, function(amount) c(numbers(amount$values), numbers(amount$counted)))))
    }),
    lapply(orders$held, function(x) if (is.raw(x)) x else numbers(x))
  )
  body <- unlist(body)
  c(body, sha256_bytes(body))
}

# A part with its columns as labels and codes (0 for missing). Numbers are texts that read back as the same number.
coded_rowset <- function(rowset) {
  columns <- unname(lapply(rowset$columns, function(x) {
    coded <- if (is.factor(x)) list(codes = as.integer(x), labels = levels(x)) else plain_codes(x)
    list(codes = replace(coded$codes, is.na(coded$codes), 0L), labels = coded$labels, type = label_type(coded$labels))
  }))
  list(
    names = names(rowset$columns), types = vapply(columns, function(column) column$type, ""),
    labels = lapply(columns,
                    function(column) if (is.double(column$labels)) number_text(
                      unclass(column$labels)
                    ) else column$labels),
    amounts = list(names = names(rowset$amounts),
                   kinds = unname(vapply(rowset$amounts, function(amount) amount$kind, ""))),
    groups = rowset$lines, codes = lapply(columns, function(column) column$codes), held = unname(rowset$amounts)
  )
}

coded_orders <- function(orders) {
  held <- held_orders(orders)
  type <- label_type(held$labels)
  labels <- if (type == "character") {
    texts <- enc2utf8(held$labels)
    list(nchar(texts, "bytes"), charToRaw(paste(texts, collapse = "")))
  } else {
    list(as.double(held$labels))
  }
  list(type = type, count = length(held$labels), steps = held$steps, held = c(list(held$reached), labels))
}

plain_codes <- function(x) {
  labels <- unique(x[!is.na(x)])
  list(codes = match(x, labels), labels = labels)
}

# A measure with its expressions as text, which must be of the language of expressions: nobody reads others from a file.
measure_record <- function(held) {
  spec <- held$spec
  if (!spec$language) {
    stop_because("argument",
                 sprintf("The tally cannot be saved: the measure of `%s` calls functions of R.", held$label),
                 i = "Compute the column before `daybook()`, or use what expressions of briefs know.", call = NULL)
  }
  text <- function(expr) if (!is.null(expr)) expression_source(expr)
  list(kind = spec$kind, column = is.character(spec$x), x = if (is.character(spec$x)) spec$x else text(spec$x),
       per = spec$per, where = text(spec$where), incomplete = spec$incomplete, margin = spec$margin,
       decimals = spec$decimals, counts = held$counts,
       label = held$label)
}

# How labels come back: date-times with their time zone.
label_type <- function(labels) {
  if (inherits(labels, "POSIXct")) {
    paste0("datetime ", attr(labels, "tzone") %||% "")
  } else if (inherits(labels, "Date")) {
    "date"
  } else if (is.object(labels)) {
    stop_because("argument", sprintf("A tally by %s cannot be saved.", class(labels)[1]),
                 i = "Make the column text or a number before `daybook()`.", call = NULL)
  } else {
    typeof(labels)
  }
}

#' @export
print.hinterfeld_tally <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_tally <- function(x, ...) {
  split <- c(if (!is.null(x$every)) paste("per", x$every), if (length(x$by)) paste("by", and_list(x$by)))
  text_notes(c(
    sprintf("Tally of %s, %s: %s.", count_of(x$lines, "line"), span_words(x),
            paste(c(and_list(names(x$measures)), split), collapse = " ")),
    sprintf("%s so far. Ask it with `totals()`; add to it with `merge_tallies()`.",
            count_of(x$rowsets[[1]]$lines, "group")),
    left_out_words(x)
  ))
}

# Days in order as runs: the first of each, and how many it has.
day_runs <- function(days) {
  lapply(days, function(days) {
    first <- c(TRUE, diff(days) > 1)[seq_along(days)]
    list(from = days[first], days = tabulate(cumsum(first), sum(first)))
  })
}
