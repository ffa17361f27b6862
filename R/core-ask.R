#' Ask an inquiry of other facts
#'
#' Answers the question of one table for other lines: last month's, another shop's, a tally. It is what running the code
#' of the inquiry ([as_code()]) gives, in one call.
#'
#' @param q An inquiry, from [inquiry_of()].
#' @param facts A daybook made by [daybook()], or a tally made by [tally_of()].
#' @return A totals table or a crosstab with the columns, steps and headings of the inquiry.
#' @section Errors: `hinterfeld_error_argument` for anything but an inquiry, `hinterfeld_error_column` if the facts lack
#'   a column by which it splits, and the errors of [totals()] and of the inquiry's steps.
#' @export
#' @examples
#' book <- demo_daybook()
#' q <- inquiry_of(best_sellers(totals(book, by = c(region, product)), n = 1, within = region))
#' ask(q, keep_lines(book, year(day) == 2025))
ask <- function(q, facts) {
  check_inquiry_given(q)
  check_facts(facts)
  check_known(q$by, split_columns(facts), "The inquiry splits by %s, which the facts do not have.")
  for (grain in q$every) check_grain(facts, grain)
  plain <- replace(q, c("steps", "crosstab", "headings"), list(list(), NULL, NULL))
  t <- answer_inquiry(plain, facts, inquiry_measures(facts, q))
  for (step in q$steps) t <- take_step(step, t, call = rlang::current_env())
  if (!is.null(q$crosstab)) t <- spread_totals(t, q$crosstab)
  renamed <- match(names(q$headings), names(t))
  names(t)[renamed] <- unname(q$headings)
  t
}

check_inquiry_given <- function(q, call = caller_env()) {
  check_made(inherits(q, "hinterfeld_inquiry"), q, "q", "an inquiry", "Take it from a table: `inquiry_of(t)`.", call)
  if (!is_sound(q)) {
    stop_because("argument", sprintf("%s was changed and cannot be asked any more.", as_typed("q")),
                 i = "Take it from a table again: `inquiry_of(t)`.", call = call)
  }
}
