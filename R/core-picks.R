#' Best and slow sellers
#'
#' Keeps the top or the bottom rows of each scope. Scopes stand where they stood in the table, members by
#' rank inside, so that a product that leads in two regions stands in each at its own place.
#'
#' @inheritParams add_rank
#' @param t A totals table made by [totals()]; rows of subtotals are left out.
#' @param n Whole number: how many ranks per scope.
#' @param share Fraction, instead of `n`: `best_sellers()` keeps rows with at least this share of their
#'   scope's total, `slow_sellers()` those with less.
#' @param of Text: name of the measure to pick by.
#' @param ties Text: the tie rule of [add_rank()]. Every row ranked `n` or better stays, so with
#'   `"standard"` ties at the edge stay; `"ordinal"` cuts them in order of names.
#' @param others Logical: add a row per scope with the sum of the rest.
#' @param ... For `slow_sellers()`: the arguments of `best_sellers()`.
#' @return A totals table cut to the picked rows, with `<of>_rank`. A row of the rest is called
#'   `others (<how many>)`, has no rank, and a missing value for measures that do not add up.
#' @section Errors: As for [add_rank()]; `hinterfeld_error_argument` for `n` or `share`.
#' @seealso [best_of_each()] for one row per scope, [unsold()] for products without any sale.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product))
#' best_sellers(t, n = 3, within = region)
#' slow_sellers(t, n = 2, within = region)
best_sellers <- function(t, n = 5, within = NULL, of = "revenue", ties = "standard", others = FALSE, share = NULL) {
  pick_rows(t, n, enquo(within), of, ties, others, share, best = TRUE)
}

#' @rdname best_sellers
#' @export
slow_sellers <- function(t, n = 5, ...) {
  slow <- function(t, n, within = NULL, of = "revenue", ties = "standard", others = FALSE, share = NULL) {
    pick_rows(t, n, enquo(within), of, ties, others, share, best = FALSE, call = rlang::caller_env())
  }
  slow(t, n, ...)
}

pick_rows <- function(t, n, within, of, ties, others, share, best, call = caller_env()) {
  check_totals(t, call = call)
  check_choice(ties, "ties", tie_rules, call = call)
  check_flag(others, "others", call)
  check_picks(n, share, call)
  t <- detail_rows(t)
  within <- pick_within(within, t, call = call)
  values <- derive_values(t, of, call)
  scope <- derive_scope(t, within)
  rows <- if (is.null(share)) leading_rows(values$values, scope, n, best) else seq_len(nrow(t))
  ranks <- row_ranks(t[rows, ], values$values[rows], scope$id[rows], ties, best)
  picked <- which(if (is.null(share)) ranks <= n else share_picks(values, scope, of, share, best) & !is.na(ranks))

  picked <- picked[pick_order(t, scope, ranks[picked], rows[picked])]
  ranks <- ranks[picked]
  rows <- rows[picked]
  out <- t[rows, ]
  rank_name <- paste0(of, "_rank")
  if (!rank_name %in% names(t)) out <- add_ranks(out, t, ranks, of, within, ties, best, rank_name, values$values)
  memory <- memory_of(out)
  memory$sentences$picks <- pick_words(t, within, n, share, of, best, ties)
  memory$cut <- memory$cut || length(rows) < nrow(t)
  attr(out, "memory") <- memory
  if (others) with_others(out, t, scope, rows, within, rank_name) else out
}

# Rows that any tie rule can rank `n` or better: all others need not be ordered. Where that is most of them, every row.
leading_rows <- function(values, scope, n, best) {
  if (n * scope$count * 4 > length(values)) {
    return(seq_along(values))
  }
  leaders_kernel(scope$id, scope$count, as.double(values), as.integer(n), best)
}

check_picks <- function(n, share, call) {
  if (is.null(share)) {
    if (!rlang::is_integerish(n, n = 1, finite = TRUE) || n < 1) {
      stop_because("argument", c("`n` must be a whole number, 1 or more.", i = sprintf("It is %s.", describe(n))), call = call)
    }
  } else if (!is.numeric(share) || length(share) != 1 || is.na(share) || share <= 0 || share > 1) {
    stop_because("argument", c("`share` must be a fraction above 0, at most 1.", i = "0.05 is 5 %."), call = call)
  }
}

# Without subtotals, which are nobody's best seller.
detail_rows <- function(t) {
  memory <- memory_of(t)
  if (length(memory$levels) == 1) {
    return(t)
  }
  cut <- memory$cut
  t <- t[t$level == memory$levels[[1]]$label, ]
  memory <- memory_of(t)
  memory$levels <- memory$levels[1]
  memory$rows <- nrow(t)
  memory$cut <- cut
  data <- as_tibble.hinterfeld_totals(t)
  new_totals(as.list(data[names(data) != "level"]), memory)
}

share_picks <- function(values, scope, of, share, best) {
  shares <- shares_of(values, scope, of)$share
  if (best) shares >= share else shares < share
}

# The order of some rows: scopes stand where they stood, rows by rank and name inside.
pick_order <- function(t, scope, ranks, rows) {
  do.call(ordered_rows, c(list(scope$first[scope$id[rows]], ranks), row_names_order(t, rows)))
}

pick_words <- function(t, within, n, share, of, best, ties) {
  what <- if (is.null(share)) {
    sprintf("ranked %s or %s by %s", group_digits(n), if (best) "better" else "slower", of)
  } else {
    sprintf("with %s %s of %s", if (best) "at least" else "less than", percent_words(share), of)
  }
  edge <- if (ties == "ordinal") "ties at the edge are cut in order of names" else "ties at the edge stay"
  sprintf("Picked: %s %s %s; %s.", member_words(t, within), what, scope_words(t, within), edge)
}

# A row per scope with the rest; what does not add up is missing in it.
with_others <- function(out, t, scope, rows_out, within, rank_name) {
  memory <- memory_of(out)
  left <- setdiff(seq_len(nrow(t)), rows_out)
  rest <- split(left, scope$id[left])
  data <- as_tibble.hinterfeld_totals(out)
  members <- setdiff(c(memory$by, memory$every), within)
  held <- unlist(lapply(as.list(t)[members], function(x) unique(plain_value(x))))
  rows <- lapply(rest, function(rows) {
    one <- others_row(t, rows, within, members, unlike(sprintf("others (%s)", group_digits(length(rows))), held, ", together"))
    if (!rank_name %in% names(one)) one[[rank_name]] <- NA_real_
    one[names(data)]
  })
  id <- scope$id[rows_out]
  pieces <- unlist(lapply(unique(c(id, as.integer(names(rest)))), function(s) {
    c(list(data[id == s, ]), rows[as.character(s)])
  }), recursive = FALSE)
  pieces <- lapply(Filter(Negate(is.null), pieces), member_text, names = members)
  all <- do.call(rbind, pieces)
  memory$others <- TRUE
  memory$sentences$others <- "Rows of others hold the sum of the rest of their scope."
  new_totals(as.list(all), memory)
}

member_text <- function(rows, names) {
  rows[names] <- lapply(rows[names], plain_value)
  rows
}

others_row <- function(t, rows, within, members, label) {
  memory <- memory_of(t)
  data <- as_tibble.hinterfeld_totals(t)[rows, ]
  one <- data[1, ]
  one[] <- lapply(one, function(x) x[NA_integer_])
  one[within] <- data[1, within]
  one[members] <- label
  for (name in names(memory$measures)) {
    measure <- memory$measures[[name]]
    if (measure$adds_up) one[[name]] <- from_minor(sum_minor(to_minor(data[[name]], measure$decimals), name), measure$decimals)
  }
  one
}

#' The best of each scope, one row each
#'
#' @inheritParams best_sellers
#' @return A tibble with one row per scope, from the largest: the `within` columns, the scope's total
#'   (named as `of`; missing for a measure that does not add up, and the scopes stand in order of their
#'   best), `best_seller` (for members other than products `best_<column>`): the name of the best,
#'   of all that tie for it in alphabetical order; `tied`: how many they are; and `<best>_<of>` and
#'   `<best>_share`: its value and its share of the scope's total. Printed, in files and in [in_words()]
#'   it says what was left out.
#' @section Errors: As for [best_sellers()].
#' @export
#' @examples
#' book <- demo_daybook()
#' best_of_each(totals(book, by = c(region, product)), within = region)
#' best_of_each(totals(book, by = product, every = "weekday"), within = product)
best_of_each <- function(t, within = NULL, of = "revenue") {
  check_totals(t)
  t <- detail_rows(t)
  memory <- memory_of(t)
  within <- pick_within(enquo(within), t)
  values <- derive_values(t, of)
  members <- setdiff(c(memory$by, memory$every), within)
  if (length(members) == 0) {
    stop_because("column", c("`within` holds every column of the table: nothing is left to pick from.",
                             i = "Split the table by one more column."))
  }
  scope <- derive_scope(t, within)
  ranks <- row_ranks(t, values$values, scope$id, "standard", TRUE)
  data <- as_tibble.hinterfeld_totals(t)
  names <- do.call(paste, c(lapply(unname(as.list(data[members])), plain_value), sep = " / "))
  best <- which(ranks == 1)
  tied <- split(names[best], factor(scope$id[best], seq_len(scope$count)))
  whole <- minor_of(values)
  measure <- memory$measures[[of]]
  sums <- is.null(measure) || measure$adds_up || measure$margin == "add_up"
  total <- if (sums) scope_totals(scope, whole$minor, of) else rep(NA_real_, scope$count)
  top <- whole$minor[best[match(seq_len(scope$count), scope$id[best])]]
  label <- if (identical(members, "product")) "best_seller" else paste(c("best", members), collapse = "_")
  figures <- paste0(label, "_", c(of, "share"))
  columns <- c(
    as.list(data[scope$first, within]),
    stats::setNames(list(from_minor(total, whole$decimals)), of),
    stats::setNames(list(unname(vapply(tied, function(x) paste(sort(x, method = "radix"), collapse = ", "), ""))), label),
    list(tied = unname(lengths(tied))),
    stats::setNames(list(from_minor(top, whole$decimals), ifelse(total > 0, top / total, NA)), figures)
  )
  order <- ordered_rows(-(if (sums) total else top), scope$first)
  known <- known_column(memory, of) %||% about_column("own", "own", of, "other")
  about <- stats::setNames(list(known, list(counts = "other", decimals = 0L), known, about_column("share", "share", of, "percent")),
                           c(of, "tied", figures))
  new_listing(lapply(columns, function(x) x[order]), scope$count,
              sprintf("The best %s %s", and_list(members), if (length(within)) paste("of each", and_list(within)) else "of all"), about, memory$book,
              c(sprintf("%s: the %s with the highest %s; of all that tie for it, in alphabetical order.", label, and_list(members), of),
                if (!sums) sprintf("%s does not add up, so it has no total and no share.", of)))
}
