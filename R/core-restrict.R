#' Restrict: keep the lines that count, leave the others out
#'
#' Both return a daybook with fewer lines and one or two more rows in its [audit()]. Conditions are
#' expressions over the daybook's columns; [reads_as()] compares text without regard to case and
#' outer spaces. A line for which the condition gives neither yes nor no, because a value is
#' missing, is left out and counted on its own.
#'
#' @param book A daybook made by [daybook()].
#' @param when A condition over columns, for example `reads_as(status, "delivered")` or
#'   `day >= as.Date("2026-01-01") & region == "Vale"`. A condition on one text column is
#'   evaluated on the column's distinct values.
#' @param why Text: the reason, for the audit and the footnotes. By default the condition itself.
#' @section Days: A daybook covers the days from its first line to its last, whatever lines are left out: a region without
#'   a sale on the last day is still compared up to that day. Conditions on the day alone change that, also where they are
#'   joined with others by "and": then the daybook covers the days for which they hold.
#' @return A daybook. A message names values in the condition that no line has.
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
  check_daybook(book, call)
  check_nesting(rlang::quo_get_expr(when))
  check_text(why, "why", none = TRUE, call = call)
  if (rlang::quo_is_missing(when)) {
    stop_because("argument", c(
      "`when` is missing: which lines?",
      i = "For example `reads_as(status, \"delivered\")`."
    ), call = call)
  }
  answer <- evaluate_condition(when, book, call)
  mention_unknown_values(when, book)

  found <- answered_kernel(answer, wanted)
  keep <- found$rows
  if (length(keep) == 0) {
    stop_no_lines_left(when, book, found$unclear, call)
  }
  revenue <- book$columns$revenue
  kept <- take_rows(book$columns, keep)
  before <- c(book$lines, sum_minor(revenue))
  after <- c(length(keep), sum_minor(kept$revenue))
  why <- why %||% rlang::as_label(when)
  decimals <- book$decimals[["revenue"]]
  steps <- if (found$unclear > 0) {
    unclear <- is.na(answer)
    clear <- before - c(sum(unclear), sum_minor(revenue[unclear]))
    add_steps(new_trail(what, why, before[1], before[1] - (clear[1] - after[1]), before[2],
                        before[2] - (clear[2] - after[2]), decimals),
              new_trail("neither yes nor no", why, after[1] + sum(unclear), after[1],
                        after[2] + before[2] - clear[2], after[2], decimals))
  } else {
    new_trail(what, why, before[1], after[1], before[2], after[2], decimals)
  }
  book$span <- restricted_span(when, book, keep, wanted, call)
  book$columns <- kept
  book$lines <- length(keep)
  book$trail <- add_steps(book$trail, steps)
  book
}

# The days that the data cover are told by conditions on the day alone, whether they stand alone or are joined with
# others by "and": then the days for which they hold, else the days that were covered before.
restricted_span <- function(when, book, keep, wanted, call) {
  parts <- day_conditions(rlang::quo_get_expr(when), rlang::quo_get_env(when), wanted, names(book$columns))
  if (length(parts) == 0) {
    return(book$span)
  }
  days <- plain_days(seq(as.numeric(book$span[1]), as.numeric(book$span[2])))
  calendar <- list(columns = list(day = days), lines = length(days))
  for (part in parts) {
    holds <- evaluate_condition(rlang::new_quosure(part$expr, part$env), calendar, call) == part$wanted
    calendar$columns$day <- calendar$columns$day[which(holds)]
    calendar$lines <- length(calendar$columns$day)
  }
  # A condition may look at the whole column, as day > mean(day) does: the lines that are left are covered all the same.
  plain_days(range(c(calendar$columns$day, book$columns$day[keep])))
}

# The parts of a condition that must all hold (or, with `wanted` FALSE, must all not) and speak of the day alone.
day_conditions <- function(expr, env, wanted, known) {
  if (rlang::is_quosure(expr)) {
    return(day_conditions(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), wanted, known))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(day_conditions(expr[[2]], env, wanted, known))
  }
  if (rlang::is_call(expr, "!", n = 1)) {
    return(day_conditions(expr[[2]], env, !wanted, known))
  }
  if (rlang::is_call(expr, if (wanted) "&" else "|", n = 2)) {
    return(c(day_conditions(expr[[2]], env, wanted, known), day_conditions(expr[[3]], env, wanted, known)))
  }
  if (identical(intersect(all.vars(expr), known), "day")) list(list(expr = expr, env = env, wanted = wanted))
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

evaluate_condition <- function(when, book, call) {
  answer <- tryCatch(
    evaluate_part(rlang::quo_get_expr(when), rlang::quo_get_env(when), book),
    error = function(cnd) {
      known <- names(book$columns)
      unknown <- setdiff(all.vars(rlang::quo_get_expr(when)), known)
      near <- unlist(lapply(unknown, nearest, known = known, most = 1))
      stop_because("condition", c(
        sprintf("The condition `%s` cannot be evaluated.", rlang::as_label(when)),
        x = conditionMessage(cnd),
        i = sprintf("The daybook's columns are %s.", columns_named(known)),
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
  rlang::eval_tidy(expr, with_helpers(mask), env)
}

evaluate_on_values <- function(expr, env, name, coded) {
  values <- c(levels(coded), NA)
  answer <- rlang::eval_tidy(expr, with_helpers(stats::setNames(list(values), name)), env)
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

# reads_as() is at hand in conditions also where the package is not attached.
with_helpers <- function(mask) {
  c(mask, list(reads_as = reads_as))
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
  used <- intersect(all.vars(rlang::quo_get_expr(when)), names(book$columns))
  holds <- vapply(used, function(name) sprintf("`%s` holds %s.", name, values_held(book, name)), "")
  stop_because("no_lines", c(
    sprintf("`%s` leaves no line of %s.", rlang::as_label(when), group_digits(book$lines)),
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
