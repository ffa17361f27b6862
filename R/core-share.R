#' Share of the total
#'
#' @param t A totals table made by [totals()], or a crosstab.
#' @param of A measure that adds up, a sum or a count of lines, as in [add_rank()]. For a crosstab, whose first measure
#'   is used, what each cell is a share of: `"all"`, its `"row"`, its `"column"`, or one of the columns in its rows and
#'   columns.
#' @param within Columns inside which the rows' shares add up to 1; `NULL` for the whole table. In a table with
#'   subtotals, set `within` to the parent's column to get the share of the parent.
#' @param name Text: name of the new column instead of `<of>_share`.
#' @return `t` with the column `<of>_share`, a fraction (0.16 is 16 %). Where the scope's total is 0 or below, shares
#'   are missing and a warning names the scope. For a crosstab, the result is the crosstab with a column of shares
#'   beside each column; its margins show which total is 100 %.
#' @section Errors: As for [add_rank()]; `hinterfeld_error_measure` also for a measure that does not add
#'   up, such as a mean.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, category), subtotals = TRUE)
#' t <- add_share(t)
#' add_share(t, within = region, name = "share_of_region")
#' x <- crosstab(totals(demo_daybook(), by = c(region, category)), category, region)
#' add_share(x, of = "column")
add_share <- function(t, of = NULL, within = NULL, name = NULL) {
  if (inherits(t, "hinterfeld_crosstab")) {
    return(crosstab_share(t, if (missing(of)) "all" else of, enquo(within), name))
  }
  check_totals(t)
  check_name(name)
  within <- pick_within(enquo(within), t)
  of <- columns_given(enquo(of), t)
  check_number_column(t, of)
  check_adds_up(t, of, "A share")
  args <- list(of = of, within = within)
  take_step(step_on(t, "share", args, c(share = name %||% paste0(of, "_share"))), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_share <- function(step, t, again = FALSE, call = caller_env()) {
  of <- step_names(t, step$args$of)
  scope <- derive_scope(t, step_names(t, step$args$within))
  shares <- shares_of(exact_values(t, of, call), scope, of)
  if (!again) warn_scopes(sprintf("`%s` is", attr(step, "shown") %||% step$columns), t, scope, shares$not_positive)
  column <- list(values = shares$share, counts = "percent")
  add_columns_of(t, step, list(column), step_stats_of(t, count_missing(shares$share), alone = stands_alone(scope, t)),
                 call)
}

# Shares of exact minor units: one correctly rounded division each.
shares_of <- function(values, scope, of) {
  minor <- minor_of(values)$minor
  total <- scope_totals(scope, minor, of)
  not_positive <- total <= 0
  total[not_positive] <- NA
  list(share = quotient_kernel(minor, total, scope$id, threads_wanted()), not_positive = which(not_positive))
}

# The crosstab with a column of shares beside each column of cells.
crosstab_share <- function(x, of, within, name, call = caller_env()) {
  if (!rlang::quo_is_null(within) || !rlang::is_string(of)) {
    stop_because("argument", "In a crosstab, `of` sets the scope of a share.",
                 i = "For example `add_share(x, of = \"row\")`.", call = call)
  }
  answer <- answer_of(x)
  how <- answer$inquiry$crosstab
  sides <- c(how$rows, how$columns)
  if (!of %in% c("all", "row", "column", sides)) {
    stop_because("argument", "`of` must say what each cell is a share of.",
                 i = sprintf("Choose \"all\", \"row\", \"column\" or %s.", columns_named(sides)), call = call)
  }
  within <- switch(of, all = character(), row = how$rows, column = how$columns, of)
  if (length(picks_of(answer))) {
    stop_because("argument", "This crosstab shows only cells that were picked, which are not all of a row or a column.",
                 i = "Add the share to the table, and then pick.", call = call)
  }
  measure <- how$of[1]
  t <- replay(retotal(answer, sides), answer$inquiry$steps)
  t <- rlang::exec(add_share, t, measure, within = within, name = name)
  steps <- answer_of(t)$inquiry$steps
  how$of <- c(how$of, unname(steps[[length(steps)]]$columns))
  arranged <- how[intersect(c("order", "best"), names(how))]
  how[names(arranged)] <- NULL
  arranged_alike(spread_totals(t, how), Filter(Negate(is.null), arranged), answer)
}

# A crosstab in the order, and with the rows, of a former one whose cells went by other names.
arranged_alike <- function(x, arranged, former) {
  cells <- answer_of(x)$cells
  names <- vapply(cells, function(cell) cell$id, "")
  renamed <- function(ids) {
    vapply(ids, function(id) {
      was <- Filter(function(cell) cell$id == id, former$cells)
      if (length(was) == 0) {
        return(id)
      }
      names[vapply(cells, function(cell) identical(cell[c("codes", "of")], was[[1]][c("codes", "of")]), NA)][[1]]
    }, "", USE.NAMES = FALSE)
  }
  if (!is.null(arranged$order)) names(arranged$order) <- renamed(names(arranged$order))
  if (!is.null(arranged$best)) arranged$best$of <- renamed(arranged$best$of)
  if (length(arranged)) rearranged(x, arranged) else x
}
