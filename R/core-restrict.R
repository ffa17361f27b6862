#' Restrict: keep the lines that count, leave the others out
#'
#' Both return a daybook with fewer lines and one or two more rows in its [audit()]. Conditions are expressions over the
#' daybook's columns; [reads_as()] compares text without regard to case and outer spaces. A line for which the condition
#' gives undecided, because a value is missing, is left out and counted separately.
#'
#' @param book A daybook made by [daybook()], or a tally made by [tally_of()], whose groups are kept or left out as a
#'   whole.
#' @param when A condition over columns, for example `reads_as(status, "delivered")` or
#'   `day >= as.Date("2026-01-01") & region == "Vale"`. A condition on one text column is
#'   evaluated on the column's distinct values.
#' @param ... Further conditions, all of which must hold.
#' @param why Text: the reason, for the audit and the footnotes. By default the condition itself.
#' @section Days: A daybook covers the days from its first line to its last, and leaving out lines does not change that:
#'   a region without a sale on the last day is still compared up to that day. Only a condition on the day alone, by
#'   itself or joined to others by "and", changes it: the daybook then covers the days for which that condition holds.
#' @return A daybook, or a tally. A message names any value in the condition that no line has.
#' @section Errors: `hinterfeld_error_condition` when the condition cannot be evaluated or is not
#'   logical, `hinterfeld_error_no_lines` when no line would be left.
#' @export
#' @examples
#' book <- demo_daybook(completed = FALSE)
#' book <- keep_lines(book, reads_as(status, "delivered", "collected"), why = "completed sales")
#' book <- leave_out(book, region == "Vale")
#' keep_lines(book, year(day) == 2026, channel == "Web")
#' audit(book)
keep_lines <- function(book, when, ..., why = NULL) {
  further <- rlang::enquos(...)
  # A text is not a condition, but the reason.
  text <- vapply(further, function(quo) rlang::is_string(rlang::quo_get_expr(quo)), NA)
  if (any(text)) why <- why %||% rlang::quo_get_expr(further[[which(text)[1]]])
  further <- further[!text]
  when <- Reduce(function(all, one) rlang::quo(!!all & !!one), further, enquo(when))
  restrict(book, when, why, wanted = TRUE, what = "keep")
}

#' @rdname keep_lines
#' @export
leave_out <- function(book, when, why = NULL) {
  restrict(book, enquo(when), why, wanted = FALSE, what = "leave out")
}

restrict <- function(book, when, why, wanted, what, call = caller_env()) {
  check_facts(book, "book", call)
  check_nesting(rlang::quo_get_expr(when))
  check_text(why, "why", none = TRUE, call = call)
  if (rlang::quo_is_missing(when)) {
    stop_because("argument", "`when` is missing: which lines?", i = "For example `reads_as(status, \"delivered\")`.",
                 call = call)
  }
  rowsets <- rowsets_of(book)
  answers <- lapply(rowsets, answered_rows, when = when, wanted = wanted, call = call)
  mention_unknown_values(when, rowsets[[1]])
  rows <- lapply(answers, function(answer_part) answer_part$rows)
  missing <- if (answers[[1]]$unclear > 0) answered_rows(rowsets[[1]], when, NA, call)$rows
  before <- lines_and_revenue(book)
  after <- if (length(rows[[1]])) lines_and_revenue(book, rows[[1]]) else c(0, 0)
  unclear <- if (length(missing)) lines_and_revenue(book, missing)
  why <- why %||% shown_expression(when, names(rowsets[[1]]$columns))
  former <- book
  book$trail <- add_steps(book$trail, restriction_steps(what, why, before, after, unclear, book$decimals[["revenue"]]))
  rules <- day_rules_of(when, book, wanted)
  if (inherits(book, "hinterfeld_daybook")) {
    book$day_rules <- c(book$day_rules, rules)
    book$orders <- orders_left(book, rows[[1]], missing)
  } else {
    book$made_of <- part_of_lines(book$made_of, list(what, why))
  }
  if (length(rows[[1]]) == 0) {
    left <- unclass(book)[c("trail", "coverage", "day_rules", "orders", "aside", "used")]
    stop_no_lines_left(when, former, missing, left, call)
  }
  book <- with_coverage(book, restricted_coverage(rules, book, rows[[1]], call))
  take_rowsets(book, rows)
}

# Lines that a condition leaves undecided have a step of their own.
restriction_steps <- function(what, why, before, after, unclear, decimals) {
  if (is.null(unclear)) {
    return(new_trail(what, why, before[1], after[1], before[2], after[2], decimals))
  }
  clear <- after + unclear
  add_steps(new_trail(what, why, before[1], clear[1], before[2], clear[2], decimals),
            new_trail("undecided", why, clear[1], after[1], clear[2], after[2], decimals))
}

# Lines without a clear answer came one step less far than those that are left.
orders_left <- function(book, rows, unclear) {
  steps <- nrow(book$trail)
  if (length(unclear)) book$orders <- record_survivors(book$orders, book$columns$order, steps - 1L, unclear)
  record_survivors(book$orders, book$columns$order, steps, rows)
}

# Only conditions on the day alone, also when joined to others by "and", change the covered days: to those for which
# they hold. Otherwise the covered days stay the same.
restricted_coverage <- function(rules, book, keep, call) {
  if (length(rules) == 0) {
    return(book$coverage)
  }
  name <- book$every %||% "day"
  days <- take_rows(list(days_of(rowsets_of(book)[[1]], book)), keep)[[1]]
  left <- different_days_kernel(days, threads_wanted())
  days <- book$coverage$covered
  # A group of a tally is all days of its period.
  if (name != "day") left <- days[period_bounds_kernel(days, name, FALSE, book$calendar$rules) %in% left]
  rule_out(book$coverage, rules, left, name, book$calendar, call)
}

# Conditions on days rule out those for which they do not hold. A condition may look at the whole column, as
# `day > mean(day)` does: days of lines that are left are covered anyway.
rule_out <- function(coverage, rules, left, every, calendar, call) {
  if (length(rules) == 0) {
    return(coverage)
  }
  first <- coverage$covered[1]
  days <- c(if (length(coverage$said) == 0) first - rev(seq_len(early_most(calendar))), coverage$covered)
  holds <- days %in% left
  holds[!holds] <- days[!holds] %in% as.integer(days_allowed(rules, plain_days(days), every, calendar, call))
  # Before the data there is nothing to rule out but what runs up to them.
  coverage$ruled <- sort(union(coverage$ruled, days[!holds]))
  coverage$covered <- days[holds & days >= first]
  coverage
}

day_rules_of <- function(when, book, wanted) {
  day_conditions(rlang::quo_get_expr(when), rlang::quo_get_env(when), wanted, names(rowsets_of(book)[[1]]$columns),
                 book$every %||% "day")
}

# The days for which conditions on days hold.
days_allowed <- function(rules, days, name, calendar, call) {
  for (rule in rules) {
    starts <- plain_days(period_bounds_kernel(as.integer(days), name, FALSE, calendar$rules))
    columns <- list(columns = stats::setNames(list(starts), name), lines = length(days))
    holds <- evaluate_condition(columns, rlang::new_quosure(rule$expr, rule$env), call) == rule$wanted
    days <- days[which(holds)]
  }
  days
}

# The parts of a condition that must all hold (or, with `wanted` FALSE, must all not) and speak of the day alone.
day_conditions <- function(expr, env, wanted, columns, day) {
  if (rlang::is_quosure(expr)) {
    return(day_conditions(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), wanted, columns, day))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(day_conditions(expr[[2]], env, wanted, columns, day))
  }
  if (rlang::is_call(expr, "!", n = 1)) {
    return(day_conditions(expr[[2]], env, !wanted, columns, day))
  }
  if (rlang::is_call(expr, if (wanted) "&" else "|", n = 2)) {
    return(c(day_conditions(expr[[2]], env, wanted, columns, day),
             day_conditions(expr[[3]], env, wanted, columns, day)))
  }
  if (identical(intersect(all.vars(expr), columns), day)) list(list(expr = expr, env = env, wanted = wanted))
}

# The rows of a part for which a condition gives what is wanted (NA: neither yes nor no), and for how many it gives
# neither.
answered_rows <- function(rowset, when, wanted, call) {
  rows_where_kernel(condition_parts(rowset, when, call), rowset$lines, wanted, threads_wanted())
}

# `left` is the trail so far, for a caller that goes on with other lines.
stop_no_lines_left <- function(when, book, unclear, left, call) {
  rowset <- rowsets_of(book)[[1]]
  used <- intersect(all.vars(rlang::quo_get_expr(when)), names(rowset$columns))
  holds <- vapply(used, function(name) sprintf("`%s` holds %s.", name, values_held(rowset, name)), "")
  unclear <- if (length(unclear)) lines_and_revenue(book, unclear)[1] else 0
  stop_because("no_lines",
               sprintf("`%s` leaves none of the %s lines.", expression_text(when),
                       group_digits(lines_and_revenue(book)[1])),
               x = if (unclear > 0) {
                 sprintf("For %s it is undecided, because a value is missing.", count_of(unclear, "line"))
               },
               stats::setNames(holds, rep("i", length(holds))),
               i = if (any(vapply(used, function(name) type_of(rowset$columns[[name]]) == "text", NA))) {
                 "To ignore case and spaces, compare with `reads_as()`."
               }, left = left, holds = unname(holds), call = call)
}
