# Tallies from files; output-tally.R writes them and tells the form.

#' @rdname save_tally
#' @export
load_tally <- function(path) {
  check_file(path)
  bytes <- readBin(path, "raw", file.size(path))
  n <- length(bytes)
  mark <- charToRaw("hinterfeld tally")
  if (n < length(mark) + 40 || !identical(bytes[seq_along(mark)], mark)) {
    stop_because("file", c(sprintf("%s is not a tally.", basename(path)), i = "Tallies are written by `save_tally()`."))
  }
  read <- byte_reader(bytes, length(mark))
  version <- read("integer", 1L)
  if (version != 1L) {
    stop_because("file", c(sprintf("%s is a tally of version %d.", basename(path), version), i = "This version of the package reads version 1."))
  }
  sum <- digest::digest(bytes[seq_len(n - 32L)], algo = "sha256", serialize = FALSE, raw = TRUE)
  if (!identical(bytes[(n - 31L):n], sum)) {
    stop_because("file", c(sprintf("%s is damaged.", basename(path)), x = "Its checksum does not fit its contents.", i = "Make the tally again from its lines."))
  }
  text <- rawToChar(read("raw", read("integer", 1L)))
  Encoding(text) <- "UTF-8"
  tally_from(jsonlite::parse_json(text), read)
}

# A function that gives the next so many values of a type.
byte_reader <- function(bytes, at) {
  size <- c(raw = 1, integer = 4, double = 8)
  function(type, n) {
    force(n)
    from <- at
    at <<- at + size[[type]] * n
    taken <- bytes[seq_len(size[[type]] * n) + from]
    if (type == "raw") taken else readBin(taken, type, n, endian = "little")
  }
}

tally_from <- function(about, read) {
  parts <- lapply(about$parts, function(part) {
    dates <- as.logical(unlist(part$dates))
    kinds <- as.character(unlist(part$kinds))
    groups <- as.integer(unlist(part$groups))
    codes <- lapply(dates, function(key) read("integer", groups))
    numbers <- lapply(kinds, function(kind) list(read("double", groups), read("double", groups)))
    types <- if (is.null(part$types)) lapply(part$labels, function(labels) typeof(unlist(labels))) else part$types
    labels <- Map(function(labels, type, date) as.vector(unlist(labels), if (date) "integer" else unlist(type)), part$labels, types, dates)
    list(labels = unname(labels), dates = dates,
         codes = codes, kinds = kinds, values = lapply(numbers, function(x) x[[1]]), counted = lapply(numbers, function(x) x[[2]]))
  })
  text <- function(x) if (length(x)) as.character(unlist(x))
  structure(list(
    every = text(about$every), by = as.character(unlist(about$by)),
    measures = lapply(about$measures, function(m) {
      list(kind = m$kind[[1]], decimals = as.integer(m$decimals[[1]]), staged = m$staged[[1]], words = m$words[[1]])
    }), parts = parts, lines = as.double(unlist(about$lines)), span = plain_days(unlist(about$span)),
    calendar = list(year_starts = text(about$calendar$year_starts), week_starts = text(about$calendar$week_starts), weeks = text(about$calendar$weeks),
                    rules = as.integer(unlist(about$calendar$rules))),
    currency = text(about$currency)
  ), class = "hinterfeld_tally")
}
