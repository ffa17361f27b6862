#' Pareto classes: which members make most of the total
#'
#' Adds up the members of each scope from the highest value down and gives each a class. The class of a member is the
#' first whose bound is above the cumulative share *before* it, so the member that crosses 80 % is still in class A.
#'
#' @inheritParams add_share
#' @param t A totals table made by [totals()].
#' @param classes Named fractions in increasing order, the last of them 1: the upper bound of each class.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with `<of>_cumulative` (exact), `<of>_cumulative_share` (fraction of the scope's total),
#'   `<of>_member_share` (fraction of the scope's members so far) and `<of>_class` (text). Equal values are ordered by
#'   name. Members at or below 0 get the last class, and a message counts them; members without a value come last.
#'   [in_words()] says how many members make up what share of each scope.
#' @section Errors: As for [add_share()]; `hinterfeld_error_argument` for classes that do not increase
#'   to 1.
#' @references The ABC classification of inventory: H. F. Dickie, "ABC inventory analysis shoots for
#'   dollars, not pennies", Factory Management and Maintenance 109(7), 1951.
#' @export
#' @examples
#' t <- add_pareto(totals(demo_daybook(), by = product))
#' t
#' in_words(t)
add_pareto <- function(t, of = NULL, within = NULL, classes = c(A = 0.80, B = 0.95, C = 1), name = NULL) {
  check_totals(t)
  of <- columns_given(enquo(of), t)
  check_name(name)
  check_classes(classes)
  within <- pick_within(enquo(within), t)
  check_number_column(t, of)
  check_adds_up(t, of, "Pareto classes")
  prefix <- name %||% of
  columns <- c(cumulative = "_cumulative", share = "_cumulative_share", members = "_member_share", class = "_class")
  columns <- stats::setNames(paste0(prefix, columns), names(columns))
  step <- step_on(t, "pareto", list(of = of, within = within, classes = classes), columns)
  take_step(step, t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_pareto <- function(step, t, again = FALSE, call = caller_env()) {
  of <- step_names(t, step$args$of)
  classes <- step$args$classes
  scope <- derive_scope(t, step_names(t, step$args$within))
  pareto <- pareto_of(t, exact_values(t, of, call), scope, classes, of)
  if (!again) {
    warn_scopes(sprintf("`%s` is", (attr(step, "shown") %||% step$columns)[4]), t, scope, pareto$not_positive)
  }
  low <- pareto$low
  if (low > 0) {
    say("pareto",
        sprintf("%s at or below 0 %s class %s.", count_of(low, "member"), if (low == 1) "has" else "have",
                names(classes)[length(classes)]), members = low)
  }
  counts <- known_column(answer_of(t), of)$counts %||% "other"
  columns <- list(
    list(values = pareto$cumulative, counts = counts, decimals = pareto$decimals),
    list(values = pareto$share, counts = "percent"), list(values = pareto$members, counts = "percent"),
    list(values = pareto$class, counts = "class")
  )
  shown <- setdiff(seq_len(scope$count), pareto$not_positive)
  first <- utils::head(shown, max_scopes_named)
  summary <- list(labels = if (scope$count > 1) scope_labels(t, scope, first), top = pareto$top[first],
                  rows = pareto$rows[first], share = pareto$top_share[first], more = length(shown) - length(first),
                  low = low)
  add_columns_of(t, step, columns, step_stats_of(t, summary = summary), call)
}

# Scopes of which a sentence tells each.
max_scopes_named <- 8L

check_classes <- function(classes, call = caller_env()) {
  ok <- is.numeric(classes) && rlang::is_named(classes) && !anyNA(classes) && all(diff(c(0, classes)) > 0) &&
    classes[length(classes)] == 1
  if (!ok) {
    stop_because("argument", "`classes` must be named fractions that increase to 1.",
                 i = "For example `c(A = 0.80, B = 0.95, C = 1)`.", call = call)
  }
}

pareto_of <- function(t, values, scope, classes, of) {
  whole <- minor_of(values)
  decimals <- whole$decimals
  minor <- as.double(whole$minor)
  order <- order_by_value(t, minor, scope$id, scope$count, TRUE)
  pareto <- pareto_kernel(order, scope$id, scope$count, minor, as.double(classes))
  if (is.null(pareto)) stop_overflow(of)
  pareto$class <- lazy_text(pareto$class, names(classes))
  pareto$cumulative <- from_minor(pareto$cumulative, decimals)
  c(pareto, list(not_positive = which(pareto$total <= 0), decimals = decimals))
}
