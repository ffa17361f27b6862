# Expressions over exact columns, computed in whole minor units: money less pieces times money has the decimals of its
# parts, and no binary noise.

# Units and decimals of an expression; NULL where its value is not an exact decimal, as that of a division.
exact_value <- function(expr, env, book) {
  if (rlang::is_quosure(expr)) {
    return(exact_value(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), book))
  }
  name <- column_asked(expr, book)
  if (!is.null(name)) {
    return(exact_column(name, book))
  }
  if (!is.call(expr)) {
    return(exact_constant(expr, env))
  }
  make <- if (is.symbol(expr[[1]])) exact_calls[[as.character(expr[[1]])]]
  if (is.null(make)) NULL else make(as.list(expr)[-1], function(operand) exact_value(operand, env, book), env, book)
}

# The column that an expression names.
column_asked <- function(expr, book) {
  name <- column_named(expr)
  if (!is.null(name) && name %in% names(book$columns)) name
}

exact_column <- function(name, book) {
  x <- book$columns[[name]]
  if (name %in% names(book$decimals)) {
    return(list(minor = as.double(x), decimals = book$decimals[[name]]))
  }
  scale <- book$scales[name]
  if (!is.na(scale) && scale <= max_decimals) list(minor = to_minor(x, scale), decimals = scale[[1]])
}

exact_constant <- function(expr, env) {
  value <- if (is.numeric(expr)) expr else if (is.symbol(expr)) get0(as.character(expr), env)
  if (!is.numeric(value) || length(value) != 1 || !is.finite(value)) {
    return(NULL)
  }
  decimals <- decimals_kernel(as.double(value), max_decimals)
  if (decimals <= max_decimals) list(minor = to_minor(value, decimals), decimals = decimals)
}

exact_calls <- list(
  `(` = function(args, value, ...) value(args[[1]]),
  `+` = function(args, value, ...) exact_sum(lapply(args, value), `+`),
  `-` = function(args, value, ...) exact_sum(lapply(args, value), `-`),
  `*` = function(args, value, ...) exact_product(lapply(args, value)),
  abs = function(args, value, ...) exact_apply(lapply(args, value), abs),
  pmin = function(args, value, ...) if (is.null(names(args))) exact_apply(lapply(args, value), pmin),
  pmax = function(args, value, ...) if (is.null(names(args))) exact_apply(lapply(args, value), pmax),
  ifelse = function(args, value, env, book) {
    if (length(args) != 3 || !is.null(names(args))) {
      return(NULL)
    }
    yes <- evaluate_operand(args[[1]], env, book)
    if (is.logical(yes)) exact_apply(lapply(args[-1], value), function(a, b) {
      n <- length(yes)
      ifelse(yes, rep_len(a, n), rep_len(b, n))
    })
  }
)

exact_sum <- function(operands, operator) {
  if (length(operands) == 1) exact_apply(operands, function(x) operator(0, x)) else exact_apply(operands, operator)
}

# A function of whole minor units of the same decimals that gives minor units of these decimals.
exact_apply <- function(operands, of) {
  if (any(vapply(operands, is.null, NA))) {
    return(NULL)
  }
  decimals <- max(vapply(operands, function(operand) operand$decimals, 0L))
  minor <- do.call(of, lapply(operands, function(operand) operand$minor * 10^(decimals - operand$decimals)))
  exact_or_null(minor, decimals)
}

exact_product <- function(operands) {
  if (any(vapply(operands, is.null, NA))) {
    return(NULL)
  }
  exact_or_null(operands[[1]]$minor * operands[[2]]$minor, operands[[1]]$decimals + operands[[2]]$decimals)
}

# Whole numbers up to 2^53 are exact in a double; what is beyond is too large to be exact. Only where decimals are
# rounded off anyway does the ordinary way do.
exact_or_null <- function(minor, decimals) {
  large <- which(abs(minor) > 2^53)
  if (length(large) && decimals > max_decimals) {
    return(NULL)
  }
  list(minor = replace(minor, large, Inf), decimals = as.integer(decimals))
}
