#' Who makes most of a change
#'
#' Names the fewest members that make most of what went up, and the fewest that make most of what went down, each on
#' its own: a rise of ten members can hide the fall of two.
#'
#' @param t A totals table with [add_change()].
#' @param n Number: at most this many members on each side, or `NULL` for as many as it takes.
#' @param share Number: the fraction of what went up, and of what went down, that is to be explained.
#' @param of The measure whose change it is, as in [add_rank()].
#' @param within Columns inside which members are looked for; the table's period is always one of them.
#' @return A table with one row for each such member, in each scope those that went up first, the largest first: the
#'   columns of `within` and of the table's split, `side` (`up` or `down`), `<of>_change`, `share` (the fraction of all
#'   that went up or down in the scope) and `cumulative` (that of the members so far). Subtotals and rows that cannot
#'   be compared are left out.
#' @section Errors: `hinterfeld_error_column` if the table has no change of `of`, `hinterfeld_error_argument` for `n`
#'   below 1 or `share` outside 0 to 1.
#' @export
#' @examples
#' t <- add_change(totals(demo_daybook(), by = product, every = "year"))
#' best_causes(in_period(t, "2026"))
best_causes <- function(t, n = NULL, share = 0.8, of = NULL, within = NULL) {
  check_totals(t)
  of <- columns_given(enquo(of), t)
  check_measure(t, of)
  check_whole_number(n, "n", 1, none = TRUE)
  check_made(!is.null(share), share, "share", "a fraction above 0, at most 1")
  check_picks(NULL, share, rlang::current_env())
  change <- change_step(t, of)
  t <- detail_rows(t)
  answer <- answer_of(t)
  within <- union(answer$periods, pick_within(enquo(within), t))
  members <- setdiff(answer$keys, within)
  column <- names_of(answer, change$columns[["change"]])
  minor <- minor_of(exact_values(t, column))$minor
  sides <- lapply(c(up = 1, down = -1), function(sign) side_of_change(t, within, sign * minor, n, share))
  rows <- unlist(lapply(sides, function(side) side$row), use.names = FALSE)
  side <- rep(c("up", "down"), vapply(sides, function(side) length(side$row), 0L))
  of_side <- function(field) unlist(lapply(sides, function(side) side[[field]]), use.names = FALSE)
  order <- order(of_side("scope"), side == "down", seq_along(rows))
  data <- as_tibble.hinterfeld_totals(t)
  columns <- c(as.list(data[rows, c(within, members)]), list(side = side), as.list(data[rows, column]),
               list(share = of_side("share"), cumulative = of_side("cumulative")))
  change <- c(known_column(answer, column), list(signed = TRUE))
  about <- c(answer$columns[c(within, members)], stats::setNames(list(change), column),
             rlang::rep_named(c("share", "cumulative"), list(list(counts = "percent", signed = FALSE))))
  new_listing("best_causes", lapply(columns, function(x) x[order]), length(rows), about, answer$about,
              list(of = of, share = share, n = n, within = within, members = members))
}

# The largest values above 0 of each scope, until they make `share` of these: rows, and the parts that they make.
side_of_change <- function(t, within, value, n, share) {
  value[is.na(value)] <- 0
  scope <- derive_scope(t, within)
  order <- order_by_value(t, value, scope$id, scope$count, TRUE)
  order <- order[value[order] > 0]
  of <- scope$id[order]
  place <- integer(length(value))
  place[order] <- seq_along(order)
  whole <- as.double(scope_totals(list(id = of, count = scope$count), value[order], "change"))[of]
  upto <- running_kernel(order, scope$id, place, as.double(value), 0L)[order]
  nth <- seq_along(of) - match(of, of) + 1
  kept <- (upto - value[order]) / whole < share & (is.null(n) | nth <= (n %||% 0))
  list(row = order[kept], scope = scope$first[of[kept]], share = (value[order] / whole)[kept],
       cumulative = (upto / whole)[kept])
}
