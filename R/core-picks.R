#' Best and slow sellers
#'
#' Keeps the top or the bottom rows of each scope. The scopes keep their order in the table, and members are ordered by
#' rank within each, so a product that leads in two regions appears in each at its own rank. If recurring periods add up
#' different numbers of single periods (three Octobers, four Aprils), they are ranked by the mean per single period, and
#' the table's sentence says so.
#'
#' @inheritParams add_rank
#' @param t A totals table made by [totals()]; rows of subtotals are left out. `best_sellers()` also accepts a crosstab
#'   whose rows are one column: it keeps the `n` best rows by the column `of` (by default the total) and the totals of
#'   all rows.
#' @param n Whole number: how many ranks per scope.
#' @param share Fraction, instead of `n`: `best_sellers()` keeps rows with at least this share of their
#'   scope's total, `slow_sellers()` those with less.
#' @param of The measure to pick by, as in [add_rank()].
#' @param ties Text: the tie rule of [add_rank()]. Every row ranked `n` or better is kept, so `"standard"` keeps all
#'   ties at the cut-off; `"ordinal"` cuts them by name.
#' @param others Logical: add a row per scope with the sum of the rest.
#' @param ... For `slow_sellers()`: the arguments of `best_sellers()`.
#' @return A totals table cut to the picked rows, with `<of>_rank`. The row for the rest is called `others (<number>)`.
#'   It has no rank, and no value for measures that do not add up.
#' @section Errors: As for [add_rank()]; `hinterfeld_error_argument` for `n` or `share`.
#' @seealso [best_of_each()] for one row per scope, [unsold()] for products without any sale.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product))
#' best_sellers(t, n = 3, within = region)
#' slow_sellers(t, n = 2, within = region)
best_sellers <- function(t, n = 5, within = NULL, of = NULL, ties = "standard", others = FALSE, share = NULL) {
  if (inherits(t, "hinterfeld_crosstab")) {
    check_picks(n, NULL, rlang::current_env())
    return(pick_of_crosstab(t, n, if (!missing(of)) columns_given(enquo(of), t)))
  }
  pick_rows("best_sellers", t, n, enquo(within), enquo(of), ties, others, share)
}

#' @rdname best_sellers
#' @export
slow_sellers <- function(t, n = 5, ...) {
  slow <- function(t, n, within = NULL, of = NULL, ties = "standard", others = FALSE, share = NULL) {
    pick_rows("slow_sellers", t, n, enquo(within), enquo(of), ties, others, share, call = rlang::caller_env())
  }
  slow(t, n, ...)
}

pick_rows <- function(kind, t, n, within, of, ties, others, share, call = caller_env()) {
  check_totals(t, call = call)
  check_choice(ties, "ties", tie_rules, call = call)
  check_flag(others, "others", call)
  check_picks(n, share, call)
  of <- columns_given(of, t)
  within <- pick_within(within, t, call = call)
  check_number_column(t, of, call)
  args <- list(n = as.double(n), within = within, of = of, ties = ties, others = others, share = share)
  answer <- answer_of(t)
  # A pick adds a rank where there is none, called after the column that it is by.
  rank <- paste0(c(ids_of(answer, of), of), "_rank")
  ranked <- rank[1] %in% ids_of(answer, names(t)) || rank[2] %in% names(t)
  columns <- if (ranked) stats::setNames(character(), character()) else c(rank = rank[2])
  take_step(step_on(t, kind, args, columns, first = if (!ranked) rank[1] else character()), t, call = call)
}

#' @export
take_step.hinterfeld_step_best_sellers <- function(step, t, again = FALSE, call = caller_env()) {
  pick_step(step, t, TRUE, again, call)
}

#' @export
take_step.hinterfeld_step_slow_sellers <- function(step, t, again = FALSE, call = caller_env()) {
  pick_step(step, t, FALSE, again, call)
}

# A pick is a step that takes rows away; with `again` it only ranks them.
pick_step <- function(step, t, best, again, call) {
  args <- step$args
  t <- detail_rows(t)
  of <- step_names(t, args$of)
  within <- step_names(t, args$within)
  values <- exact_values(t, of, call)
  scope <- derive_scope(t, within)
  per <- mean_single(t, of, within)
  if (!is.null(per)) values$values <- single_means(t, of, call)
  rows <- if (is.null(args$share) && !again) leading_rows(values$values, scope, args$n, best) else seq_len(nrow(t))
  ranks <- row_ranks(t[rows, ], values$values[rows], scope$id[rows], args$ties, best)
  if (again) {
    picked <- rows
  } else {
    picks <- if (is.null(args$share)) {
      ranks <= args$n
    } else {
      share_picks(values, scope, of, args$share, best) & !is.na(ranks)
    }
    picked <- which(picks)
    picked <- picked[pick_order(t, scope, ranks[picked], rows[picked])]
  }
  ranks <- ranks[picked]
  rows <- rows[picked]
  stats <- step_stats_of(t, count_missing(values$values[rows]), per = per)
  by_hand <- answer_of(t)$by_hand
  out <- quietly(t[rows, ])
  out <- set_answer(out, by_hand = by_hand)
  columns <- if (length(step$columns)) list(rank_column(ranks, args$ties)) else list()
  out <- add_columns_of(out, step, columns, stats, call)
  if (args$others && !again) with_others(out, t, scope, rows, within) else out
}

# Rows that any tie rule can rank `n` or better: all others need not be ordered. Where that is most of them, every row.
leading_rows <- function(values, scope, n, best) {
  if (n * scope$count * 4 > length(values)) {
    return(seq_along(values))
  }
  top_rows_kernel(scope$id, scope$count, as.double(values), as.integer(n), best)
}

check_picks <- function(n, share, call) {
  if (is.null(share)) {
    check_whole_number(n, "n", 1L, call = call)
  } else if (!is.numeric(share) || length(share) != 1 || is.na(share) || share <= 0 || share > 1) {
    stop_because("argument", "`share` must be a fraction above 0, at most 1.", i = "0.05 is 5 %.", call = call)
  }
}

# Without subtotals, which cannot be best sellers.
detail_rows <- function(t) {
  answer <- answer_of(t)
  if (length(answer$levels) == 1) {
    return(t)
  }
  out <- t[t[[answer$level]] == answer$levels[[1]]$label, ]
  data <- as_tibble.hinterfeld_totals(out)
  kept <- attr(t, "answer", exact = TRUE)
  kept$columns <- kept$columns[names(kept$columns) != answer$level]
  kept$levels <- answer$levels[1]
  kept$step_stats <- attr(out, "answer", exact = TRUE)$step_stats
  kept$rows <- nrow(out)
  new_totals(as.list(data[names(data) != answer$level]), kept)
}

share_picks <- function(values, scope, of, share, best) {
  shares <- shares_of(values, scope, of)$share
  if (best) shares >= share else shares < share
}

# The order of some rows: scopes stand where they stood, rows by rank and name inside.
pick_order <- function(t, scope, ranks, rows) {
  do.call(ordered_rows, c(list(scope$first[scope$id[rows]], ranks), row_names_order(t, rows)))
}

# A row per scope with the rest; what does not add up is missing in it.
with_others <- function(out, t, scope, rows_out, within) {
  answer <- answer_of(out)
  left <- setdiff(seq_len(nrow(t)), rows_out)
  if (length(left) == 0) {
    return(out)
  }
  rest <- split(left, scope$id[left])
  data <- as_tibble.hinterfeld_totals(out)
  members <- setdiff(answer$keys, within)
  held <- unlist(lapply(as.list(t)[members], function(x) unique(plain_value(x))))
  rows <- lapply(rest, function(rows) {
    label <- make_distinct(sprintf("others (%s)", label_digits(length(rows))), held, ", together")
    others_row(t, rows, data, within, members, label)
  })
  id <- scope$id[rows_out]
  pieces <- unlist(lapply(unique(c(id, as.integer(names(rest)))), function(s) {
    c(list(data[id == s, ]), rows[as.character(s)])
  }), recursive = FALSE)
  pieces <- lapply(Filter(Negate(is.null), pieces), member_text, names = members)
  set_answer(new_totals(as.list(do.call(rbind, pieces)), attr(out, "answer", exact = TRUE)), others = TRUE)
}

member_text <- function(rows, names) {
  rows[names] <- lapply(rows[names], plain_value)
  rows
}

# `like` has the columns that the row must have.
others_row <- function(t, rows, like, within, members, label) {
  data <- as_tibble.hinterfeld_totals(t)[rows, ]
  row <- tibble::new_tibble(lapply(like, function(x) x[NA_integer_]), nrow = 1L)
  row[within] <- data[1, within]
  row[members] <- label
  measures <- answer_of(t)$measures
  for (name in names(Filter(function(measure) measure$adds_up, measures))) {
    decimals <- measures[[name]]$decimals
    row[[name]] <- from_minor(sum_minor(to_minor(data[[name]], decimals), name), decimals)
  }
  row
}

#' The best of each scope, one row each
#'
#' @inheritParams best_sellers
#' @param of The measure to pick by, or several of them, as in [add_rank()].
#' @return A tibble with one row per scope, from the largest, or in the order of time where a period is among them: the
#'   `within` columns, the scope's total (named as `of`; missing for a measure that does not add up, and the scopes are
#'   in order of their best), `best_seller` (`best_<column>` for members other than products): the name of the best, or
#'   all names in alphabetical order if several tie; `tied`: how many names that is; and `<best>_<of>` and
#'   `<best>_share`: its value and its share of the scope's total. With several measures, each has a set of these
#'   columns: `<best>_by_<of>`, `tied_by_<of>`, `<best>_<of>`, `<best>_<of>_share`. In print, in files and in
#'   [in_words()], it says what was left out.
#' @section Errors: As for [best_sellers()].
#' @export
#' @examples
#' book <- demo_daybook()
#' best_of_each(totals(book, by = c(region, product)), within = region)
#' best_of_each(totals(book, by = product, every = "weekday"), within = product)
#' both <- totals(book, by = c(region, product), measures = c("revenue", "units"))
#' best_of_each(both, within = region, of = c("revenue", "units"))
best_of_each <- function(t, within = NULL, of = NULL) {
  check_totals(t)
  of <- columns_given(enquo(of), t)
  t <- detail_rows(t)
  answer <- answer_of(t)
  within <- pick_within(enquo(within), t)
  if (!is.character(of) || length(of) == 0 || anyDuplicated(of)) check_number_column(t, NULL)
  for (measure in of) check_number_column(t, measure)
  members <- setdiff(name_order(answer), within)
  # A period that all rows are of is told once, by the days.
  single <- vapply(members, function(name) name %in% answer$periods && length(unique(t[[name]])) == 1, NA)
  if (!all(single)) members <- members[!single]
  if (length(members) == 0) {
    stop_because("column",
                 sprintf("%s holds every column of the table: nothing is left to pick from.", as_typed("within")),
                 i = "Split the table by one more column.")
  }
  scope <- derive_scope(t, within)
  label <- if (identical(ids_of(answer, members),
                         "product")) "best_seller" else paste(c("best", members), collapse = "_")
  best <- lapply(of, function(measure) best_by(t, measure, within, members, scope))
  named <- Map(best_names, of, label, length(of) > 1)
  values <- unlist(Map(function(best, names) stats::setNames(best$values, names), best, named), recursive = FALSE)
  about <- unlist(Map(function(best, names) stats::setNames(best$about, names), best, named), recursive = FALSE)
  columns <- c(as.list(as_tibble.hinterfeld_totals(t)[scope$first, within]), stats::setNames(values, unlist(named)))
  # What is best of each period stands in the order of time.
  order <- if (any(within %in% answer$periods)) seq_len(scope$count) else ordered_rows(-best[[1]]$size, scope$first)
  new_listing("best_of_each", lapply(columns, function(x) x[order]), scope$count,
              c(stats::setNames(about, unlist(named)), answer$columns[within]),
              replace(answer$about, "span", list(shown_span(t))),
              list(label = vapply(named, function(names) names[2], ""), member_label = label, members = members,
                   within = within, of = of,
                   sums = vapply(best, function(measure) measure$sums, NA),
                   per = vapply(best, function(measure) measure$per %||% "", "")))
}

best_names <- function(of, label, several) {
  if (several) {
    c(of, paste0(c(label, "tied"), "_by_", of), paste0(label, "_", of), paste0(label, "_", of, "_share"))
  } else {
    c(of, label, "tied", paste0(label, "_", c(of, "share")))
  }
}

# The best of each scope by one column: the scope's total, the names of the best and how many they are, its value and
# its share; what these columns are; and the size that scopes are ordered by.
best_by <- function(t, of, within, members, scope) {
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  values <- exact_values(t, of)
  per <- mean_single(t, of, within)
  by <- if (is.null(per)) values$values else single_means(t, of)
  best <- which(row_ranks(t, by, scope$id, "standard", TRUE) == 1)
  names <- do.call(paste, c(lapply(unname(as.list(data[members])), plain_value), sep = " / "))
  tied <- split(names[best], factor(scope$id[best], seq_len(scope$count)))
  whole <- minor_of(values)
  shown <- function(minor, plain) if (values$exact) from_minor(minor, whole$decimals) else plain
  measure <- answer$measures[[of]]
  sums <- is.null(measure) || measure$adds_up || measure$margin == "add_up"
  total <- if (sums) scope_totals(scope, whole$minor, of) else rep(NA_real_, scope$count)
  first <- best[match(seq_len(scope$count), scope$id[best])]
  top <- whole$minor[first]
  description <- known_column(answer, of) %||% list(counts = "other", signed = FALSE)
  text <- list(counts = "other", decimals = NULL, signed = FALSE)
  list(
    values = list(
      from_minor(total, whole$decimals),
      unname(vapply(tied, function(x) paste(sort(x, method = "radix"), collapse = ", "), "")), unname(lengths(tied)),
      shown(top, values$values[first]), ifelse(total > 0, top / total, NA)
    ),
    about = list(description, text, list(counts = "other", decimals = 0L, signed = FALSE), description,
                 list(counts = "percent", signed = FALSE)),
    size = if (sums) total else top, sums = sums, per = per
  )
}
