# The value of an expression for each line. This is the only place that computes one: revenue, columns and measures of
# one expression are the same. Numbers are exact decimals from the columns on, and are rounded once, at the end.

# The minor units of each line and their decimals: as many as are asked for, or else as many as the numbers have, up to
# six, which messages say of `label`. Values that are not numbers are returned as they are, as list(values =). `book`
# has columns and lines, and of columns in minor units the decimals; `name` is the argument that holds the expression.
value_per_line <- function(quo, book, decimals = NULL, name = "x", label = name, call = caller_env()) {
  formula <- line_formula(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), book, name, call)
  if (is.null(formula$ops)) {
    return(formula)
  }
  decimals <- decimals %||% capped_decimals(formula_decimals(formula, book), label)
  found <- list(minor = formula_minor(formula, book, decimals), decimals = as.integer(decimals))
  bad <- if (any_not_finite(found$minor)) which(is.nan(found$minor) | is.infinite(found$minor))
  if (length(bad)) stop_inexact(ifelse(is.infinite(found$minor[bad]), NA_real_, NaN), label, decimals, call)
  found
}

# NA is missing, NaN is not a number, Inf is too large.
formula_minor <- function(formula, book, decimals, one_by_one = FALSE) {
  for (text in formula$inexact) {
    say("inexact", sprintf("`%s` is computed by R in binary numbers, so a half may be rounded either way.", text))
  }
  line_values_kernel(formula$ops, formula$arguments, formula$columns, formula$scales, book$lines, decimals,
                     book$rounding == "half_even", one_by_one, threads_wanted())
}

# The decimals of a sum or a product follow from its operands; those of a quotient only from its values.
formula_decimals <- function(formula, book) {
  formula$decimals %||% line_decimals_kernel(formula$ops, formula$arguments, formula$columns, formula$scales,
                                             book$lines, max_decimals, threads_wanted())
}

# An expression as the compiled code takes it: `ops` in the order in which they are computed, their `arguments`, the
# `columns` with their `scales` and `names`, and the `decimals` of the result. Without `ops` it has `values` that are
# not numbers.
line_formula <- function(expr, env, book, name, call) {
  if (rlang::is_quosure(expr)) {
    return(line_formula(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book, name, call))
  }
  column <- column_asked(expr, book)
  made <- if (!is.null(column)) {
    column_formula(column, book)
  } else if (is.call(expr) && is.symbol(expr[[1]])) {
    make <- exact_call(as.character(expr[[1]]), env)
    if (!is.null(make)) {
      make(as.list(expr)[-1], function(operand) as_number(line_formula(operand, env, book, name, call)), env, book)
    }
  }
  if (is.null(made)) evaluated_formula(expr, env, book, name, call) else made
}

# A yes counts 1 where it is computed with.
as_number <- function(formula) {
  if (is.logical(formula$values)) plain_formula(formula$values, names = formula$names) else formula
}

# The column that an expression names.
column_asked <- function(expr, book) {
  name <- column_named(expr)
  if (!is.null(name) && name %in% names(book$columns)) name
}

# NULL for a column that does not hold numbers. Lines that are not a daybook yet have texts that are read as numbers.
column_formula <- function(name, book) {
  x <- book$numbers[[name]] %||% book$columns[[name]]
  if (name %in% names(book$decimals)) {
    new_formula(x, book$decimals[[name]], book$decimals[[name]], name)
  } else if (is.numeric(x) && !is.object(x)) {
    plain_formula(x, book$scales[name], name)
  }
}

# Numbers as they are: doubles are read as the decimals that they were written as.
plain_formula <- function(x, scale = NULL, names = NULL) {
  if (is.null(scale) || is.na(scale) || scale > max_decimals) {
    scale <- if (is.double(x)) decimals_kernel(x, most_written, threads_wanted()) else 0L
  }
  new_formula(x, -1L - scale, scale, names)
}

# A double has no more.
most_written <- 15L

new_formula <- function(x, scale, decimals, names) {
  list(ops = 0L, arguments = 0L, columns = list(x), scales = as.integer(scale), names = names,
       decimals = as.integer(decimals))
}

# What R computes: one value for each line, or a constant, which takes no column.
evaluated_formula <- function(expr, env, book, name, call) {
  used <- used_columns(expr, book)
  check_repeated(expr, env, book)
  values <- if (is_condition(expr)) {
    evaluate_operand(expr, env, book)
  } else {
    mask <- lapply(stats::setNames(nm = used), column_values, book = book)
    evaluate_over(rlang::new_quosure(expr, env), mask, name, call, names(book$columns))
  }
  check_line_length(values, book$lines, expr, name, length(used) == 0, call)
  if (!is.numeric(values) || inherits(values, "Date")) {
    return(list(values = values, names = numbers_among(used, book)))
  }
  formula <- plain_formula(if (is.object(values)) as.double(values) else as.vector(values),
                           names = numbers_among(used, book))
  # Whole numbers, such as a year, are exact however they came about; others are if R only handed them on.
  if (length(used) && formula$decimals > 0 && !rlang::is_call(expr, c("as.numeric", "as.double", "replace"))) {
    formula$inexact <- expression_text(expr)
  }
  formula
}

numbers_among <- function(names, book) {
  names[!vapply(book$columns[names], is_coded, NA)]
}

is_condition <- function(expr) {
  rlang::is_call(expr, c("&", "|", "!", "==", "!=", "<", "<=", ">", ">=", "%in%", "is.na", "reads_as"))
}

evaluate_over <- function(quo, data, name, call, columns = names(data)) {
  tryCatch(
    evaluate_expression(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), data),
    error = function(cnd) {
      unknown <- setdiff(all.vars(rlang::quo_get_expr(quo)), columns)
      stop_because("role", sprintf("`%s` cannot be computed from `%s`.", name, expression_text(quo)),
                   x = conditionMessage(cnd), texts_in_numbers(quo, data),
                   i = sprintf("The columns are %s.", columns_named(columns)), i = did_you_mean(unknown, columns),
                   call = call)
    }
  )
}

# Columns of text in an expression that should give a number.
texts_in_numbers <- function(quo, data) {
  used <- intersect(all.vars(rlang::quo_get_expr(quo)), names(data))
  texts <- used[vapply(used, function(name) type_of(data[[name]]) == "text", NA)]
  if (length(texts)) {
    c(x = sprintf("%s %s text.", columns_named(texts), if (length(texts) == 1) "is" else "are"),
      i = sprintf("Read it as a number: %s.", typed_type(texts[1], "number")))
  }
}

# A constant may be one value for all lines.
check_line_length <- function(values, lines, expr, name, constant = FALSE, call = caller_env()) {
  if (NROW(values) == lines && is.null(dim(values)) || constant && length(values) == 1) {
    return(invisible())
  }
  stop_because("role", sprintf("%s must give one value per line.", as_typed(name)),
               x = sprintf("`%s` gives %s for %s.", expression_text(expr),
                           if (is.null(dim(values))) count_of(length(values), "value") else "a matrix",
                           count_of(lines, "line")), call = call)
}

# Calls that are computed exactly. `value` gives the formula of an operand.
exact_call <- function(name, env) {
  make <- exact_calls[[name]]
  own <- get0(name, with_language(env), mode = "function")
  if (!is.null(make) && (identical(own, expression_functions[[name]]) || identical(own, get0(name, baseenv())))) make
}

kernel_ops <- c("column", "add", "subtract", "multiply", "divide", "negate", "absolute", "least", "largest", "choose",
                "round", "whole_part")

exact_calls <- list(
  `(` = function(args, value, ...) if (length(args) == 1) value(args[[1]]),
  `+` = function(args, value, ...) {
    if (length(args) == 1) value(args[[1]]) else join_formulas("add", lapply(args, value), max)
  },
  `^` = function(args, value, ...) {
    power <- args[[2]]
    if (is.numeric(power) && power %in% 1:9) {
      Reduce(function(a, b) join_formulas("multiply", list(a, b), sum), rep(list(value(args[[1]])), power))
    }
  },
  `-` = function(args, value, ...) {
    if (length(args) == 1) join_formulas("negate", list(value(args[[1]])), max) else
      join_formulas("subtract", lapply(args, value), max)
  },
  `*` = function(args, value, ...) join_formulas("multiply", lapply(args, value), sum),
  `/` = function(args, value, ...) join_formulas("divide", lapply(args, value), function(...) NULL),
  `%/%` = function(args, value, ...) {
    join_formulas("whole_part", list(join_formulas("divide", lapply(args, value), max)), function(...) 0L)
  },
  `%%` = function(args, value, ...) {
    both <- lapply(args, value)
    whole <- join_formulas("whole_part", list(join_formulas("divide", both, max)), function(...) 0L)
    join_formulas("subtract", list(both[[1]], join_formulas("multiply", list(both[[2]], whole), sum)), max)
  },
  abs = function(args, value, ...) if (is.null(names(args))) join_formulas("absolute", lapply(args, value), max),
  pmin = function(args, value, ...) if (is.null(names(args))) fold_formulas("least", lapply(args, value)),
  pmax = function(args, value, ...) if (is.null(names(args))) fold_formulas("largest", lapply(args, value)),
  round = function(args, value, env, ...) {
    given <- c(rlang::names2(args), "")[2]
    digits <- if (length(args) == 1) 0 else if (length(args) == 2 && given %in% c("", "digits")) {
      tryCatch(eval(args[[2]], env), error = function(cnd) NULL)
    }
    if (rlang::is_integerish(digits, 1, finite = TRUE) && abs(digits) <= 15 && rlang::names2(args)[1] == "") {
      join_formulas("round", list(value(args[[1]])), function(...) max(0L, as.integer(digits)), as.integer(digits))
    }
  },
  ifelse = function(args, value, env, book) {
    if (length(args) != 3 || !is.null(names(args))) {
      return(NULL)
    }
    yes <- evaluate_operand(args[[1]], env, book)
    if (!is.logical(yes)) {
      return(NULL)
    }
    check_line_length(yes, book$lines, args[[1]], "ifelse()", !length(used_columns(args[[1]], book)), NULL)
    both <- join_formulas("choose", lapply(args[-1], value), max)
    if (is.null(both)) {
      return(NULL)
    }
    both$arguments[length(both$arguments)] <- length(both$columns)
    both$columns <- c(both$columns, list(yes))
    both$scales <- c(both$scales, 0L)
    both$names <- c(both$names, numbers_among(used_columns(args[[1]], book), book))
    both
  }
)

# Operands and what is made of them. NULL if one of them is not a number. The decimals are found by `decimals`, unless
# an operand has none of its own.
join_formulas <- function(op, operands, decimals, argument = 0L) {
  if (any(vapply(operands, function(operand) is.null(operand$ops), NA)) ||
      !length(operands) %in% if (op %in% c("negate", "absolute", "round", "whole_part")) 1 else 2) {
    return(NULL)
  }
  held <- cumsum(c(0L, vapply(operands, function(operand) length(operand$columns), 0L)))
  field <- function(name) unlist(lapply(operands, function(operand) operand[[name]]), recursive = FALSE)
  moved <- unlist(Map(function(operand, by) operand$arguments + by * (operand$ops %in% c(0L, 9L)), operands,
                      held[seq_along(operands)]))
  known <- !any(vapply(operands, function(operand) is.null(operand$decimals), NA))
  # What is rounded has decimals again.
  list(ops = c(field("ops"), match(op, kernel_ops) - 1L), arguments = c(moved, argument), columns = field("columns"),
       scales = field("scales"), names = field("names"), inexact = field("inexact"),
       decimals = if (known || op %in% c("round", "whole_part")) as_decimals(decimals(field("decimals"))))
}

as_decimals <- function(x) {
  if (!is.null(x)) as.integer(x)
}

fold_formulas <- function(op, operands) {
  if (length(operands)) Reduce(function(a, b) join_formulas(op, list(a, b), max), operands)
}
