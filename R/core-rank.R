#' Rank rows by a measure
#'
#' @param t A totals table made by [totals()].
#' @param of What to rank by: a measure, or a column that was added, such as a change or a share; a bare name, text, or
#'   a variable that holds one. By default revenue, or else the first measure.
#' @param within Columns inside which ranking starts afresh, bare or as strings; `NULL` for the whole
#'   table. With subtotals, every level is ranked among its own rows.
#' @param ties Text: how equal values rank. `"standard"` 1, 2, 2, 4; `"dense"` 1, 2, 2, 3; `"ordinal"`
#'   1, 2, 3, 4 in order of names; `"modified"` 1, 3, 3, 4; `"fractional"` 1, 2.5, 2.5, 4.
#' @param highest_first Logical: does the highest value rank first?
#' @param name Text: name of the new column instead of `<of>_rank`.
#' @return `t` with the column `<of>_rank`. Values are compared exactly, those of recurring periods that hold unequally
#'   many single ones by their means per whole single one, as in [best_sellers()]; rows with a missing value
#'   have no rank.
#' @section Errors: `hinterfeld_error_column` for a scope column that the table does not split by,
#'   `hinterfeld_error_measure` for `of`, `hinterfeld_error_argument` otherwise.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product))
#' add_rank(t, within = region)
add_rank <- function(t, of = NULL, within = NULL,
                     ties = c("standard", "dense", "ordinal", "modified", "fractional"), highest_first = TRUE,
                     name = NULL) {
  check_totals(t)
  ties <- check_choice(ties[1], "ties", tie_rules)
  check_flag(highest_first, "highest_first")
  check_name(name)
  within <- pick_within(enquo(within), t)
  of <- columns_given(enquo(of), t)
  check_number_column(t, of)
  args <- list(of = of, within = within, ties = ties, highest_first = highest_first)
  take_step(step_on(t, "rank", args, c(rank = name %||% paste0(of, "_rank"))), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_rank <- function(step, t, again = FALSE, call = caller_env()) {
  args <- step$args
  of <- step_names(t, args$of)
  within <- step_names(t, args$within)
  values <- exact_values(t, of, call)$values
  scope <- derive_scope(t, within)
  # The best is the one that best_sellers() picks. Totals over all recurring periods hold equally many single ones.
  per <- mean_single(t, of, within)
  if (!is.null(per)) {
    dated <- row_is_dated(t)
    values[dated] <- single_means(t, of, call)[dated]
  }
  ranks <- row_ranks(t, values, scope$id, args$ties, args$highest_first)
  stats <- step_stats_of(t, count_missing(values), alone = stands_alone(scope, t), per = per)
  add_columns_of(t, step, list(rank_column(ranks, args$ties)), stats, call)
}

rank_column <- function(ranks, ties) {
  list(values = ranks, counts = "rank", decimals = if (ties != "fractional") 0L)
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
  rank_kernel(order, scope, values, ties, threads_wanted())
}
