# Conditions: expressions over the columns of lines that give yes or no.

# `book` is a part of facts: whatever has `columns` and `lines`.
evaluate_condition <- function(book, when, call) {
  answer <- tryCatch(
    evaluate_operand(rlang::quo_get_expr(when), rlang::quo_get_env(when), book),
    error = function(cnd) {
      columns <- names(book$columns)
      unknown <- setdiff(all.vars(rlang::quo_get_expr(when)), columns)
      stop_because("condition", sprintf("The condition `%s` cannot be evaluated.", rlang::as_label(when)),
                   x = conditionMessage(cnd), i = sprintf("The columns are %s.", columns_named(columns)),
                   i = did_you_mean(unknown, columns), call = call)
    }
  )
  if (!is.logical(answer) || !length(answer) %in% c(1, book$lines)) {
    stop_because("condition", sprintf("The condition `%s` must be TRUE or FALSE for each line.", rlang::as_label(when)),
                 x = sprintf("It gives %s.", describe(answer)), i = "For example `region == \"Vale\"`.", call = call)
  }
  if (length(answer) == book$lines) answer else rep_len(answer, book$lines)
}

# "and", "or" and "not" are taken apart, so that each part on one column of texts or days meets the column's distinct
# values instead of every line.
evaluate_operand <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(evaluate_operand(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  if (rlang::is_call(expr, c("&", "|"), n = 2)) {
    return(do.call(as.character(expr[[1]]), list(
      evaluate_operand(expr[[2]], env, book), evaluate_operand(expr[[3]], env, book)
    )))
  }
  if (rlang::is_call(expr, "!", n = 1)) {
    return(!evaluate_operand(expr[[2]], env, book))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(evaluate_operand(expr[[2]], env, book))
  }
  used <- intersect(all.vars(expr), names(book$columns))
  coded <- if (length(used) == 1 && value_by_value(expr, used, env)) values_of_column(book$columns[[used]])
  if (!is.null(coded)) {
    return(evaluate_on_values(expr, env, used, coded))
  }
  mask <- lapply(stats::setNames(nm = used), column_values, book = book)
  evaluate_expression(expr, env, mask)
}

# The distinct values of a column of texts, or of days near each other, and the code of each line; NULL for any other.
values_of_column <- function(x) {
  if (is_coded(x)) {
    return(list(codes = x, values = levels(x)))
  }
  days <- if (inherits(x, "Date")) codes_by_distance(x, length(x))
  if (!is.null(days)) list(codes = days$codes, values = plain_days(days$first - 1 + seq_len(days$size)))
}

evaluate_on_values <- function(expr, env, name, coded) {
  values <- c(coded$values, NA)
  answer <- evaluate_expression(expr, env, stats::setNames(list(values), name))
  if (length(answer) == 1) {
    return(answer)
  }
  if (is.logical(answer) && length(answer) == length(values)) {
    return(recode_kernel(coded$codes, answer, answer[length(values)], threads_wanted()))
  }
  at <- as.integer(coded$codes)
  at[is.na(at)] <- length(values)
  answer[at]
}

# Functions whose answer for a value does not depend on the other values of the column.
one_by_one <- c(
  "==", "!=", "<", "<=", ">", ">=", "%in%", "is.na", "reads_as", "c", "tolower", "toupper", "trimws",
  "nchar", "substr", "startsWith", "endsWith", "grepl", "paste0", "-", "+", "&", "|", "!", "(",
  "as.Date", "year", "quarter", "month", "day_of_month", "weekday"
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
  for (compared in compared_texts(rlang::quo_get_expr(when), rlang::quo_get_env(when), book)) {
    values <- levels(book$columns[[compared$column]])
    same <- if (compared$loose) plain_text else identity
    unknown <- unique(compared$values[!same(compared$values) %in% same(values)])
    if (length(unknown) > 5) {
      say("unknown_value", sprintf("No line has %s in `%s`.", examples_of(unknown), compared$column),
          column = compared$column, value = unknown)
      next
    }
    for (value in unknown) {
      near <- nearest(value, values)
      say("unknown_value", sprintf("No line has %s in `%s`.", examples_of(value), compared$column),
          i = sprintf("%s %s.", if (length(near)) "The nearest values are" else "It holds",
                      if (length(values)) examples_of(if (length(near)) near else values) else "only blanks"),
          column = compared$column, value = value)
    }
  }
}

# Every level of an expression takes room on R's stack, which ends; so the call that holds it is not shown either.
check_nesting <- function(expr) {
  if (!nested_deeper(expr, max_nested)) {
    return(invisible())
  }
  stop_because("condition", sprintf("The expression is nested more than %d levels deep.", max_nested),
               i = "Use `%in%` to compare a column with many values, or apply several conditions in turn.", call = NULL)
}

values_held <- function(book, name) {
  x <- book$columns[[name]]
  if (is_coded(x)) {
    present <- levels(x)[tabulate(x, nlevels(x)) > 0]
    return(examples_of(present, 8))
  }
  x <- column_values(book, name)
  if (all(is.na(x))) {
    return("only blanks")
  }
  paste(format(range(x, na.rm = TRUE)), collapse = " to ")
}
