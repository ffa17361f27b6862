# Tallies from files; output-tally.R writes them and tells the form. Nothing that a file says of itself is trusted:
# every size, code and label is looked at before it is used.

tally_mark <- "hinterfeld tally"
tally_version <- 6L

#' @rdname save_tally
#' @export
load_tally <- function(path) {
  check_file(path)
  bytes <- readBin(path, "raw", file.size(path))
  n <- length(bytes)
  mark <- charToRaw(tally_mark)
  if (n < length(mark) + 40 || !identical(bytes[seq_along(mark)], mark)) {
    stop_because("file", c(sprintf("%s is not a tally.", basename(path)), i = "Tallies are written by `save_tally()`."))
  }
  read <- byte_reader(bytes, length(mark), n - 32)
  version <- read("integer", 1L)
  if (!identical(version, tally_version)) {
    stop_because("file", c(sprintf("%s is a tally of version %s.", basename(path), version),
                           i = sprintf("This version of the package reads version %d.", tally_version)))
  }
  sum <- digest::digest(bytes[seq_len(n - 32L)], algo = "sha256", serialize = FALSE, raw = TRUE)
  again <- "Make the tally again from its lines."
  if (!identical(bytes[(n - 31L):n], sum)) stop_damaged(path, "Its checksum does not fit its contents.", again)
  tryCatch(tally_from(description_of(read), read),
           hinterfeld_damaged = function(cnd) stop_damaged(path, conditionMessage(cnd), again))
}

# A tally that stands in another file, whose version is known.
tally_from_bytes <- function(bytes) {
  mark <- charToRaw(tally_mark)
  n <- length(bytes)
  must(n > length(mark) + 40 && identical(bytes[seq_along(mark)], mark), "tallies are")
  read <- byte_reader(bytes, length(mark), n - 32)
  must(identical(read("integer", 1L), tally_version), "versions are")
  tally_from(description_of(read), read)
}

# Requires what holds for every saved tally but may fail for a damaged or forged file.
must <- function(holds, what) {
  if (!isTRUE(holds)) {
    stop(structure(class = c("hinterfeld_damaged", "error", "condition"),
                   list(message = sprintf("Its contents have changed: its %s not as they were saved.", what),
                        call = NULL)))
  }
}

# A function that returns the next `n` values of a type, up to the end.
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
  # The parser recurses with every bracket, so depth is limited.
  marks <- regmatches(text, gregexpr("\"(\\\\.|[^\"\\\\])*\"|[][{}]", text, perl = TRUE))[[1]]
  must(max(0, cumsum(ifelse(marks %in% c("[", "{"), 1, ifelse(marks %in% c("]", "}"), -1, 0)))) <= 8, "brackets are")
  about <- parsed_json(text)
  must(!is.null(about), "words are")
  about
}

tally_from <- function(about, read) {
  fields <- c("every", "by", "measures", "lines", "made_of", "days", "calendar", "currency", "decimals", "rounding",
              "trail",
              "orders", "alike", "parts")
  must(is.list(about) && setequal(names(about), fields), "fields are")
  every <- text_field(about$every, most = 1)
  by <- as.character(text_field(about$by))
  must(is.null(every) || every %in% grains, "periods are")
  must(!anyDuplicated(c(every, by)), "keys are")
  must(is.list(about$measures), "measures are")
  measures <- lapply(about$measures, measure_from, known = by)
  must(length(measures) > 0 && rlang::is_named(measures) && !anyDuplicated(c(names(measures), every, by)),
       "measures are")
  must(!any(startsWith(names(measures), ".")), "measures are")
  staged <- Filter(is_staged_spec, measures)
  plain <- measures[setdiff(names(measures), names(staged))]
  must(is.list(about$parts) && length(about$parts) == 1 + length(staged), "parts are")
  first <- c(.revenue = "sum", .lines = "count", vapply(plain, function(m) measure_kinds[[m$spec$kind]]$gather, ""))
  stages <- lapply(names(staged), function(name) {
    stats::setNames(if (is.null(staged[[name]]$spec$per)) "count" else "sum", name)
  })
  keys <- c(every, by)
  parts <- Map(part_from, about$parts, c(list(keys), rep(list(c(keys, stage_column)), length(staged))),
               c(list(first), stages),
               MoreArgs = list(read = read, dated = length(every) == 1))
  trail <- trail_from(about$trail)
  orders <- if (!is.null(about$orders)) orders_from(about$orders, nrow(trail), read)
  coverage <- days_of_runs(about$days, c("seen", "said", "covered", "ruled"))
  must(length(coverage$seen) > 0 && length(coverage$covered) > 0, "days are")
  decimals <- number_field(about$decimals, 1)
  rounding <- text_field(about$rounding, 1)
  must(decimals %in% 0:most_decimals && rounding %in% c("half_up", "half_even"), "decimals are")
  described <- list(
    made_of = as.character(text_field(about$made_of)), calendar = calendar_from(about$calendar),
    currency = text_field(about$currency, most = 1),
    trail = trail, orders = orders, alike = lapply(about$alike, alike_from),
    decimals = c(revenue = as.integer(decimals)), rounding = rounding
  )
  described <- with_coverage(described, coverage)
  check_periods_of(parts, every, described)
  tally <- tryCatch(new_tally(every, by, measures, unname(parts), described), hinterfeld_error = function(cnd) NULL)
  must(!is.null(tally) && identical(number_field(about$lines, 1), tally$lines), "lines are")
  tally
}

# Days as runs (output-tally.R writes them).
days_of_runs <- function(runs, names) {
  must(is.list(runs) && identical(names(runs), names), "days are")
  lapply(runs, function(run) {
    must(is.list(run) && identical(names(run), c("from", "days")) && length(run$from) == length(run$days), "days are")
    if (length(run$from) == 0) {
      return(integer())
    }
    from <- number_field(run$from, length(run$from))
    days <- number_field(run$days, length(run$from))
    whole <- all(from == round(from)) && all(days == round(days)) && all(days > 0) && sum(days) < 1e7
    must(whole && all(abs(from) < 1e7) && all(diff(from) > utils::head(days, -1)), "days are")
    sequence(days, from)
  })
}

# First days of periods, inside the days that the tally covers.
check_periods_of <- function(parts, every, about) {
  if (is.null(every)) {
    return(invisible())
  }
  from <- period_start(about$span[1], every, about$calendar)
  for (part in parts) {
    days <- part$columns[[every]]
    must(!anyNA(days) && all(days == round(as.double(days))) && all(days >= from & days <= about$span[2]),
         "periods are")
    must(all(period_start(days, every, about$calendar) == days), "periods are")
  }
}

trail_from <- function(trail) {
  like <- new_trail()
  must(is.list(trail) && identical(names(trail), names(like)), "steps are")
  columns <- Map(function(column, of) {
    values <- if (is.character(of)) text_field(column) else unlist(lapply(column,
                                                                          function(x) if (is.null(x)) NA_real_ else x))
    must(is.null(values) || is.character(values) == is.character(of) &&
         (is.character(of) || is.numeric(values) || all(is.na(values))), "steps are")
    if (is.integer(of)) as.integer(values) else if (is.character(of)) as.character(values) else as.double(values)
  }, trail, as.list(like))
  must(length(unique(lengths(columns))) == 1 && all(columns$decimals %in% 0:most_decimals), "steps are")
  tibble::new_tibble(columns, nrow = length(columns$what))
}

alike_from <- function(one) {
  must(is.list(one) && identical(names(one), c("table", "column", "names", "number", "apart")), "names are")
  list(table = text_field(one$table, 1), column = text_field(one$column, 1), names = text_field(one$names, 3),
       number = as.integer(number_field(one$number, 1)), apart = as.character(text_field(one$apart)))
}

orders_from <- function(orders, steps, read) {
  must(is.list(orders) && setequal(names(orders), c("type", "count", "steps")), "orders are")
  type <- text_field(orders$type, 1)
  count <- number_field(orders$count, 1)
  known <- number_field(orders$steps, 1)
  must(count >= 0 && count == round(count) && known %in% seq_len(steps), "orders are")
  reached <- read("integer", count)
  must(!anyNA(reached) && all(reached >= 1L & reached <= known), "orders are")
  labels <- if (identical(type, "character")) texts_from(read, count) else read("double", count)
  must(!anyNA(labels) && !anyDuplicated(labels), "orders are")
  labels <- if (identical(type, "character")) labels else labels_from(as.list(number_text(labels)), type)
  list(labels = labels, first = 1, reached = reached, steps = as.integer(known))
}

# Texts by their lengths in bytes.
texts_from <- function(read, count) {
  sizes <- read("integer", count)
  must(!anyNA(sizes) && all(sizes >= 0), "texts are")
  bytes <- read("raw", sum(as.double(sizes)))
  if (count == 0) {
    return(character())
  }
  must(!any(bytes == 0), "texts are")
  all <- rawToChar(bytes)
  Encoding(all) <- "bytes"
  ends <- cumsum(as.double(sizes))
  texts <- substring(all, ends - sizes + 1, ends)
  Encoding(texts) <- "UTF-8"
  must(all(validUTF8(texts)), "texts are")
  texts
}

part_from <- function(part, keys, kinds, read, dated) {
  must(is.list(part) && setequal(names(part), c("names", "labels", "types", "amounts", "groups")) &&
       is.list(part$labels), "parts are")
  types <- as.character(text_field(part$types))
  must(identical(as.character(text_field(part$names)), as.character(keys)), "keys are")
  must(length(part$labels) == length(keys) && length(types) == length(keys), "keys are")
  must(is.list(part$amounts) && identical(as.character(text_field(part$amounts$names)), names(kinds)) &&
         identical(as.character(text_field(part$amounts$kinds)), unname(kinds)), "amounts are")
  must(!dated || types[1] == "date", "periods are")
  groups <- number_field(part$groups, 1)
  must(groups >= 0 && groups == round(groups) && groups < 2^31, "groups are")
  labels <- unname(Map(labels_from, part$labels, types))
  columns <- lapply(labels, function(of) {
    code <- read("integer", groups)
    must(!anyNA(code) && all(code >= 0L & code <= length(of)), "codes are")
    code <- replace(code, code == 0L, NA)
    if (is.character(of)) label_kernel(code + 0L, of) else of[code]
  })
  amounts <- lapply(kinds, function(kind) {
    pair <- list(kind = kind, values = read("double", groups), counted = read("double", groups))
    must(line_counts_kernel(pair$counted), "numbers of lines are")
    pair
  })
  list(columns = stats::setNames(columns, keys), lines = as.integer(groups), amounts = amounts)
}

labels_from <- function(labels, type) {
  values <- unlist(labels)
  must(is.list(labels) && length(values) == length(labels) && (is.null(values) || !is.list(values)), "labels are")
  must(is.null(values) || is.character(values) || type %in% c("integer", "logical"), "labels are")
  found <- values_of_type(values, type)
  must(!anyNA(found) && !anyDuplicated(found), "labels are")
  found
}

# Values of a type from the texts that were written for them.
values_of_type <- function(values, type) {
  number <- function() suppressWarnings(as.double(values))
  if (startsWith(type, "datetime ")) {
    return(as.POSIXct(number(), origin = "1970-01-01", tz = substring(type, 10)))
  }
  switch(type,
    character = as.character(values), double = number(), date = plain_days(number()),
    integer = suppressWarnings(as.integer(values)), logical = as.logical(values), must(FALSE, "labels are")
  )
}

measure_from <- function(m, known) {
  fields <- c("kind", "column", "x", "per", "where", "incomplete", "margin", "decimals", "counts", "label")
  must(is.list(m) && setequal(names(m), fields), "measures are")
  kind <- text_field(m$kind, 1)
  must(isTRUE(kind %in% names(measure_kinds)), "measures are")
  entry <- measure_kinds[[kind]]
  column <- unlist(m$column)
  decimals <- number_field(m$decimals, 1)
  margin <- text_field(m$margin, 1)
  per <- text_field(m$per, 1)
  label <- text_field(m$label, 1)
  must(rlang::is_bool(column) && decimals %in% 0:most_decimals && isTRUE(margin %in% c("recompute", "add_up")),
       "measures are")
  incomplete <- text_field(m$incomplete, 1)
  must(isTRUE(incomplete %in% c("leave_out", "count")), "measures are")
  must((is.null(per) || entry$per) && (margin == "recompute" || entry$margin), "measures are")
  x <- text_field(m$x, 1)
  must(is.null(x) == (entry$takes == "lines") && is.null(label) == is.null(x) && (entry$takes != "column" || column),
       "measures are")
  must(entry$takes != "pair", "measures are")
  spec <- list(kind = kind, x = if (column) x else expression_from(x), to = NULL, per = per,
               where = expression_from(text_field(m$where, 1)),
               incomplete = incomplete, margin = margin, decimals = as.integer(decimals), language = TRUE)
  counts <- text_field(m$counts, 1)
  must(isTRUE(counts %in% c("money", "pieces", "lines", "orders", "days", "other")), "measures are")
  list(spec = spec, counts = counts, label = label)
}

# An expression of the language, and nothing else.
expression_from <- function(text) {
  if (is.null(text)) {
    return(NULL)
  }
  read <- read_expression(text)
  must(is.null(read$problem), "measures are")
  rlang::quo_get_expr(read$quo)
}

calendar_from <- function(of) {
  must(is.list(of), "calendars are")
  given <- lapply(of[c("year_starts", "week_starts", "weeks")], text_field, most = 1)
  # Calendar months go with weeks from any day only where `weeks` is left out.
  known <- tryCatch(rlang::inject(sales_calendar(given$year_starts, given$week_starts,
                                                 !!!given$weeks[given$weeks == "445"])), error = function(cnd) NULL)
  must(!is.null(known) && identical(known$weeks, given$weeks) &&
       identical(as.integer(unlist(of$rules)), as.integer(known$rules)), "calendars are")
  known
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
