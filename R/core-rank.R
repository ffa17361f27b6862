#' Rank rows by a measure
#'
#' @param t A totals table made by [totals()].
#' @param of Text: name of the column to rank by: a measure, or a figure that was added, such as a
#'   change or a share.
#' @param within Columns inside which ranking starts afresh, bare or as strings; `NULL` for the whole
#'   table. With subtotals, every level is ranked among its own rows.
#' @param ties Text: how equal values rank. `"standard"` 1, 2, 2, 4; `"dense"` 1, 2, 2, 3; `"ordinal"`
#'   1, 2, 3, 4 in order of names; `"modified"` 1, 3, 3, 4; `"fractional"` 1, 2.5, 2.5, 4.
#' @param highest_first Logical: does the highest value rank first?
#' @param name Text: name of the new column instead of `<of>_rank`.
#' @return `t` with the column `<of>_rank`. Values are compared exactly; rows with a missing value
#'   have no rank.
#' @section Errors: `hinterfeld_error_column` for a scope column that the table does not split by,
#'   `hinterfeld_error_measure` for `of`, `hinterfeld_error_argument` otherwise.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product))
#' add_rank(t, within = region)
add_rank <- function(t, of = "revenue", within = NULL,
                     ties = c("standard", "dense", "ordinal", "modified", "fractional"), highest_first = TRUE,
                     name = NULL) {
  check_totals(t)
  ties <- check_choice(ties[1], "ties", tie_rules)
  check_flag(highest_first, "highest_first")
  check_name(name)
  within <- pick_within(enquo(within), t)
  values <- derive_values(t, of)$values
  ranks <- row_ranks(t, values, derive_scope(t, within)$id, ties, highest_first)
  add_ranks(t, t, ranks, of, within, ties, highest_first, name %||% paste0(of, "_rank"), values)
}

# Ranks taken over `whole` for the rows of `t`, which may be some of them only.
add_ranks <- function(t, whole, ranks, of, within, ties, highest_first, name, values, call = caller_env()) {
  words <- sprintf(
    "%s: rank of %s by %s %s, %s first; %s%s.%s%s", name, member_words(whole, within), of, scope_words(whole, within),
    if (highest_first) "the highest" else "the lowest", tie_words(ties, of), not_given_words(whole), cut_words(whole),
    missing_words(values, "have no rank")
  )
  about <- about_column("rank", "rank", of, "rank", if (ties != "fractional") 0L)
  add_derived(t, stats::setNames(list(ranks), name), stats::setNames(list(about), name), words, function(t) {
    add_rank(t, of, tidyselect::all_of(within), ties, highest_first, name)
  }, call)
}

tie_rules <- c("standard", "dense", "ordinal", "modified", "fractional")

# Names matter to the order of equal values only where the rule counts them apart.
row_ranks <- function(t, values, scope, ties, highest_first) {
  values <- as.double(values)
  scopes <- max(scope, 1L)
  order <- if (ties == "ordinal") {
    order_by_value(t, values, scope, scopes, highest_first)
  } else {
    order_kernel(scope, scopes, values, NULL, NULL, highest_first, threads_wanted())
  }
  rank_kernel(order, scope, values, ties)
}

tie_words <- function(ties, of) {
  switch(ties,
    standard = sprintf("equal %s shares the better rank", of),
    dense = sprintf("equal %s shares a rank and leaves no gap", of),
    ordinal = sprintf("equal %s is ranked in order of names", of),
    modified = sprintf("equal %s shares the worse rank", of),
    fractional = sprintf("equal %s shares the mean of its ranks", of)
  )
}

missing_words <- function(values, what) {
  n <- if (any_unusual(values)) sum(is.na(values)) else 0
  if (n > 0) sprintf(" %s without a value %s.", count_of(n, "row"), what) else ""
}
