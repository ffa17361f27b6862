#' Tallies: totals that go on
#'
#' A tally holds the totals of some lines in a form that can be merged with those of others: of the next chunk of a
#' file too large for memory, of last month saved on disk, of another machine. The order and the size of the chunks
#' do not matter: merged tallies are the tally of all their lines, to the last unit.
#'
#' @param book A daybook made by [daybook()].
#' @param by,measures As in [totals()].
#' @param every Text: the period, as in [totals()]; not a recurring one.
#' @param a,b Tallies of the same columns, period, measures, decimals and calendar.
#' @param tally A tally.
#' @return `tally_of()` and `merge_tallies()`: a tally. `tally_totals()`: a tibble with the columns, rows and order of
#'   [totals()].
#' @section Errors: `hinterfeld_error_argument` for what is no tally, a recurring period, or tallies that do not go together,
#'   `hinterfeld_error_overflow` for a total that cannot be exact, and the errors of [totals()].
#' @seealso [save_tally()] to keep one in a file.
#' @export
#' @examples
#' book <- demo_daybook()
#' early <- tally_of(keep_lines(book, day < as.Date("2025-01-01")), by = category, every = "year")
#' late <- tally_of(keep_lines(book, day >= as.Date("2025-01-01")), by = category, every = "year")
#' tally_totals(merge_tallies(early, late))
tally_of <- function(book, by = NULL, every = NULL, measures = "revenue") {
  check_daybook(book)
  check_choice(every, "every", c(grains, recurring_grains), none = TRUE)
  if (isTRUE(every %in% recurring_grains)) {
    stop_because("argument", c(sprintf("A tally cannot be kept by %s.", every), i = "Tally by day or month, and total later."))
  }
  by <- pick_columns(enquo(by), names(book$columns), "by")
  measures <- resolve_measures(measures, book)
  check_table_names(by, every, names(measures), NULL)
  keys <- table_keys(book, by, every)
  staged <- vapply(measures, is_staged, NA)
  main <- c(lapply(measures[!staged], measure_amount), list(new_amount("count")))
  parts <- c(list(tally_part(book$lines, keys, main)), lapply(measures[staged], function(m) {
    stage <- if (m$kind == "distinct") m$key else m$per
    tally_part(book$lines, c(keys, list(stage)), list(stage_amount(m)))
  }))
  about <- lapply(measures, function(m) list(kind = m$kind, decimals = m$decimals, staged = is_staged(m), words = measure_words(m)))
  structure(list(
    every = every, by = by, measures = about, parts = unname(parts), lines = as.double(book$lines), span = book$span,
    calendar = unclass(book$calendar), currency = book$currency
  ), class = "hinterfeld_tally")
}

is_staged <- function(m) {
  !is.null(m$per) || m$kind == "distinct"
}

stage_amount <- function(m) {
  if (m$kind == "distinct") new_amount("count", NULL, m$mask) else new_amount("sum", m$minor, m$mask)
}

# Groups of a part: labels and codes of each key; values and counts as 64-bit integers that only compiled code reads.
tally_part <- function(lines, keys, amounts) {
  amounts <- lapply(amounts, function(amount) replace(amount, "counts", list(TRUE)))
  narrow <- narrow_keys(keys)
  result <- tally_kernel(lines, kernel_keys(narrow), kernel_amounts(amounts), TRUE, threads_wanted())
  if (isTRUE(result$overflow)) stop_overflow("a measure", NULL)
  list(
    labels = lapply(unname(keys), function(key) key$labels), codes = widen_codes(result$codes, narrow),
    kinds = vapply(unname(amounts), function(amount) amount$kind, ""), values = result$values, counted = result$counted
  )
}

#' @rdname tally_of
#' @export
merge_tallies <- function(a, b) {
  check_tally(a, "a")
  check_tally(b, "b")
  same <- c("every", "by", "measures", "calendar", "currency")
  differ <- same[!mapply(identical, a[same], b[same])]
  if (length(differ)) {
    stop_because("argument", c(
      "These tallies do not go together.", x = sprintf("They differ in %s.", and_list(differ)),
      i = "Make both of daybooks with the same decimals and calendar, `by`, `every` and `measures`."
    ))
  }
  a$parts <- Map(merge_parts, a$parts, b$parts)
  a$lines <- a$lines + b$lines
  a$span <- range(c(a$span, b$span))
  a
}

# The groups of both under the labels of both, and those that are one group tallied together.
merge_parts <- function(a, b) {
  keys <- Map(function(of_a, of_b, codes_a, codes_b) {
    labels <- unique(c(of_a, of_b))
    if (inherits(labels, "Date")) labels <- sort(labels)
    now <- function(codes, labels_then) recode_kernel(codes, match(labels_then, labels), 0L, threads_wanted())
    new_key(NULL, c(now(codes_a, of_a), now(codes_b, of_b)), labels)
  }, a$labels, b$labels, a$codes, b$codes)
  amounts <- Map(function(kind, values_a, values_b, counted_a, counted_b) {
    c(new_amount(kind, c(values_a, values_b)), list(lines = c(counted_a, counted_b)))
  }, a$kinds, a$values, b$values, a$counted, b$counted)
  tally_part(length(a$values[[1]]) + length(b$values[[1]]), unname(keys), unname(amounts))
}

check_tally <- function(x, name, call = caller_env()) {
  if (!inherits(x, "hinterfeld_tally")) {
    stop_because("argument", c(sprintf("`%s` must be a tally.", name), i = sprintf("It is %s.", describe(x)), i = "Make one with `tally_of()`."), call = call)
  }
}

#' @rdname tally_of
#' @export
tally_totals <- function(tally) {
  check_tally(tally, "tally")
  names <- c(tally$every, tally$by)
  found <- tally_values(tally, length(names))
  keys <- Map(function(name, key) replace(key, "name", list(name)), names, found$keys)
  group_values <- function(codes) {
    groups <- tally_values(tally, length(codes))
    groups$values[[1]][find_groups(codes, groups$codes, key_sizes(groups$keys))]
  }
  order <- if (length(keys)) {
    nested_order(keys, found$codes, as.double(found$values[[1]]), length(tally$every), group_values)
  } else {
    seq_along(found$values[[1]])
  }
  labels <- choose_labels(keys, found$codes)
  columns <- Map(function(key, codes) key_values(key, codes, order, labels), keys, found$codes)
  columns <- c(columns, Map(function(m, value) show_value(m, value, order), tally$measures, found$values))
  tibble::new_tibble(stats::setNames(columns, c(names, names(tally$measures))), nrow = length(order))
}

# Every measure over the groups of the first `width` keys.
tally_values <- function(tally, width) {
  whole <- length(c(tally$every, tally$by))
  parts <- lapply(tally$parts, function(part) {
    stages <- setdiff(seq_along(part$codes), seq_len(whole))
    about_keys <- c("labels", "codes")
    replace(part, about_keys, lapply(part[about_keys], function(x) x[c(seq_len(width), stages)]))
  })
  main <- part_totals(parts[[1]], width)
  staged <- vapply(tally$measures, function(m) m$staged, NA)
  values <- list()
  values[which(!staged)] <- Map(settle_value, tally$measures[!staged], utils::head(main$values, -1), utils::head(main$counted, -1))
  values[which(staged)] <- Map(function(m, part) stage_values(m, part, width, main), tally$measures[staged], parts[-1])
  list(keys = main$keys, codes = main$codes, values = values)
}

# The first keys of a part and its values as R reads them.
part_totals <- function(part, width) {
  keys <- Map(function(codes, labels) new_key(NULL, codes, labels), part$codes, part$labels)
  amounts <- Map(function(kind, values, counted) c(new_amount(kind, values), list(lines = counted)), part$kinds, part$values, part$counted)
  result <- tally_lines(length(part$values[[1]]), unname(keys), unname(amounts))
  list(keys = unname(keys)[seq_len(width)], codes = result$codes, values = unname(result$values), counted = unname(result$counted))
}

# From totals per day, order or value to the measure over them, for the groups of `main`.
stage_values <- function(m, part, width, main) {
  first <- part_totals(part, width)
  use <- first$codes[[width + 1]] > 0 & first$counted[[1]] > 0
  amount <- if (m$kind == "distinct") new_amount("count") else new_amount(if (m$kind == "mean") "sum" else m$kind, first$values[[1]][use])
  keys <- Map(function(key, codes) replace(key, "codes", list(codes[use])), first$keys, first$codes[seq_len(width)])
  second <- tally_lines(sum(use), keys, list(amount))
  now <- Map(function(codes, of, to) recode_kernel(codes, match(of$labels, to$labels), 0L, threads_wanted()), second$codes, first$keys, main$keys)
  at <- find_groups(main$codes, now, key_sizes(main$keys))
  settle_value(m, nothing_to_zero(m, second$values[[1]][at]), replace(second$counted[[1]][at], is.na(at), 0))
}
