# Facts: what can be asked. A daybook has lines, a tally groups of lines that were added up before. Computing code sees
# neither: it asks for columns and their keys, the amounts of measures, a part of the facts, and what the facts are
# about.
#
# Both consist of parts with `columns` and `lines` (rows). A daybook is one part; a tally has one for its groups and one
# for each measure that is taken of stages. Rows of a part are chosen by a list, one vector of rows for each part.

facts_classes <- c("hinterfeld_daybook", "hinterfeld_tally")

is_facts <- function(x) {
  inherits(x, facts_classes)
}

check_facts <- function(facts, name = "facts", call = caller_env()) {
  check_whole_names(call)
  check_made(is_facts(facts), facts, name, "a daybook or a tally", "Make one with `daybook()`.", call)
}

# The parts of facts.
rowsets_of <- function(facts) {
  UseMethod("rowsets_of")
}

# The facts with some rows of each part.
take_rowsets <- function(facts, rows) {
  UseMethod("take_rowsets")
}

# Lines, and revenue in minor units, of some rows of the first part or of all.
lines_and_revenue <- function(facts, rows = NULL) {
  UseMethod("lines_and_revenue")
}

# Measures as they can be taken of these facts: line_measures() tells what each holds. `part` is where its rows are.
facts_measures <- function(facts, measures, call = caller_env()) {
  UseMethod("facts_measures")
}

# Can the facts be asked for a measure?
holds_measure <- function(facts, measure) {
  tryCatch({
    quietly(facts_measures(facts, list(measure)))
    TRUE
  }, hinterfeld_error_facts = function(cnd) FALSE, hinterfeld_error_measure = function(cnd) FALSE,
  hinterfeld_error_column = function(cnd) FALSE)
}

# Stops where a period cannot be told from the facts.
check_grain <- function(facts, every, call = caller_env()) {
  UseMethod("check_grain")
}

#' @export
rowsets_of.hinterfeld_daybook <- function(facts) {
  list(facts)
}

#' @export
take_rowsets.hinterfeld_daybook <- function(facts, rows) {
  facts$columns <- take_rows(facts$columns, rows[[1]], later = TRUE)
  facts$lines <- length(rows[[1]])
  facts$known <- new.env(parent = emptyenv())
  if (!is.null(facts$grouped)) facts$grouped <- grouped_rows(facts$grouped, rows[[1]])
  facts$at <- if (is.null(facts$at)) rows[[1]] else facts$at[rows[[1]]]
  facts
}

#' @export
lines_and_revenue.hinterfeld_daybook <- function(facts, rows = NULL) {
  if (!is.null(rows)) {
    return(c(lines_among(facts$grouped, rows), sum_minor(facts$columns$revenue, rows = rows)))
  }
  # The last step of the trail holds the present lines and revenue.
  last <- facts$trail[nrow(facts$trail), ]
  revenue <- last$revenue_after
  c(lines_among(facts$grouped, seq_len(facts$lines)), if (is.na(revenue)) sum_minor(facts$columns$revenue) else revenue)
}

#' @export
facts_measures.hinterfeld_daybook <- function(facts, measures, call = caller_env()) {
  line_measures(measures, facts, call)
}

#' @export
check_grain.hinterfeld_daybook <- function(facts, every, call = caller_env()) {
  invisible()
}

# What tables remember of their facts.
about_facts <- function(facts) {
  about <- unclass(facts)[c("calendar", "currency", "span", "out", "early", "trail", "alike")]
  c(about, list(lines = as.double(facts$lines)))
}

# Can the facts be split by a period?
holds_grain <- function(facts, every) {
  is.null(facts$every) || derivable_from(every, facts$every, facts$calendar)
}

# The columns that facts can be split by.
split_columns <- function(facts) {
  names(rowsets_of(facts)[[1]]$columns)
}

# Those that are neither an amount nor a period.
grouping_columns <- function(facts) {
  setdiff(split_columns(facts), c(names(grain_kinds), names(facts$decimals), names(facts$measures)))
}

# How many distinct values of a column the lines hold, blanks apart.
values_in <- function(x) {
  codes <- distinct_codes(x)
  sum(tabulate(codes$codes, length(codes$labels)) > 0 & !is.na(codes$labels))
}

# The exact columns, which can be totalled.
facts_numbers <- function(facts) {
  if (!inherits(facts, "hinterfeld_tally")) {
    return(names(facts$decimals))
  }
  c(setdiff(names(facts$measures), "lines"), "lines")
}

# From the first day of the period in which the facts begin: a tally of months has no other day of it.
held_span <- function(facts) {
  span <- facts$span
  if (!is.null(facts$every)) {
    span[1] <- plain_days(period_bounds_kernel(as.integer(span[1]), facts$every, FALSE, facts$calendar$rules))
  }
  span
}

# The facts as if some days were not covered.
without_days <- function(facts, days) {
  inside <- days[days >= as.integer(facts$span[1]) & days <= as.integer(facts$span[2])]
  facts$out <- sort(union(facts$out, inside))
  facts
}

# The place of each row of a part among the days of the facts' span.
places_in_span <- function(rowset, facts) {
  first <- as.integer(facts$span[1])
  pmax(as.integer(days_of(rowset, facts)), first) - first + 1L
}

# The day, or first day of its period, of each row of a part.
days_of <- function(rowset, facts) {
  rowset$columns[[facts$every %||% "day"]]
}

# Keys ---------------------------------------------------------------------------------------------------

# The keys of the rows of the first part, each with the codes of the others in `elsewhere`. `among` are all periods of
# the table, some of which it may be asked without.
facts_keys <- function(facts, by, every, among = every) {
  rowsets <- rowsets_of(facts)
  by_week <- weeks_decide_year(among, facts$calendar)
  periods <- lapply(every, period_key, facts = facts, rowsets = rowsets, by_week = by_week)
  c(periods, lapply(by, column_key, facts = facts, rowsets = rowsets))
}

period_key <- function(facts, rowsets, every, by_week) {
  known <- known_of(rowsets[[1]], facts$every %||% "day")
  key <- c(key_of_time(known$column, every, facts$calendar, held_span(facts), by_week), known = known)
  key$elsewhere <- lapply(rowsets[-1], days_of, facts = facts)
  key
}

column_key <- function(name, facts, rowsets) {
  key <- key_of_facts(rowsets[[1]], name)
  labels <- key$labels
  key$elsewhere <- lapply(rowsets[-1], function(rowset) {
    x <- rowset$columns[[name]]
    if (is_coded(x)) x else match(x, labels)
  })
  # A column of exact numbers is known to its owner in currency.
  if (name %in% names(facts$decimals)) key$labels <- from_minor(key$labels, facts$decimals[[name]])
  key
}

# Keys of some rows of each part.
keys_of_rows <- function(keys, rows) {
  lapply(keys, function(key) {
    key$codes <- take_rows(list(key$codes), rows[[1]])[[1]]
    key$elsewhere <- Map(function(codes, rows) take_rows(list(codes), rows)[[1]], key$elsewhere, rows[-1])
    key
  })
}

# The codes of a key in one part, with days looked up.
codes_in <- function(key, rowset) {
  codes <- if (rowset == 1) key$codes else key$elsewhere[[rowset - 1]]
  if (is.null(key$lookup)) codes else key$lookup[as.integer(codes) - key$first + 1L]
}

# Measures of groups -------------------------------------------------------------------------------------

# Each measure over the groups of `keys`: codes per key and values in minor units (those that are divided in currency).
measure_groups <- function(facts, keys, measures, call = caller_env()) {
  groups <- sum_groups(facts, keys, summed_measures(measures), call)
  replace(groups, "values", list(stats::setNames(divide_ratios(measures, groups$values), names(measures))))
}

# The same of measures none of which is a ratio.
sum_groups <- function(facts, keys, measures, call) {
  rowsets <- rowsets_of(facts)
  staged <- vapply(measures, is_staged, NA)
  if (!any(staged) && length(measures) > 0) {
    result <- tally_lines(rowsets[[1]]$lines, keys, lapply(measures, measure_amount), call)
    return(list(codes = result$codes, values = Map(divide_value, measures, result$values, result$counted)))
  }
  groups <- groups_of(rowsets[[1]], keys)
  numbers <- groups$key$labels
  plain <- if (!all(staged)) tally_lines(rowsets[[1]]$lines, list(groups$key),
                                         lapply(measures[!staged], measure_amount), call)
  values <- Map(function(m, at_plain) {
    at_rowset <- m$rowset %||% 1L
    result <- if (is_staged(m)) {
      group <- groups$key
      if (at_rowset > 1) group <- new_key("group", groups_in(at_rowset, keys, groups, rowsets), numbers)
      take_stages(rowsets[[at_rowset]]$lines, group, whole_stages(m, facts), call)
    } else {
      list(codes = plain$codes, values = plain$values[at_plain], counted = plain$counted[at_plain])
    }
    at <- match(numbers, result$codes[[1]])
    counted <- if (measure_kinds[[m$kind]]$divided) replace(result$counted[[1]][at], is.na(at), 0)
    divide_value(m, fill_empty(m, result$values[[1]][at]), counted)
  }, measures, cumsum(!staged))
  list(codes = groups$parts, values = values)
}

# The groups of rows by keys: a key of them, and the codes of each. All rows are one group without a key, and the codes
# of one key may be groups already.
groups_of <- function(rowset, keys) {
  if (length(keys) == 0) {
    return(list(key = new_key("group", NULL, 1L), parts = list()))
  }
  if (length(keys) == 1 && length(keys[[1]]$codes) == rowset$lines && codes_are_groups(keys[[1]])) {
    numbers <- seq_along(keys[[1]]$labels)
    return(list(key = replace(keys[[1]], "labels", list(numbers)), parts = list(numbers)))
  }
  groups <- group_lines(rowset$lines, keys)
  list(key = new_key("group", groups$codes, seq_len(groups$count)), parts = groups$parts)
}

# Of periods that a measure is taken per, only those that are covered whole, unless incomplete ones count.
whole_stages <- function(m, facts) {
  if (is.null(m$per) || !m$per %in% grains[-1] || m$incomplete == "count") {
    return(m)
  }
  left_out <- !cover_of_periods(facts, m$stage$labels, m$per)$complete
  if (!any(left_out)) {
    return(m)
  }
  code <- replace(seq_along(left_out), left_out, NA)
  if (is.null(m$stage$lookup)) m$stage$codes <- code[m$stage$codes] else m$stage$lookup <- code[m$stage$lookup]
  m
}

groups_in <- function(at_rowset, keys, groups, rowsets) {
  rep_len(find_groups(lapply(keys, codes_in, rowset = at_rowset), groups$parts, key_sizes(keys)),
          rowsets[[at_rowset]]$lines)
}

# Totals per day, order or value first; then the measure over those totals.
take_stages <- function(lines, group, m, call) {
  over <- measure_kinds[[m$kind]]$over
  of_lines <- is.null(m$tallied) && is.null(m$times)
  if (is.null(m$per) && of_lines) {
    return(values_of_lines(group, m))
  }
  if (over == "sum" && of_lines && is.null(m$stage$lookup)) {
    return(sum_per_stage(lines, group, m, call))
  }
  m$stage <- stage_of(m)
  # Lines of one day or order mostly follow each other, so their groups lie side by side.
  amount <- stage_amount(m)
  amount$counts <- !of_lines || !is.null(m$mask) || lacks_amounts(m)
  first <- tally_lines(lines, list(m$stage, group), list(amount), call)
  use <- first$codes[[1]] > 0
  if (amount$counts) use <- use & first$counted[[1]] > 0
  of <- new_key("group", first$codes[[2]][use], group$labels)
  if (over != "middle") {
    return(tally_lines(sum(use), list(of), list(new_amount(over, if (over != "count") first$values[[1]][use])), call))
  }
  # Of single lines the stages are the values, as often as they occur.
  by_value <- is.null(m$per)
  values <- if (by_value) m$stage$labels[first$codes[[1]][use]] else first$values[[1]][use]
  middle_of(of, as.double(values), if (by_value) first$values[[1]][use] else rep(1, sum(use)))
}

# A mean per order needs no total of each: the sum of all, and how many orders there are.
sum_per_stage <- function(lines, group, m, call) {
  codes <- m$stage$codes
  if (key_missing(m$stage) || lacks_amounts(m)) {
    m$mask <- (m$mask %||% TRUE) & is.finite(m$minor) & as.integer(codes) %in% seq_along(m$stage$labels)
  }
  sums <- tally_lines(lines, list(group), list(amount_of(m, "sum", TRUE)), call)
  stages <- distinct_kernel(kernel_key(group), codes, 1L, length(m$stage$labels), m$mask, threads_wanted())
  held <- sums$codes[[1]][sums$counted[[1]] > 0]
  list(codes = list(held), values = list(sums$values[[1]][sums$counted[[1]] > 0]), counted = list(stages[held]))
}

# The key of what is totalled first; the values of lines get one only where they are.
stage_of <- function(m) {
  m$stage %||% if (m$kind == "distinct") key_of_column(m$label, m$column) else key_of_values(m$minor)
}

# Of lines themselves, no totals are needed: the distinct values or the middle one of each group.
values_of_lines <- function(group, m) {
  count <- length(group$labels)
  if (m$kind == "distinct") {
    codes <- m$column
    span <- known_near_numbers(m$known, 4 * length(codes) + 65536)
    if (is.null(span)) {
      stage <- stage_of(m)
      codes <- stage$codes
      span <- c(1, length(stage$labels))
    }
    values <- distinct_kernel(kernel_key(group), codes, as.integer(span[1]), as.integer(diff(span) + 1), m$mask,
                              threads_wanted())
    return(list(codes = list(seq_len(count)), values = list(values), counted = list(NULL)))
  }
  values <- middle_kernel(kernel_key(group), m$minor, m$mask, threads_wanted())
  held <- which(!is.na(values))
  list(codes = list(held), values = list(values[held]), counted = list(rep_len(2, length(held))))
}

# The middle value of each group: of an even number the sum of the two middle ones, to be divided by two.
middle_of <- function(group, values, times) {
  order <- order_kernel(group$codes, max(length(group$labels), 1L), values, NULL, NULL, FALSE, threads_wanted())
  medians <- median_kernel(order, group$codes, values, times)
  list(codes = list(medians$group), values = list(medians$value), counted = list(medians$parts))
}

measure_amount <- function(m) {
  amount_of(m, measure_kinds[[m$kind]]$gather, measure_kinds[[m$kind]]$divided)
}

# What stages are totalled from: amounts, or how many lines there are of each value.
stage_amount <- function(m) {
  amount_of(m, if (is.null(m$per)) "count" else "sum", TRUE)
}

# Of lines, or of groups of lines that were tallied before.
amount_of <- function(m, kind, counts) {
  amount <- new_amount(kind, if (kind != "count") m$minor, m$mask, counts)
  if (!is.null(m$tallied)) amount[c("minor", "lines")] <- m$tallied
  amount_of_lines(amount, m$times)
}
