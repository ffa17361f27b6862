#' Save a tally, and read it again
#'
#' Keeps a tally in a file, so that a later run adds what is new instead of reading everything again.
#'
#' @param tally A tally made by [tally_of()] or [merge_tallies()].
#' @param path Text: the file. The folder must exist.
#' @return `save_tally()`: `path`, invisibly. `load_tally()`: the tally.
#' @section File: Version 2, all numbers little-endian: the 16 bytes `hinterfeld tally`; the version, 32 bits; the length of the
#'   description in bytes, 32 bits; the description, JSON in UTF-8, with keys, labels and their types, measures and the number of
#'   groups; then for each part the codes of each key as 32-bit integers (0 for missing) and for each measure the
#'   values and the numbers of lines as 64-bit integers; at the end the SHA-256 of all before it, 32 bytes.
#' @section Errors: `hinterfeld_error_file` for a file that is missing, is no tally, is damaged, or has a later version; nothing
#'   of it is used then.
#' @references JSON: RFC 8259. SHA-256: FIPS 180-4.
#' @export
#' @examples
#' tally <- tally_of(demo_daybook(), by = product, every = "month")
#' path <- save_tally(tally, tempfile(fileext = ".tally"))
#' identical(tally_totals(load_tally(path)), tally_totals(tally))
save_tally <- function(tally, path) {
  check_tally(tally, "tally")
  check_text(path, "path")
  if (!dir.exists(dirname(path))) {
    stop_because("file", c(sprintf("There is no folder \"%s\".", dirname(path)), i = "Make it first: `dir.create()`."))
  }
  bytes <- tally_bytes(tally)
  write_whole(path, function(part) {
    write_bytes(bytes, part)
    # Its checksum with it: what reads back is what was meant.
    if (!identical(readBin(part, "raw", length(bytes) + 1), bytes)) stop_unwritten("It does not read back as it was written.")
  })
  invisible(path)
}

tally_mark <- "hinterfeld tally"
tally_version <- 2L

tally_bytes <- function(tally) {
  about <- unclass(tally)
  about$span <- as.integer(about$span)
  about$parts <- lapply(tally$parts, function(part) {
    # Numbers as text that reads back as the same number.
    labels <- lapply(part$labels, function(labels) if (is.double(labels)) number_text(unclass(labels)) else labels)
    list(labels = labels, types = vapply(part$labels, label_type, ""), kinds = part$kinds, groups = length(part$values[[1]]))
  })
  text <- charToRaw(enc2utf8(as.character(jsonlite::toJSON(about, auto_unbox = FALSE, null = "null", na = "null", digits = NA))))
  numbers <- function(x) writeBin(x, raw(), endian = "little")
  body <- c(
    list(charToRaw(tally_mark), numbers(tally_version), numbers(length(text)), text),
    lapply(tally$parts, function(part) {
      unlist(c(lapply(part$codes, numbers), Map(function(value, counted) c(numbers(value), numbers(counted)), part$values, part$counted)))
    })
  )
  body <- unlist(body)
  c(body, digest::digest(body, algo = "sha256", serialize = FALSE, raw = TRUE))
}

# How labels come back: date-times with their time zone.
label_type <- function(labels) {
  if (inherits(labels, "POSIXct")) {
    paste0("datetime ", attr(labels, "tzone") %||% "")
  } else if (inherits(labels, "Date")) {
    "date"
  } else if (is.object(labels)) {
    stop_because("argument", c(sprintf("A tally by %s cannot be saved.", class(labels)[1]), i = "Make the column text or a number before `daybook()`."), call = NULL)
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
    sprintf("Tally of %s, %s: %s.", count_of(x$lines, "line"), paste(format(x$span), collapse = " to "),
            paste(c(and_list(names(x$measures)), split), collapse = " ")),
    sprintf("%s so far; `tally_totals()` gives them, `merge_tallies()` goes on.", count_of(length(x$parts[[1]]$values[[1]]), "group"))
  ))
}
