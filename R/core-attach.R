#' Attach a table's columns to lines by key
#'
#' Every line gets the columns of the one table row that has its key. A line is never duplicated: a table in which a key
#' occurs more than once is refused, because joining it would count revenue twice. The lines keep their order.
#'
#' @param lines A data frame with one row per sale line.
#' @param table A data frame with one row per key: orders, products, places.
#' @param by Key columns, bare or as strings; several with `c(region, town)`. If the names differ, put the name in
#'   `lines` first: `c(order_day = day)`.
#' @param need Text. `"every"`: every line must have a matching row, otherwise it is an error. `"any"`: lines without a
#'   matching row are kept, with blanks.
#' @param name Text: what to call the table in messages and the audit. By default its file's name.
#' @return `lines` as a tibble with the table's other columns at the end. If the lines already have a column of that
#'   name, theirs keeps it and the table's becomes `<column>_<name>`; a message says so. Another message counts the
#'   lines without a row and the table's rows without a line.
#' @section Errors: `hinterfeld_error_column` for an unknown key column,
#'   `hinterfeld_error_key_type` for keys of different kinds, `hinterfeld_error_repeated_key`,
#'   `hinterfeld_error_unmatched` when `need = "every"` and lines find no row.
#' @export
#' @examples
#' files <- demo_files()
#' lines <- load_table(files[["order_lines"]])
#' products <- load_table(files[["products"]])
#' attach_table(lines, products, by = product_id, need = "any")
attach_table <- function(lines, table, by, need = c("every", "any"), name = NULL) {
  given <- substitute(table)
  check_table(lines, "lines")
  check_table(table, "table")
  need <- check_choice(need[1], "need", c("every", "any"))
  check_text(name, "name", none = TRUE)
  name <- name %||% table_name(table, given)
  keys <- attach_keys(enquo(by), lines, table)
  codes <- key_codes(lines, table, keys)
  check_repeated_keys(codes$table, table, keys, name)

  row <- found_rows(codes)
  origin <- origin_of(lines)
  report <- match_report(row, lines, table, keys, name, origin$grouped)
  if (need == "every" && report$unmatched > 0) {
    stop_because("unmatched",
                 sprintf("%s %s no row in %s.", count_of(report$unmatched, "line"),
                         if (report$unmatched == 1) "has" else "have", name),
                 x = sprintf("No row by %s for %s.", columns_named(names(keys)), report$examples),
                 i = "Correct the keys, or keep these lines with blanks: `need = \"any\"`.", report$hint,
                 rows = which(is.na(row)))
  }
  say("attach", report$line, report$hint, unmatched = report$unmatched, unused = report$unused)

  out <- add_columns(tibble::as_tibble(lines), attached_rows(table[setdiff(names(table), keys)], row), name)
  held <- lines_among(origin$grouped, seq_len(nrow(out)))
  step <- new_trail("attach", report$why, held, held, unmatched = report$unmatched, unused = report$unused)
  # Texts keep the decimal mark of the file they came from.
  added <- setdiff(names(table), keys)
  theirs <- as.character(origin_of(table)$marks)[match(added, names(origin_of(table)$marks))]
  marks <- c(origin$marks, stats::setNames(theirs, names(out)[ncol(lines) + seq_along(added)]))
  columns <- stats::setNames(c(keys, added), c(names(keys), names(out)[ncol(lines) + seq_along(added)]))
  if (is_chunk()) origin$used <- c(origin$used, list(used_rows(report$why, row, nrow(table))))
  origin$alike <- unique(c(origin$alike, find_shared_names(table, columns, name)))
  hand_on_origin(out, origin, step, marks[!is.na(marks)])
}

table_name <- function(table, expr) {
  file <- attr(table, "hinterfeld_origin", exact = TRUE)$places$file[1]
  if (!is.null(file) && !is.na(file)) {
    sub("([.][[:alnum:]]+)+$", "", basename(file))
  } else if (is.symbol(expr)) {
    as.character(expr)
  } else {
    "table"
  }
}

# Table columns named by the lines' columns they are compared with.
attach_keys <- function(by, lines, table, call = caller_env()) {
  if (rlang::quo_is_missing(by)) {
    shared <- intersect(names(lines), names(table))
    stop_because("argument", "`by` is missing: which columns hold the key?",
                 i = if (length(shared)) sprintf("Both tables have %s.", columns_named(shared)), call = call)
  }
  where <- stats::setNames(seq_along(names(table)), names(table))
  picked <- tryCatch(
    tidyselect::eval_select(by, where),
    error = function(cnd) stop_unknown_column(by, names(table), "by", call)
  )
  check_known(names(picked), names(lines), "The lines have no column %s.",
              i = "If the names differ, put the name in `lines` first: `by = c(lines_name = table_name)`.", call = call)
  stats::setNames(names(table)[picked], names(picked))
}

# One number per key on each side; the same number is the same key, NA is not a key.
key_codes <- function(lines, table, keys, call = caller_env()) {
  codes <- NULL
  for (i in seq_along(keys)) {
    ours <- lines[[names(keys)[i]]]
    theirs <- table[[keys[i]]]
    check_key_types(ours, theirs, names(keys)[i], keys[i], call)
    if (is.factor(theirs)) theirs <- as.character(theirs)
    values <- unique(theirs[!is.na(theirs)])
    places <- list(lines = places_among(ours, values), table = places_among(theirs, values))
    codes <- if (i == 1) places else Map(function(code, place) (code - 1) * length(values) + place, codes, places)
    # Of pairs those that the table has.
    if (i > 1) codes <- lapply(codes, match, unique(codes$table[!is.na(codes$table)]))
  }
  codes
}

# The table's row of each line; NA where it has none.
found_rows <- function(codes) {
  given <- which(!is.na(codes$table))
  rows <- rep(NA_integer_, max(codes$table[given], 0))
  rows[codes$table[given]] <- given
  rows[codes$lines]
}

# Where each value stands among the known ones; text is looked up once per distinct text.
places_among <- function(x, values) {
  if (!is.character(x) && !is.factor(x)) {
    return(match(x, values))
  }
  codes <- distinct_codes(x)
  recode_kernel(codes$codes, match(codes$labels, values, incomparables = NA), NA_integer_, threads_wanted())
}

check_key_types <- function(ours, theirs, our_name, their_name, call) {
  kinds <- c(type_of(ours), type_of(theirs))
  if (kinds[1] != kinds[2] && !all(is.na(ours)) && !all(is.na(theirs))) {
    stop_because("key_type", sprintf("Key `%s` is %s in the lines and %s in the table.", our_name, kinds[1], kinds[2]),
                 x = sprintf("For example %s here and %s there.", examples_of(ours[!is.na(ours)], 2),
                             examples_of(theirs[!is.na(theirs)], 2)),
                 i = sprintf("Read both as text: %s.", typed_type(their_name, "text")),
                 call = call)
  }
}

check_repeated_keys <- function(code, table, keys, name, call = caller_env()) {
  again <- duplicated(code) & !is.na(code)
  if (any(again)) {
    repeated <- unique(code[again])
    first <- match(repeated, code)
    stop_because("repeated_key",
                 sprintf("%s has %s more than once: attaching it would count revenue twice.", name,
                         count_of(length(repeated), "key")),
                 x = sprintf("By %s: %s.", columns_named(keys), examples_of(key_text(table, keys, first), quote = "")),
                 i = "Add the column that tells the rows apart to `by`, or keep one row per key.",
                 rows = which(code %in% repeated), call = call)
  }
}

key_text <- function(table, keys, rows, mark = quoted) {
  texts <- lapply(keys, function(key) {
    value <- plain_value(table[[key]][rows])
    ifelse(is.na(value), "blank", mark(value))
  })
  do.call(paste, c(unname(texts), sep = " / "))
}

# What the match found, for the message, the error and the audit.
match_report <- function(row, lines, table, keys, name, grouped) {
  missed <- which(is.na(row))
  unused <- sum(tabulate(row, nrow(table)) == 0)
  by <- paste(names(keys), collapse = ", ")
  examples <- if (length(missed)) examples_of(key_text(lines, names(keys), missed), quote = "")
  matched <- if (length(missed) == 0) {
    "every line found its row"
  } else {
    sprintf("%s without a match (%s)", count_of(lines_among(grouped, missed), "line"), examples)
  }
  rest <- if (unused > 0) sprintf("; %s of %s not used", count_of(unused, "row"), name) else ""
  list(
    unmatched = lines_among(grouped, missed), unused = unused, examples = examples,
    line = sprintf("%s attached by %s: %s%s.", name, by, matched, rest),
    hint = spelling_hint(row, lines, table, keys),
    why = paste(name, "by", by)
  )
}

# Keys that would match if case and outer spaces did not count.
spelling_hint <- function(row, lines, table, keys) {
  missed <- which(is.na(row))
  texts <- vapply(keys, function(key) type_of(table[[key]]) == "text", NA)
  if (length(missed) == 0 || !all(texts)) {
    return(NULL)
  }
  near <- plain_text(key_text(lines, names(keys), missed, identity)) %in%
    plain_text(key_text(table, keys, seq_len(nrow(table)), identity))
  if (any(near)) {
    c(i = sprintf("%s would match if case and surrounding spaces were ignored.", count_of(sum(near), "line")))
  }
}

# The row of each line; text is handed on as its codes.
attached_rows <- function(table, row) {
  texts <- vapply(table, function(x) is.character(x) && !is.object(x), NA)
  table[texts] <- lapply(table[texts], function(x) {
    coded <- text_codes(x)
    given_labels(coded, !is.na(coded$labels))
  })
  more <- tibble::as_tibble(table)[row, , drop = FALSE]
  more[texts] <- lapply(more[texts], function(x) lazy_text(as.integer(x), levels(x)))
  more
}

add_columns <- function(lines, more, name) {
  clash <- names(more) %in% names(lines)
  if (any(clash)) {
    taken <- c(names(lines), names(more)[!clash])
    renamed <- utils::tail(make.unique(c(taken, paste0(names(more)[clash], "_", name)), "_"), sum(clash))
    say("renamed",
        sprintf("%s: the lines already have %s; the table's %s now called %s.", name, columns_named(names(more)[clash]),
                if (sum(clash) == 1) "is" else "are", columns_named(renamed)))
    names(more)[clash] <- renamed
  }
  lines[names(more)] <- more
  lines
}
