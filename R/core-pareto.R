#' Pareto classes: which members make most of the total
#'
#' Takes the members of each scope from the highest value, adds up, and gives each a class. The class
#' of a member is the first whose bound lies above the cumulative share *before* it, so the member
#' that crosses 80 % is still in class A.
#'
#' @inheritParams add_share
#' @param classes Named fractions, increasing, the last 1: the bound of each class.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with `<of>_cumulative` (exact), `<of>_cumulative_share` (fraction of the scope's total),
#'   `<of>_member_share` (fraction of the scope's members so far) and `<of>_class` (text). Equal values
#'   are taken in order of names. Members at or below 0 get the last class, and a message counts
#'   them; those without a value come last. [in_words()] says how many members make how much of each scope.
#' @section Errors: As for [add_share()]; `hinterfeld_error_argument` for classes that do not increase
#'   to 1.
#' @references The ABC classification of inventory: H. F. Dickie, "ABC inventory analysis shoots for
#'   dollars, not pennies", Factory Management and Maintenance 109(7), 1951.
#' @export
#' @examples
#' t <- add_pareto(totals(demo_daybook(), by = product))
#' t
#' in_words(t)
add_pareto <- function(t, of = "revenue", within = NULL, classes = c(A = 0.80, B = 0.95, C = 1), name = NULL) {
  check_totals(t)
  check_name(name)
  check_classes(classes)
  within <- pick_within(enquo(within), t)
  values <- derive_values(t, of)
  check_adds_up(t, of, "Pareto classes")
  scope <- derive_scope(t, within)
  prefix <- name %||% of
  found <- pareto_of(t, values, scope, classes, of)
  columns <- stats::setNames(found[c("cumulative", "share", "members", "class")],
                             paste0(prefix, c("_cumulative", "_cumulative_share", "_member_share", "_class")))
  warn_scopes(sprintf("`%s_class` is", prefix), unique(scope$labels[found$not_positive]))
  low <- found$low
  if (low > 0) {
    say("pareto", sprintf("%s at or below 0 %s class %s.", count_of(low, "member"), if (low == 1) "has" else "have",
                          names(classes)[length(classes)]), members = low)
  }
  about <- Map(about_column, "pareto", c("cumulative", "share", "members", "class"), of,
               c(known_column(memory_of(t), of)$counts %||% "other", "percent", "percent", "class"), list(found$decimals, NULL, NULL, NULL))
  add_derived(t, columns, stats::setNames(about, names(columns)), pareto_words(t, names(columns)[4], found, scope, of, within, classes),
              function(t) add_pareto(t, of, tidyselect::all_of(within), classes, name))
}

check_classes <- function(classes, call = caller_env()) {
  ok <- is.numeric(classes) && rlang::is_named(classes) && !anyNA(classes) && all(diff(c(0, classes)) > 0) &&
    classes[length(classes)] == 1
  if (!ok) {
    stop_because("argument", c(
      "`classes` must be named fractions that increase to 1.",
      i = "For example `c(A = 0.80, B = 0.95, C = 1)`."
    ), call = call)
  }
}

pareto_of <- function(t, values, scope, classes, of) {
  whole <- minor_of(values)
  decimals <- whole$decimals
  minor <- whole$minor
  order <- order_by_value(t, minor, scope$id, scope$count, TRUE)
  # Places are positions in the order: one member each.
  place <- integer(length(minor))
  place[order] <- seq_along(order)
  cumulative <- running_kernel(order, scope$id, place, as.double(minor), 0L)
  if (any(is.nan(cumulative))) stop_overflow(of)
  total <- scope_totals(scope, minor, of)
  not_positive <- which(total <= 0)
  total[not_positive] <- NA
  found <- pareto_kernel(order, scope$id, as.double(minor), cumulative, total, as.double(classes))
  found$class <- lazy_text(found$class, names(classes))
  c(found, list(cumulative = from_minor(cumulative, decimals), not_positive = not_positive, decimals = decimals))
}

# "32 of 73 products make 80.4 % of revenue", for each scope.
pareto_words <- function(t, name, found, scope, of, within, classes, most = 8) {
  memory <- memory_of(t)
  noun <- and_list(setdiff(c(memory$by, memory$every), within))
  sentence <- function(s) {
    where <- if (scope$count > 1) paste0(scope$labels[s], ": ") else ""
    sprintf("%s%s of %s %s %s of %s.", where, group_digits(found$top[s]), count_of(found$rows[s], noun),
            if (found$top[s] == 1) "makes" else "make", percent_words(found$top_share[s]), of)
  }
  shown <- setdiff(seq_len(scope$count), found$not_positive)
  c(
    sprintf("%s: %s from the highest %s, ties in order of names; %s%s.%s", name, member_words(t, within),
            scope_words(t, within), class_words(classes), not_given_words(t), cut_words(t)),
    vapply(utils::head(shown, most), sentence, ""),
    if (length(shown) > most) sprintf("And %s more.", count_of(length(shown) - most, "scope")),
    if (found$low > 0) sprintf("%s at or below 0 %s the last class.", count_of(found$low, "member"), if (found$low == 1) "has" else "have")
  )
}

class_words <- function(classes) {
  bounds <- c(0, classes)
  paste(sprintf("%s starts below %s", names(classes), percent_words(bounds[-1])), collapse = ", ")
}

percent_words <- function(x) {
  paste(number_text(round(100 * x, 1)), "%")
}
