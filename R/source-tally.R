# Tallies from files; output-tally.R writes them and tells the form. Nothing that a file says of itself is trusted: every size,
# code and label is looked at before it is used.

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
  read <- byte_reader(bytes, length(mark), n - 32)
  version <- read("integer", 1L)
  if (!identical(version, 2L)) {
    stop_because("file", c(sprintf("%s is a tally of version %s.", basename(path), version), i = "This version of the package reads version 2."))
  }
  sum <- digest::digest(bytes[seq_len(n - 32L)], algo = "sha256", serialize = FALSE, raw = TRUE)
  if (!identical(bytes[(n - 31L):n], sum)) stop_damaged(path, "Its checksum does not fit its contents.")
  tryCatch(tally_from(description_of(read), read), hinterfeld_damaged = function(cnd) stop_damaged(path, conditionMessage(cnd)))
}

stop_damaged <- function(path, why, call = caller_env()) {
  stop_because("file", c(sprintf("%s is damaged.", basename(path)), x = why, i = "Make the tally again from its lines."), call = call)
}

# What holds of every tally that was saved, and need not of one that was made up.
must <- function(holds, what) {
  if (!isTRUE(holds)) {
    stop(structure(class = c("hinterfeld_damaged", "error", "condition"), list(message = sprintf("Its %s not as they were saved.", what), call = NULL)))
  }
}

# A function that gives the next so many values of a type, up to the end.
byte_reader <- function(bytes, at, end) {
  size <- c(raw = 1, integer = 4, double = 8)
  function(type, n) {
    must(is.numeric(n) && length(n) == 1 && !is.na(n) && n >= 0 && at + size[[type]] * n <= end, "sizes are")
    from <- at
    at <<- at + size[[type]] * n
    taken <- bytes[seq_len(size[[type]] * n) + from]
    if (type == "raw") taken else readBin(taken, type, n, endian = "little")
  }
}

description_of <- function(read) {
  bytes <- read("raw", read("integer", 1L))
  must(!any(bytes == 0), "texts are")
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  must(validUTF8(text), "texts are")
  # The parser goes down with every bracket.
  marks <- regmatches(text, gregexpr("\"(\\\\.|[^\"\\\\])*\"|[][{}]", text, perl = TRUE))[[1]]
  must(max(0, cumsum(ifelse(marks %in% c("[", "{"), 1, ifelse(marks %in% c("]", "}"), -1, 0)))) <= 8, "brackets are")
  about <- parsed_json(text)
  must(!is.null(about), "words are")
  about
}

tally_from <- function(about, read) {
  fields <- c("every", "by", "measures", "parts", "lines", "span", "calendar", "currency")
  must(is.list(about) && setequal(names(about), fields), "fields are")
  every <- text_field(about$every, most = 1)
  by <- text_field(about$by)
  must(is.null(every) || every %in% grains, "periods are")
  must(!anyDuplicated(c(every, by)), "keys are")
  measures <- lapply(about$measures, measure_from)
  must(length(measures) > 0 && rlang::is_named(measures) && !anyDuplicated(c(names(measures), every, by)), "measures are")
  staged <- Filter(function(m) m$staged, measures)
  must(is.list(about$parts) && length(about$parts) == 1 + length(staged), "parts are")
  keys <- length(c(every, by))
  plain <- Filter(function(m) !m$staged, measures)
  parts <- Map(part_from, about$parts, c(keys, rep(keys + 1, length(staged))), c(list(c(kinds_of(plain), "count")), as.list(kinds_of(staged))),
               MoreArgs = list(read = read, dated = length(every) == 1))
  lines <- number_field(about$lines, 1)
  span <- number_field(about$span, 2)
  must(lines >= 0 && lines == round(lines) && all(span == round(span)) && all(abs(span) < 1e7) && span[1] <= span[2], "days are")
  structure(list(
    every = every, by = as.character(by), measures = measures, parts = unname(parts), lines = lines, span = plain_days(span),
    calendar = calendar_from(about$calendar), currency = text_field(about$currency, most = 1)
  ), class = "hinterfeld_tally")
}

# What each part holds of these measures.
kinds_of <- function(measures) {
  unname(vapply(measures, function(m) {
    if (m$kind %in% c("lines", "distinct")) "count" else if (m$staged || m$kind == "mean") "sum" else m$kind
  }, ""))
}

part_from <- function(part, keys, kinds, read, dated) {
  must(is.list(part) && setequal(names(part), c("labels", "types", "kinds", "groups")) && is.list(part$labels), "parts are")
  types <- as.character(text_field(part$types))
  must(length(part$labels) == keys && length(types) == keys && identical(as.character(text_field(part$kinds)), kinds), "keys are")
  must(!dated || types[1] == "date", "periods are")
  groups <- number_field(part$groups, 1)
  must(groups >= 0 && groups == round(groups) && groups < 2^31, "groups are")
  labels <- unname(Map(labels_from, part$labels, types))
  codes <- lapply(labels, function(of) {
    code <- read("integer", groups)
    must(!anyNA(code) && all(code >= 0L & code <= length(of)), "codes are")
    code
  })
  numbers <- lapply(kinds, function(kind) {
    pair <- list(read("double", groups), read("double", groups))
    must(line_counts_kernel(pair[[2]]), "numbers of lines are")
    pair
  })
  list(labels = labels, codes = codes, kinds = kinds, values = lapply(numbers, function(x) x[[1]]), counted = lapply(numbers, function(x) x[[2]]))
}

labels_from <- function(labels, type) {
  values <- unlist(labels)
  must(is.list(labels) && length(values) == length(labels) && (is.null(values) || !is.list(values)), "labels are")
  number <- function() {
    must(is.null(values) || is.character(values), "labels are")
    suppressWarnings(as.double(values))
  }
  found <- if (startsWith(type, "datetime ")) {
    as.POSIXct(number(), origin = "1970-01-01", tz = substring(type, 10))
  } else {
    switch(type,
      character = as.character(values), double = number(), date = plain_days(number()),
      integer = suppressWarnings(as.integer(values)), logical = as.logical(values), must(FALSE, "labels are")
    )
  }
  must(!anyNA(found) && !anyDuplicated(found), "labels are")
  found
}

measure_from <- function(m) {
  must(is.list(m) && setequal(names(m), c("kind", "decimals", "staged", "words")), "measures are")
  kind <- text_field(m$kind, 1)
  decimals <- number_field(m$decimals, 1)
  staged <- unlist(m$staged)
  must(isTRUE(kind %in% c("sum", "mean", "smallest", "largest", "lines", "distinct")) && decimals %in% 0:most_decimals && rlang::is_bool(staged), "measures are")
  must(staged == (kind == "distinct") || kind %in% c("mean", "smallest", "largest"), "measures are")
  list(kind = kind, decimals = as.integer(decimals), staged = staged, words = text_field(m$words, 1))
}

calendar_from <- function(of) {
  must(is.list(of), "calendars are")
  given <- lapply(of[c("year_starts", "week_starts", "weeks")], text_field, most = 1)
  # Calendar months go with weeks from any day only where `weeks` is left out.
  known <- tryCatch(rlang::inject(sales_calendar(given$year_starts, given$week_starts, !!!given$weeks[given$weeks == "445"])), error = function(cnd) NULL)
  must(!is.null(known) && identical(known$weeks, given$weeks) && identical(as.integer(unlist(of$rules)), as.integer(known$rules)), "calendars are")
  unclass(known)
}

text_field <- function(x, most = Inf) {
  values <- unlist(x)
  must((is.null(values) || is.character(values)) && length(values) <= most && length(values) == length(x), "texts are")
  values
}

number_field <- function(x, n) {
  values <- unlist(x)
  must(is.numeric(values) && length(values) == n && all(is.finite(values)), "numbers are")
  as.double(values)
}
