#' Share of the total
#'
#' @inheritParams add_rank
#' @param of Text: name of a measure that adds up, a sum or a count of lines.
#' @param within Columns inside which the rows' shares add up to 1; `NULL` for the whole table. In a
#'   table with subtotals, `within` a parent's column gives the share of the parent.
#' @param name Text: name of the new column instead of `<of>_share`.
#' @return `t` with the column `<of>_share`, a fraction (0.16 is 16 %). Where the scope's total is 0 or
#'   below, shares are missing and a warning names the scope.
#' @section Errors: As for [add_rank()]; `hinterfeld_error_measure` also for a measure that does not add
#'   up, such as a mean.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, category), subtotals = TRUE)
#' t <- add_share(t)
#' add_share(t, within = region, name = "share_of_region")
add_share <- function(t, of = "revenue", within = NULL, name = NULL) {
  check_totals(t)
  check_name(name)
  within <- pick_within(enquo(within), t)
  values <- derive_values(t, of)
  check_adds_up(t, of, "A share")
  scope <- derive_scope(t, within)
  name <- name %||% paste0(of, "_share")
  shares <- shares_of(values, scope, of)
  warn_scopes(sprintf("`%s` is", name), unique(scope$labels[shares$not_positive]))
  words <- sprintf(
    "%s: %s of %s as a share of the total %s; the shares of a scope add up to 1%s.%s%s", name, of, member_words(t, within),
    scope_words(t, within), not_given_words(t), cut_words(t),
    missing_words(shares$share, "have no share: the total of their scope is 0 or below")
  )
  add_derived(t, stats::setNames(list(shares$share), name), stats::setNames(list(about_column("share", "share", of, "percent")), name), words,
              function(t) add_share(t, of, tidyselect::all_of(within), name))
}

# Shares of exact minor units: one correctly rounded division each.
shares_of <- function(values, scope, of) {
  minor <- minor_of(values)$minor
  total <- scope_totals(scope, minor, of)
  not_positive <- total <= 0
  total[not_positive] <- NA
  list(share = minor / total[scope$id], not_positive = which(not_positive))
}
