#' Restrict: keep the lines that count, leave the others out
#'
#' Both return a daybook with fewer lines and one or two more rows in its [audit()]. Conditions are
#' expressions over the daybook's columns; [reads_as()] compares text without regard to case and
#' outer spaces. A line for which the condition gives neither yes nor no, because a value is
#' missing, is left out and counted on its own.
#'
#' @param book A daybook made by [daybook()], or a tally made by [tally_of()], of which whole groups are kept.
#' @param when A condition over columns, for example `reads_as(status, "delivered")` or
#'   `day >= as.Date("2026-01-01") & region == "Vale"`. A condition on one text column is
#'   evaluated on the column's distinct values.
#' @param why Text: the reason, for the audit and the footnotes. By default the condition itself.
#' @section Days: A daybook covers the days from its first line to its last, whatever lines are left out: a region without
#'   a sale on the last day is still compared up to that day. Conditions on the day alone change that, also where they are
#'   joined with others by "and": then the daybook covers the days for which they hold.
#' @return A daybook, or a tally. A message names values in the condition that no line has.
#' @section Errors: `hinterfeld_error_condition` when the condition cannot be evaluated or is not
#'   logical, `hinterfeld_error_no_lines` when no line would be left.
#' @export
#' @examples
#' book <- demo_daybook(completed = FALSE)
#' book <- keep_lines(book, reads_as(status, "delivered", "collected"), why = "completed sales")
#' book <- leave_out(book, region == "Vale")
#' audit(book)
keep_lines <- function(book, when, why = NULL) {
  restrict(book, enquo(when), why, wanted = TRUE, what = "keep")
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
    stop_because("argument", c(
      "`when` is missing: which lines?",
      i = "For example `reads_as(status, \"delivered\")`."
    ), call = call)
  }
  parts <- parts_of(book)
  answers <- lapply(parts, evaluate_condition, when = when, call = call)
  mention_unknown_values(when, parts[[1]])

  found <- lapply(answers, answered_kernel, wanted = wanted)
  rows <- lapply(found, function(one) one$rows)
  if (length(rows[[1]]) == 0) {
    stop_no_lines_left(when, book, which(is.na(answers[[1]])), call)
  }
  before <- weigh(book)
  after <- weigh(book, rows[[1]])
  unclear <- if (found[[1]]$unclear > 0) weigh(book, which(is.na(answers[[1]])))
  why <- why %||% rlang::as_label(when)
  book$trail <- add_steps(book$trail, restriction_steps(what, why, before, after, unclear, book$decimals[["revenue"]]))
  book$span <- restricted_span(when, book, rows[[1]], wanted, call)
  take_parts(book, rows)
}

# Lines for which a condition gives neither yes nor no have a step of their own.
restriction_steps <- function(what, why, before, after, unclear, decimals) {
  if (is.null(unclear)) {
    return(new_trail(what, why, before[1], after[1], before[2], after[2], decimals))
  }
  clear <- after + unclear
  add_steps(new_trail(what, why, before[1], clear[1], before[2], clear[2], decimals),
            new_trail("neither yes nor no", why, clear[1], after[1], clear[2], after[2], decimals))
}

# The days that the data cover are told by conditions on the day alone, whether they stand alone or are joined with
# others by "and": then the days for which they hold, else the days that were covered before.
restricted_span <- function(when, book, keep, wanted, call) {
  part <- parts_of(book)[[1]]
  name <- book$every %||% "day"
  parts <- day_conditions(rlang::quo_get_expr(when), rlang::quo_get_env(when), wanted, names(part$columns), name)
  if (length(parts) == 0) {
    return(book$span)
  }
  days <- plain_days(seq(as.numeric(book$span[1]), as.numeric(book$span[2])))
  calendar <- function(days) {
    starts <- plain_days(period_bounds_kernel(as.integer(days), name, FALSE, book$calendar$rules))
    list(columns = stats::setNames(list(starts), name), lines = length(days))
  }
  for (one in parts) {
    holds <- evaluate_condition(calendar(days), rlang::new_quosure(one$expr, one$env), call) == one$wanted
    days <- days[which(holds)]
  }
  # A condition may look at the whole column, as day > mean(day) does: the lines that are left are covered all the same.
  left <- range(days_of(part, book)[keep])
  if (name != "day") left[2] <- min(book$span[2], plain_days(period_bounds_kernel(as.integer(left[2]), name, TRUE, book$calendar$rules)))
  plain_days(range(c(days, max(left[1], book$span[1]), left[2])))
}

# The parts of a condition that must all hold (or, with `wanted` FALSE, must all not) and speak of the day alone.
day_conditions <- function(expr, env, wanted, known, day) {
  if (rlang::is_quosure(expr)) {
    return(day_conditions(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), wanted, known, day))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(day_conditions(expr[[2]], env, wanted, known, day))
  }
  if (rlang::is_call(expr, "!", n = 1)) {
    return(day_conditions(expr[[2]], env, !wanted, known, day))
  }
  if (rlang::is_call(expr, if (wanted) "&" else "|", n = 2)) {
    return(c(day_conditions(expr[[2]], env, wanted, known, day), day_conditions(expr[[3]], env, wanted, known, day)))
  }
  if (identical(intersect(all.vars(expr), known), day)) list(list(expr = expr, env = env, wanted = wanted))
}

# Conditions -----------------------------------------------------------------------------------------

most_nested <- 50L

# Every level of an expression takes room on R's stack, which ends; so the call that holds it is not shown either.
check_nesting <- function(expr) {
  if (!nested_deeper(expr, most_nested)) {
    return(invisible())
  }
  stop_because("condition", c(
    sprintf("The expression is nested more than %d levels deep.", most_nested),
    i = "Compare a column with many values by `%in%`, or apply several conditions one after the other."
  ), call = NULL)
}

nested_deeper <- function(expr, levels) {
  parts <- list(expr)
  while (length(parts <- Filter(is.call, parts)) && levels > 0) {
    parts <- unlist(lapply(parts, function(part) Filter(Negate(rlang::is_missing), as.list(part)[-1])), recursive = FALSE)
    levels <- levels - 1L
  }
  length(parts) > 0
}

# `book` is a part of facts: whatever has `columns` and `lines`.
evaluate_condition <- function(book, when, call) {
  answer <- tryCatch(
    evaluate_part(rlang::quo_get_expr(when), rlang::quo_get_env(when), book),
    error = function(cnd) {
      known <- names(book$columns)
      unknown <- setdiff(all.vars(rlang::quo_get_expr(when)), known)
      near <- unlist(lapply(unknown, nearest, known = known, most = 1))
      stop_because("condition", c(
        sprintf("The condition `%s` cannot be evaluated.", rlang::as_label(when)),
        x = conditionMessage(cnd),
        i = sprintf("The columns are %s.", columns_named(known)),
        if (length(near)) c(i = sprintf("Did you mean %s?", columns_named(near)))
      ), call = call)
    }
  )
  if (!is.logical(answer) || !length(answer) %in% c(1, book$lines)) {
    stop_because("condition", c(
      sprintf("The condition `%s` must give yes or no for each line.", rlang::as_label(when)),
      x = sprintf("It gives %s.", describe(answer)),
      i = "For example `region == \"Vale\"`."
    ), call = call)
  }
  if (length(answer) == book$lines) answer else rep_len(answer, book$lines)
}

# "and", "or" and "not" are taken apart, so that each part on one text column meets the column's
# distinct values instead of every line.
evaluate_part <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(evaluate_part(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  if (rlang::is_call(expr, c("&", "|"), n = 2)) {
    return(do.call(as.character(expr[[1]]), list(
      evaluate_part(expr[[2]], env, book), evaluate_part(expr[[3]], env, book)
    )))
  }
  if (rlang::is_call(expr, "!", n = 1)) {
    return(!evaluate_part(expr[[2]], env, book))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(evaluate_part(expr[[2]], env, book))
  }
  used <- intersect(all.vars(expr), names(book$columns))
  if (length(used) == 1 && is_coded(book$columns[[used]]) && value_by_value(expr, used, env)) {
    return(evaluate_on_values(expr, env, used, book$columns[[used]]))
  }
  mask <- lapply(stats::setNames(nm = used), column_values, book = book)
  evaluate_expression(expr, env, mask)
}

evaluate_on_values <- function(expr, env, name, coded) {
  values <- c(levels(coded), NA)
  answer <- evaluate_expression(expr, env, stats::setNames(list(values), name))
  if (length(answer) == 1) {
    return(answer)
  }
  if (is.logical(answer) && length(answer) == length(values)) {
    return(recode_kernel(coded, answer, answer[length(values)], threads_wanted()))
  }
  at <- as.integer(coded)
  at[is.na(at)] <- length(values)
  answer[at]
}

# Functions whose answer for a value does not depend on the other values of the column.
one_by_one <- c(
  "==", "!=", "<", "<=", ">", ">=", "%in%", "is.na", "reads_as", "c", "tolower", "toupper", "trimws",
  "nchar", "substr", "startsWith", "endsWith", "grepl", "paste0", "-", "+", "&", "|", "!", "("
)

value_by_value <- function(expr, column, env) {
  others <- setdiff(all.vars(expr), column)
  called <- setdiff(all.names(expr), c(column, others))
  if (!all(called %in% one_by_one)) {
    return(FALSE)
  }
  sets <- rlang::is_call(expr, c("%in%", "reads_as"))
  sets || all(vapply(others, function(name) length(get0(name, env)) == 1, NA))
}

# Values in the condition ----------------------------------------------------------------------------

# Texts that a condition compares a text column with: list(column =, values =) for each comparison.
compared_texts <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(compared_texts(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  if (!is.call(expr)) {
    return(list())
  }
  if (rlang::is_call(expr, c("==", "!=", "%in%", "reads_as"))) {
    sides <- as.list(expr)[-1]
    columns <- vapply(sides, function(side) {
      is.symbol(side) && is_coded(book$columns[[as.character(side)]])
    }, NA)
    if (sum(columns) == 1) {
      values <- unlist(lapply(sides[!columns], constant_text, env = env))
      return(list(list(column = as.character(sides[[which(columns)]]), values = values,
                       loose = rlang::is_call(expr, "reads_as"))))
    }
  }
  unlist(lapply(as.list(expr)[-1], compared_texts, env = env, book = book), recursive = FALSE)
}

constant_text <- function(expr, env) {
  simple <- is.character(expr) || rlang::is_call(expr, "c") || is.symbol(expr)
  value <- if (simple) tryCatch(rlang::eval_tidy(expr, env = env), error = function(cnd) NULL)
  if (is.character(value)) value[!is.na(value)]
}

mention_unknown_values <- function(when, book) {
  for (part in compared_texts(rlang::quo_get_expr(when), rlang::quo_get_env(when), book)) {
    known <- levels(book$columns[[part$column]])
    same <- if (part$loose) plain_text else identity
    unknown <- unique(part$values[!same(part$values) %in% same(known)])
    if (length(unknown) > 5) {
      say("unknown_value", sprintf("No line has %s in `%s`.", examples_of(unknown), part$column), column = part$column, value = unknown)
      next
    }
    for (value in unknown) {
      near <- nearest(value, known)
      say("unknown_value", c(
        sprintf("No line has %s in `%s`.", examples_of(value), part$column),
        i = sprintf("%s %s.", if (length(near)) "The nearest values are" else "It holds",
                    examples_of(if (length(near)) near else known))
      ), column = part$column, value = value)
    }
  }
}

stop_no_lines_left <- function(when, book, unclear, call) {
  part <- parts_of(book)[[1]]
  used <- intersect(all.vars(rlang::quo_get_expr(when)), names(part$columns))
  holds <- vapply(used, function(name) sprintf("`%s` holds %s.", name, values_held(part, name)), "")
  unclear <- if (length(unclear)) weigh(book, unclear)[1] else 0
  stop_because("no_lines", c(
    sprintf("`%s` leaves no line of %s.", rlang::as_label(when), group_digits(weigh(book)[1])),
    if (unclear > 0) c(x = sprintf("For %s it gives neither yes nor no.", count_of(unclear, "line"))),
    stats::setNames(holds, rep("i", length(holds))),
    i = "Compare text without regard to case and spaces with `reads_as()`."
  ), call = call)
}

values_held <- function(book, name) {
  x <- book$columns[[name]]
  if (is_coded(x)) {
    present <- levels(x)[tabulate(x, nlevels(x)) > 0]
    return(examples_of(present, 8))
  }
  x <- column_values(book, name)
  if (all(is.na(x))) {
    return("nothing but blanks")
  }
  paste(format(range(x, na.rm = TRUE)), collapse = " to ")
}
