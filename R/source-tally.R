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
    stop_because("file", sprintf("%s is not a tally.", basename(path)), i = "Tallies are written by `save_tally()`.")
  }
  read <- byte_reader(bytes, length(mark), n - 32)
  version <- read("integer", 1L)
  if (!identical(version, tally_version)) {
    stop_because("file", sprintf("%s is a tally of version %s.", basename(path), version),
                 i = sprintf("This version of the package reads version %d.", tally_version))
  }
  sum <- sha256_bytes(bytes[seq_len(n - 32L)])
  again <- "Make the tally again from its lines."
  if (!identical(bytes[(n - 31L):n], sum)) stop_damaged(path, "Its checksum does not fit its contents.", again)
  tryCatch(parse_tally(description_of(read), read),
           hinterfeld_damaged = function(cnd) stop_damaged(path, conditionMessage(cnd), again))
}

# A tally that stands in another file, whose version is known.
tally_from_bytes <- function(bytes) {
  mark <- charToRaw(tally_mark)
  n <- length(bytes)
  check_saved(n > length(mark) + 40 && identical(bytes[seq_along(mark)], mark), "tallies")
  read <- byte_reader(bytes, length(mark), n - 32)
  check_saved(identical(read("integer", 1L), tally_version), "versions")
  parse_tally(description_of(read), read)
}

# Requires what holds for every saved tally but may fail for a damaged or forged file.
check_saved <- function(holds, what) {
  if (!isTRUE(holds)) {
    stop(structure(class = c("hinterfeld_damaged", "error", "condition"),
                   list(message = sprintf("Its contents have changed: its %s are not as they were saved.", what),
                        call = NULL)))
  }
}

# A function that returns the next `n` values of a type, up to the end.
byte_reader <- function(bytes, at, end) {
  size <- c(raw = 1, integer = 4, double = 8)
  function(type, n) {
    check_saved(is.numeric(n) && length(n) == 1 && !is.na(n) && n >= 0 && at + size[[type]] * n <= end, "sizes")
    from <- at
    at <<- at + size[[type]] * n
    taken <- bytes[seq_len(size[[type]] * n) + from]
    if (type == "raw") taken else readBin(taken, type, n, endian = "little")
  }
}

description_of <- function(read) {
  bytes <- read("raw", read("integer", 1L))
  check_saved(!any(bytes == 0), "texts")
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  check_saved(validUTF8(text), "texts")
  # The parser recurses with every bracket, so depth is limited.
  marks <- regmatches(text, gregexpr("\"(\\\\.|[^\"\\\\])*\"|[][{}]", text, perl = TRUE))[[1]]
  check_saved(max(0, cumsum(ifelse(marks %in% c("[", "{"), 1, ifelse(marks %in% c("]", "}"), -1, 0)))) <= 8, "brackets")
  about <- parsed_json(text)
  check_saved(!is.null(about), "words")
  about
}

parse_tally <- function(about, read) {
  fields <- c("every", "by", "measures", "lines", "made_of", "days", "calendar", "currency", "decimals", "rounding",
              "trail",
              "orders", "alike", "parts")
  check_saved(is.list(about) && setequal(names(about), fields), "fields")
  every <- text_field(about$every, most = 1)
  by <- as.character(text_field(about$by))
  check_saved(is.null(every) || every %in% grains, "periods")
  check_saved(!anyDuplicated(c(every, by)), "keys")
  check_saved(is.list(about$measures), "measures")
  measures <- lapply(about$measures, parse_measure, columns = by)
  check_saved(length(measures) > 0 && rlang::is_named(measures) && !anyDuplicated(c(names(measures), every, by)),
       "measures are")
  check_saved(!any(startsWith(names(measures), ".")), "measures")
  staged <- Filter(is_staged_spec, measures)
  plain <- measures[setdiff(names(measures), names(staged))]
  check_saved(is.list(about$parts) && length(about$parts) == 1 + length(staged), "parts")
  first <- c(.revenue = "sum", .lines = "count", vapply(plain, function(m) measure_kinds[[m$spec$kind]]$gather, ""))
  stages <- lapply(names(staged), function(name) {
    stats::setNames(if (is.null(staged[[name]]$spec$per)) "count" else "sum", name)
  })
  keys <- c(every, by)
  rowsets <- Map(parse_part, about$parts, c(list(keys), rep(list(c(keys, stage_column)), length(staged))),
               c(list(first), stages),
               MoreArgs = list(read = read, dated = length(every) == 1))
  trail <- parse_trail(about$trail)
  orders <- if (!is.null(about$orders)) parse_orders(about$orders, nrow(trail), read)
  coverage <- days_of_runs(about$days, c("seen", "said", "covered", "ruled"))
  check_saved(length(coverage$seen) > 0 && length(coverage$covered) > 0, "days")
  decimals <- number_field(about$decimals, 1)
  rounding <- text_field(about$rounding, 1)
  check_saved(decimals %in% 0:max_decimals && rounding %in% c("half_up", "half_even"), "decimals")
  described <- list(
    made_of = as.character(text_field(about$made_of)), calendar = parse_calendar(about$calendar),
    currency = text_field(about$currency, most = 1),
    trail = trail, orders = orders, alike = lapply(about$alike, parse_shared_names),
    decimals = c(revenue = as.integer(decimals)), rounding = rounding
  )
  described <- with_coverage(described, coverage)
  check_periods_of(rowsets, every, described)
  tally <- tryCatch(new_tally(every, by, measures, unname(rowsets), described), hinterfeld_error = function(cnd) NULL)
  check_saved(!is.null(tally) && identical(number_field(about$lines, 1), tally$lines), "lines")
  tally
}

# Days as runs (output-tally.R writes them).
days_of_runs <- function(runs, names) {
  check_saved(is.list(runs) && identical(names(runs), names), "days")
  lapply(runs, function(run) {
    check_saved(is.list(run) && identical(names(run), c("from", "days")) && length(run$from) == length(run$days),
                "days")
    if (length(run$from) == 0) {
      return(integer())
    }
    from <- number_field(run$from, length(run$from))
    days <- number_field(run$days, length(run$from))
    whole <- all(from == round(from)) && all(days == round(days)) && all(days > 0) && sum(days) < 1e7
    check_saved(whole && all(abs(from) < 1e7) && all(diff(from) > utils::head(days, -1)), "days")
    sequence(days, from)
  })
}

# First days of periods, inside the days that the tally covers.
check_periods_of <- function(rowsets, every, about) {
  if (is.null(every)) {
    return(invisible())
  }
  from <- period_start(about$span[1], every, about$calendar)
  for (rowset in rowsets) {
    days <- rowset$columns[[every]]
    check_saved(!anyNA(days) && all(days == round(as.double(days))) && all(days >= from & days <= about$span[2]),
         "periods are")
    check_saved(all(period_start(days, every, about$calendar) == days), "periods")
  }
}

parse_trail <- function(trail) {
  like <- new_trail()
  check_saved(is.list(trail) && identical(names(trail), names(like)), "steps")
  columns <- Map(function(column, of) {
    values <- if (is.character(of)) {
      text_field(column)
    } else {
      unlist(lapply(column, function(x) if (is.null(x)) NA_real_ else x))
    }
    check_saved(is.null(values) || is.character(values) == is.character(of) &&
         (is.character(of) || is.numeric(values) || all(is.na(values))), "steps are")
    if (is.integer(of)) as.integer(values) else if (is.character(of)) as.character(values) else as.double(values)
  }, trail, as.list(like))
  check_saved(length(unique(lengths(columns))) == 1 && all(columns$decimals %in% 0:max_decimals), "steps")
  inner_table(columns, length(columns$what))
}

parse_shared_names <- function(saved) {
  check_saved(is.list(saved) && identical(names(saved), c("table", "column", "names", "number", "apart")), "names")
  list(table = text_field(saved$table, 1), column = text_field(saved$column, 1), names = text_field(saved$names, 3),
       number = as.integer(number_field(saved$number, 1)), apart = as.character(text_field(saved$apart)))
}

parse_orders <- function(orders, steps, read) {
  check_saved(is.list(orders) && setequal(names(orders), c("type", "count", "steps")), "orders")
  type <- text_field(orders$type, 1)
  count <- number_field(orders$count, 1)
  step <- number_field(orders$steps, 1)
  check_saved(count >= 0 && count == round(count) && step %in% seq_len(steps), "orders")
  reached <- read("integer", count)
  check_saved(!anyNA(reached) && all(reached >= 1L & reached <= step), "orders")
  labels <- if (identical(type, "character")) parse_texts(read, count) else read("double", count)
  check_saved(!anyNA(labels) && !anyDuplicated(labels), "orders")
  labels <- if (identical(type, "character")) labels else parse_labels(as.list(number_text(labels)), type)
  list(labels = labels, first = 1, reached = reached, steps = as.integer(step))
}

# Texts by their lengths in bytes.
parse_texts <- function(read, count) {
  sizes <- read("integer", count)
  check_saved(!anyNA(sizes) && all(sizes >= 0), "texts")
  bytes <- read("raw", sum(as.double(sizes)))
  if (count == 0) {
    return(character())
  }
  check_saved(!any(bytes == 0), "texts")
  all <- rawToChar(bytes)
  Encoding(all) <- "bytes"
  ends <- cumsum(as.double(sizes))
  texts <- substring(all, ends - sizes + 1, ends)
  Encoding(texts) <- "UTF-8"
  check_saved(all(validUTF8(texts)), "texts")
  texts
}

parse_part <- function(rowset, keys, kinds, read, dated) {
  check_saved(is.list(rowset) && setequal(names(rowset), c("names", "labels", "types", "amounts", "groups")) &&
       is.list(rowset$labels), "parts are")
  types <- as.character(text_field(rowset$types))
  check_saved(identical(as.character(text_field(rowset$names)), as.character(keys)), "keys")
  check_saved(length(rowset$labels) == length(keys) && length(types) == length(keys), "keys")
  check_saved(is.list(rowset$amounts) && identical(as.character(text_field(rowset$amounts$names)), names(kinds)) &&
         identical(as.character(text_field(rowset$amounts$kinds)), unname(kinds)), "amounts are")
  check_saved(!dated || types[1] == "date", "periods")
  groups <- number_field(rowset$groups, 1)
  check_saved(groups >= 0 && groups == round(groups) && groups < 2^31, "groups")
  labels <- unname(Map(parse_labels, rowset$labels, types))
  columns <- lapply(labels, function(of) {
    code <- read("integer", groups)
    check_saved(!anyNA(code) && all(code >= 0L & code <= length(of)), "codes")
    code <- replace(code, code == 0L, NA)
    if (is.character(of)) factor_of(code, of) else of[code]
  })
  amounts <- lapply(kinds, function(kind) {
    pair <- list(kind = kind, values = read("double", groups), counted = read("double", groups))
    check_saved(line_counts_kernel(pair$counted), "numbers of lines")
    pair
  })
  list(columns = stats::setNames(columns, keys), lines = as.integer(groups), amounts = amounts)
}

parse_labels <- function(labels, type) {
  values <- unlist(labels)
  check_saved(is.list(labels) && length(values) == length(labels) && (is.null(values) || !is.list(values)), "labels")
  check_saved(is.null(values) || is.character(values) || type %in% c("integer", "logical"), "labels")
  labels_read <- values_of_type(values, type)
  check_saved(!anyNA(labels_read) && !anyDuplicated(labels_read), "labels")
  labels_read
}

# Values of a type from the texts that were written for them.
values_of_type <- function(values, type) {
  number <- function() suppressWarnings(as.double(values))
  if (startsWith(type, "datetime ")) {
    return(as.POSIXct(number(), origin = "1970-01-01", tz = substring(type, 10)))
  }
  switch(type,
    character = as.character(values), double = number(), date = plain_days(number()),
    integer = suppressWarnings(as.integer(values)), logical = as.logical(values), check_saved(FALSE, "labels")
  )
}

parse_measure <- function(m, columns) {
  fields <- c("kind", "column", "x", "per", "where", "incomplete", "margin", "decimals", "counts", "label")
  check_saved(is.list(m) && setequal(names(m), fields), "measures")
  kind <- text_field(m$kind, 1)
  check_saved(isTRUE(kind %in% names(measure_kinds)), "measures")
  entry <- measure_kinds[[kind]]
  column <- unlist(m$column)
  decimals <- number_field(m$decimals, 1)
  margin <- text_field(m$margin, 1)
  per <- text_field(m$per, 1)
  label <- text_field(m$label, 1)
  check_saved(rlang::is_bool(column) && decimals %in% 0:max_decimals && isTRUE(margin %in% c("recompute", "add_up")),
       "measures are")
  incomplete <- text_field(m$incomplete, 1)
  check_saved(isTRUE(incomplete %in% c("leave_out", "count")), "measures")
  check_saved((is.null(per) || entry$per) && (margin == "recompute" || entry$margin), "measures")
  x <- text_field(m$x, 1)
  check_saved(is.null(x) == (entry$takes == "lines") && is.null(label) == is.null(x) &&
                (entry$takes != "column" || column),
       "measures are")
  check_saved(entry$takes != "pair", "measures")
  spec <- list(kind = kind, x = if (column) x else parse_saved_expression(x), to = NULL, per = per,
               where = parse_saved_expression(text_field(m$where, 1)),
               incomplete = incomplete, margin = margin, decimals = as.integer(decimals), language = TRUE)
  counts <- text_field(m$counts, 1)
  check_saved(isTRUE(counts %in% c("money", "pieces", "lines", "orders", "days", "date", "other")), "measures")
  list(spec = spec, counts = counts, label = label)
}

# An expression of the language, and nothing else.
parse_saved_expression <- function(text) {
  if (is.null(text)) {
    return(NULL)
  }
  read <- read_expression(text)
  check_saved(is.null(read$problem), "measures")
  rlang::quo_get_expr(read$quo)
}

parse_calendar <- function(of) {
  check_saved(is.list(of), "calendars")
  given <- lapply(of[c("year_starts", "week_starts", "weeks")], text_field, most = 1)
  # Calendar months go with weeks from any day only where `weeks` is left out.
  weeks <- given$weeks[given$weeks == "445"]
  closed <- text_field(of$closed)
  calendar <- tryCatch(rlang::inject(sales_calendar(given$year_starts, given$week_starts, !!!weeks, closed = closed)),
                       error = function(cnd) NULL)
  check_saved(!is.null(calendar) && identical(calendar$weeks, given$weeks) &&
       identical(as.integer(unlist(of$rules)), as.integer(calendar$rules)), "calendars are")
  calendar
}

text_field <- function(x, most = Inf) {
  values <- unlist(x)
  check_saved((is.null(values) || is.character(values)) && length(values) <= most && length(values) == length(x),
              "texts")
  values
}

number_field <- function(x, n) {
  values <- unlist(x)
  check_saved(is.numeric(values) && length(values) == n && all(is.finite(values)), "numbers")
  as.double(values)
}
