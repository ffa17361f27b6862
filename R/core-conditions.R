# Conditions: expressions over the columns of lines that give yes or no.

# The answer of each line: TRUE, FALSE or NA. `book` is a part of facts: whatever has `columns` and `lines`.
evaluate_condition <- function(book, when, call) {
  answers_kernel(condition_parts(book, when, call), book$lines, threads_wanted())
}

# What the compiled code takes: parts, and the operators that join those before them.
condition_parts <- function(book, when, call) {
  answer <- tryCatch(
    {
      check_repeated(rlang::quo_get_expr(when), rlang::quo_get_env(when), book)
      answers_of(rlang::quo_get_expr(when), rlang::quo_get_env(when), book)
    },
    error = function(cnd) {
      if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
      columns <- names(book$columns)
      unknown <- setdiff(all.vars(rlang::quo_get_expr(when)), columns)
      stop_because("condition", sprintf("The condition `%s` cannot be evaluated.", expression_text(when)),
                   x = conditionMessage(cnd), i = sprintf("The columns are %s.", columns_named(columns)),
                   i = did_you_mean(unknown, columns), call = call)
    }
  )
  answer_parts(answer, book$lines) %||%
    stop_because("condition", sprintf("The condition `%s` must be TRUE or FALSE for each line.", expression_text(when)),
                 x = sprintf("It gives %s.", describe(answer)), i = "For example `region == \"Vale\"`.", call = call)
}

# What R would repeat until it is long enough has the value of another line: constants are for all lines, or for each.
check_repeated <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(check_repeated(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  if (!is.call(expr)) {
    return(invisible())
  }
  operands <- Filter(Negate(rlang::is_missing), as.list(expr)[-1])
  for (operand in operands) check_repeated(operand, env, book)
  if (rlang::is_call(expr, repeating)) {
    for (operand in operands) {
      if (length(used_columns(operand, book)) || !is.call(operand) && !is.symbol(operand)) next
      values <- tryCatch(evaluate_expression(operand, env, list()), error = function(cnd) 0)
      if (!length(values) %in% c(1, book$lines)) {
        stop_because("condition", sprintf("`%s` gives %s for %s.", expression_text(operand),
                                          count_of(length(values), "value"), count_of(book$lines, "line")),
                     i = "Give one value, or compare with several values by `%in%`.", call = NULL)
      }
    }
  }
}

repeating <- c("==", "!=", "<", "<=", ">", ">=", "&", "|", "+", "-", "*", "/", "^", "%%", "%/%", "pmin", "pmax",
               "ifelse")

# What an operand of a condition gives for each line, or for all: a vector.
evaluate_operand <- function(expr, env, book) {
  line_values(answers_of(expr, env, book), book$lines)
}

# "and", "or" and "not" are taken apart, so that each part on one column of texts or days meets the column's distinct
# values instead of every line, and numbers are compared as they are. Gives parts that are not yet joined, or a vector.
answers_of <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(answers_of(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  if (rlang::is_call(expr, c("&", "|"), n = 2) || rlang::is_call(expr, "!", n = 1)) {
    return(join_answers(as.character(expr[[1]]), lapply(as.list(expr)[-1], answers_of, env = env, book = book),
                        book$lines))
  }
  if (rlang::is_call(expr, "(", n = 1)) {
    return(answers_of(expr[[2]], env, book))
  }
  used <- intersect(all.vars(expr), names(book$columns))
  if (length(used) == 1) {
    compared <- compared_number(expr, env, used, book)
    if (!is.null(compared)) {
      return(compared)
    }
    coded <- if (value_by_value(expr, used, env)) values_of_column(known_of(book, used))
    if (!is.null(coded)) {
      return(evaluate_on_values(expr, env, used, coded))
    }
  }
  mask <- lapply(stats::setNames(nm = used), column_values, book = book)
  evaluate_expression(expr, env, mask)
}

new_answers <- function(parts) {
  structure(parts, class = "hinterfeld_answers")
}

join_answers <- function(operator, operands, lines) {
  parts <- lapply(operands, answer_parts, lines = lines)
  if (any(vapply(parts, is.null, NA))) {
    return(do.call(operator, lapply(operands, line_values, lines = lines)))
  }
  new_answers(c(unlist(parts, recursive = FALSE), operator))
}

# The parts of an answer; NULL for what is not a yes or no of each line, or of all.
answer_parts <- function(x, lines) {
  if (inherits(x, "hinterfeld_answers")) {
    return(unclass(x))
  }
  if (is.logical(x) && length(x) %in% c(1, lines)) list(list(x = as.vector(x)))
}

line_values <- function(x, lines) {
  if (inherits(x, "hinterfeld_answers")) answers_kernel(unclass(x), lines, threads_wanted()) else x
}

# A column of numbers that is compared with one number; NULL for anything else.
compared_number <- function(expr, env, name, book) {
  turned <- c(`>` = "<", `>=` = "<=", `<` = ">", `<=` = ">=", `==` = "==", `!=` = "!=")
  x <- book$columns[[name]]
  if (!rlang::is_call(expr, names(turned), n = 2) || is.object(x) || !is.numeric(x)) {
    return(NULL)
  }
  first <- identical(expr[[2]], as.symbol(name))
  other <- expr[[if (first) 3 else 2]]
  if (!identical(expr[[if (first) 2 else 3]], as.symbol(name)) || name %in% all.vars(other)) {
    return(NULL)
  }
  bound <- evaluate_expression(other, env, list())
  if (!is.numeric(bound) || is.object(bound) || length(bound) != 1 || is.na(bound)) {
    return(NULL)
  }
  operator <- as.character(expr[[1]])
  decimals <- if (name %in% names(book$decimals)) book$decimals[[name]] else 0
  new_answers(list(list(x = x, compare = if (first) operator else turned[[operator]], scale = 10^decimals,
                        bound = as.double(bound))))
}

# The distinct values of a column of texts, or of days near each other, and the codes of lines, counted from `first`;
# NULL for any other.
values_of_column <- function(known) {
  x <- known$column
  if (is_coded(x)) {
    return(list(codes = x, values = levels(x), first = 1L))
  }
  span <- if (inherits(x, "Date")) known_near_numbers(known, length(x))
  if (!is.null(span)) list(codes = x, values = plain_days(seq(span[1], span[2])), first = as.integer(span[1]))
}

evaluate_on_values <- function(expr, env, name, coded) {
  values <- c(coded$values, NA)
  answer <- evaluate_expression(expr, env, stats::setNames(list(values), name))
  if (length(answer) == 1) {
    return(answer)
  }
  if (is.logical(answer) && length(answer) == length(values)) {
    return(new_answers(list(list(x = coded$codes, answers = as.vector(answer), first = coded$first))))
  }
  at <- as.integer(coded$codes) - coded$first + 1L
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
  ends <- range(x, na.rm = TRUE)
  paste(if (type_of(x) == "number") number_text(ends) else format(ends), collapse = " to ")
}
