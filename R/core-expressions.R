# The language of conditions and measures, the same in R, in briefs and on the command line: these functions, columns
# and values. In R others may be called as well. An inquiry keeps expressions as plain data: columns by name, the values
# of variables in their place, and functions by name.

# Years, months and days of the plain calendar, whatever the one of sales is.
date_part <- function(x, what) {
  position_kernel(as.integer(floor(unclass(as.Date(x)))), what, c(1L, 1L, 0L, 0L))
}

expression_functions <- list(
  `+` = `+`, `-` = `-`, `*` = `*`, `/` = `/`, `^` = `^`, `%%` = `%%`, `%/%` = `%/%`, `(` = `(`,
  abs = abs, round = round, pmin = pmin, pmax = pmax,
  `==` = `==`, `!=` = `!=`, `<` = `<`, `<=` = `<=`, `>` = `>`, `>=` = `>=`, `%in%` = `%in%`, c = c,
  `&` = `&`, `|` = `|`, `!` = `!`, ifelse = ifelse, is.na = is.na,
  tolower = tolower, toupper = toupper, trimws = function(x) trimws(x), nchar = function(x) nchar(x),
  startsWith = startsWith, endsWith = endsWith, reads_as = function(...) reads_as(...),
  as.Date = function(x) as.Date(x), year = function(x) date_part(x, "year"),
  quarter = function(x) date_part(x, "quarter"), month = function(x) date_part(x, "month"),
  day_of_month = function(x) date_part(x, "day"), weekday = function(x) date_part(x, "weekday")
)

# Functions of R that take more there than in the language.
wider_in_r <- c("trimws", "nchar", "as.Date")

# Nothing above it: what is not of the language does not exist there.
expression_place <- function() {
  list2env(expression_functions, parent = emptyenv())
}

# `env`, where functions of the language that it does not know otherwise are known.
with_language <- function(env) {
  unknown <- !vapply(names(expression_functions), exists, NA, envir = env, mode = "function")
  if (any(unknown)) rlang::new_environment(expression_functions[unknown], env) else env
}

evaluate_expression <- function(expr, env, columns) {
  rlang::eval_tidy(expr, columns, with_language(env))
}

# Plain data -------------------------------------------------------------------------------------------

# An expression over the columns `known` as plain data: list(expr =, language =), the latter telling whether it needs
# only the language.
plain_expression <- function(quo, columns, call = caller_env()) {
  expr <- plain_form(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), columns, call)
  list(expr = expr, language = in_language(expr, rlang::quo_get_env(quo), call))
}

# Parentheses group what is written; an expression that was put together needs none.
without_parentheses <- function(expr) {
  if (rlang::is_call(expr, "(", n = 1)) {
    without_parentheses(expr[[2]])
  } else if (is.call(expr)) {
    as.call(lapply(as.list(expr), without_parentheses))
  } else {
    expr
  }
}

# The quosure of an expression that was kept as plain data.
asked_quosure <- function(expr, language) {
  rlang::new_quosure(expr, if (language) expression_place() else rlang::global_env())
}

plain_form <- function(expr, env, columns, call) {
  if (rlang::is_quosure(expr)) {
    return(plain_form(rlang::quo_get_expr(expr), rlang::quo_get_env(expr), columns, call))
  }
  name <- column_named(expr)
  if (!is.null(name) && (name %in% columns || !is.symbol(expr))) {
    return(as.symbol(name))
  }
  if (!is.call(expr) && !is.symbol(expr) || written_out(expr)) {
    return(plain_constant(expr, call))
  }
  if (is.call(expr) && (any(all.vars(expr) %in% c(columns, ".data")) || identical(expr[[1]], quote(`function`)))) {
    args <- lapply(as.list(expr)[-1], function(arg) {
      if (rlang::is_missing(arg)) arg else plain_form(arg, env, columns, call)
    })
    return(as.call(c(expr[[1]], args)))
  }
  plain_constant(rlang::eval_tidy(expr, env = with_language(env)), call)
}

# The column that `revenue`, .data$revenue or .data[["revenue"]] names.
column_named <- function(expr) {
  if (is.symbol(expr)) {
    as.character(expr)
  } else if (rlang::is_call(expr, c("$", "[["), n = 2) && identical(expr[[2]], quote(.data)) &&
               (is.symbol(expr[[3]]) && rlang::is_call(expr, "$") || rlang::is_string(expr[[3]]))) {
    as.character(expr[[3]])
  }
}

used_columns <- function(expr, book) {
  names <- all.vars(expr)
  if (".data" %in% names) names(book$columns) else intersect(names, names(book$columns))
}

# Constants as they are written: -1, c("a", "b"), as.Date("2026-01-31").
written_out <- function(expr) {
  is.call(expr) && length(all.vars(expr)) == 0 &&
    all(all.names(expr) %in% c("c", "-", "+", "(", "as.Date")) && !any(vapply(as.list(expr)[-1], rlang::is_missing, NA))
}

plain_constant <- function(value, call) {
  if (is.call(value)) {
    return(value)
  }
  if (inherits(value, "Date")) {
    return(call("as.Date", plain_constant(format(value), call)))
  }
  if (is.factor(value)) value <- as.character(value)
  if (!is.null(value) && !is.atomic(value)) {
    stop_because("condition", sprintf("An expression over columns cannot contain %s.", describe(value)),
                 i = "Values must be numbers, texts, days or TRUE and FALSE; make others a column of the lines first.",
                 call = call)
  }
  if (length(value) == 1 || is.null(value) || is.object(value)) value else as.call(c(quote(c), as.list(unname(value))))
}

# Does an expression call only functions of the language? Other functions must be found from anywhere: a function that
# only its caller knows could not be called again.
in_language <- function(expr, env, call) {
  if (!is.call(expr)) {
    return(TRUE)
  }
  head <- expr[[1]]
  own <- FALSE
  if (is.symbol(head)) {
    name <- as.character(head)
    fun <- get0(name, with_language(env), mode = "function")
    ours <- expression_functions[[name]]
    own <- !is.null(ours) && (identical(fun, ours) || name == "reads_as" && identical(fun, reads_as) ||
                                name %in% wider_in_r && identical(fun, get0(name, baseenv())))
    own <- own && !(name %in% wider_in_r && length(expr) > 2)
    if (!own && !identical(fun, get0(name, with_language(rlang::global_env()), mode = "function"))) {
      stop_because("condition",
                   sprintf("`%s()` is defined only where this was called, so the table could not be computed again.",
                           name),
                   i = "Define it at the top of your script, or compute its result first, as a column of the lines.",
                   call = call)
    }
  }
  operands <- Filter(Negate(rlang::is_missing), as.list(expr)[-1])
  all(own, vapply(operands, in_language, NA, env = env, call = call))
}

# An expression as a reader will see it, with the values of variables in their place.
shown_expression <- function(quo, columns) {
  plain <- tryCatch(plain_form(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), columns, NULL),
                    error = function(cnd) quo)
  expression_text(plain)
}

# Expressions as text ------------------------------------------------------------------------------------

# As text for a reader: whole, but for the end of a long list of values, and for what is not a value.
expression_text <- function(expr) {
  expr <- rlang::quo_squash(expr)
  if (is.null(expr)) {
    ""
  } else if (is.symbol(expr) || rlang::is_string(expr)) {
    as.character(expr)
  } else {
    text <- deparse(readable_form(expr), 500L, backtick = TRUE, control = c("keepInteger", "keepNA"))
    gsub("`(<[^`]*>|and [0-9]+ more)`", "\\1", paste(text, collapse = " "))
  }
}

readable_form <- function(expr) {
  if (is.symbol(expr)) {
    expr
  } else if (is.call(expr)) {
    parts <- as.list(expr)
    more <- length(parts) - most_listed
    if (more > 1) parts <- c(utils::head(parts, most_listed), as.symbol(sprintf("and %d more", more)))
    as.call(lapply(parts, function(part) if (rlang::is_missing(part)) part else readable_form(part)))
  } else if (is.null(expr) || is.atomic(expr) && length(expr) <= most_listed) {
    plain_constant(expr, NULL)
  } else {
    as.symbol(sprintf("<%s>", type_of(expr)))
  }
}

most_listed <- 12L

# The text of an expression, which parses to the same again; of several lines where it is longer than `width`.
expression_source <- function(expr, width = 500L) {
  text <- function(control) {
    lines <- deparse(expr, width.cutoff = width, backtick = TRUE, control = control)
    paste(lines, collapse = if (width < 500L) "\n" else " ")
  }
  short <- text(c("keepInteger", "keepNA"))
  if (identical(parse_utf8(short)[[1]], expr)) short else text(c("keepInteger", "keepNA", "digits17"))
}

# The quosure of an expression, or the problem with it: list(quo =, problem =, hint =).
read_expression <- function(text, columns = NULL) {
  if (is.numeric(text)) {
    return(list(quo = rlang::new_quosure(text, expression_place())))
  }
  parsed <- parse_utf8(text)
  as_column <- if (text %in% columns) sprintf("If you mean the column, put its name in backticks: '`%s`'.", text)
  if (length(parsed) == 1 && nested_deeper(parsed[[1]], max_nested)) {
    return(list(problem = sprintf("This expression is nested more than %d levels deep.", max_nested),
                hint = "Compare a column with many values by `%in%`, or give several rules."))
  }
  if (is.null(parsed) || length(parsed) != 1) {
    return(list(problem = sprintf("`%s` is not a single expression.", text),
                hint = as_column %||% "Check the brackets, quotes and operators."))
  }
  wrong <- expression_problem(parsed[[1]], columns)
  if (!is.null(wrong)) {
    return(c(wrong["problem"], list(hint = as_column %||% wrong$hint)))
  }
  list(quo = rlang::new_quosure(parsed[[1]], expression_place()))
}

# parse() would translate text into the session's encoding: it is handed bytes, and told that they are UTF-8.
parse_utf8 <- function(text) {
  bytes <- enc2utf8(text)
  Encoding(bytes) <- "unknown"
  tryCatch(parse(text = bytes, encoding = "UTF-8", keep.source = FALSE), error = function(cnd) NULL)
}

expression_problem <- function(expr, columns) {
  if (is.symbol(expr)) {
    return(symbol_problem(as.character(expr), columns))
  }
  if (!is.call(expr)) {
    plain <- is.character(expr) || is.numeric(expr) || is.logical(expr)
    return(if (!plain) list(problem = sprintf("`%s` is not allowed in an expression.", deparse(expr)[1]),
                            hint = allowed_words))
  }
  head <- expr[[1]]
  name <- if (is.symbol(head)) as.character(head) else deparse(head)[1]
  if (!is.symbol(head) || !name %in% names(expression_functions)) {
    others <- setdiff(names(expression_functions), name)
    return(list(problem = sprintf("`%s` is not allowed in an expression.", name),
                hint = paste(c(did_you_mean(name, others), allowed_words), collapse = " ")))
  }
  if (name == "c" && length(expr) == 1) {
    return(list(problem = "`c()` is empty.", hint = "Give the values to compare with."))
  }
  for (i in seq_along(expr)[-1]) {
    if (rlang::is_missing(expr[[i]])) {
      return(list(problem = sprintf("A value is missing in `%s`.", deparse(expr)[1]), hint = "Look at the commas."))
    }
    wrong <- expression_problem(expr[[i]], columns)
    if (!is.null(wrong)) {
      return(wrong)
    }
  }
  NULL
}

allowed_words <- paste("An expression may use arithmetic, comparison, logic, %in%, is.na(), reads_as(), tolower(),",
                       "toupper() and year(), month(), weekday() and the like.")

symbol_problem <- function(name, columns) {
  if (is.null(columns) || name %in% columns) {
    return(NULL)
  }
  list(problem = sprintf("There is no column `%s`.", name), hint = column_hint(name, columns))
}

column_hint <- function(name, columns) {
  did_you_mean(name, columns, otherwise = sprintf("The columns are %s.", columns_named(columns)))
}

max_nested <- 50L

nested_deeper <- function(expr, levels) {
  calls <- list(expr)
  while (length(calls <- Filter(is.call, calls)) && levels > 0) {
    # A quosure is a call too.
    calls <- unlist(lapply(calls, function(call) Filter(Negate(rlang::is_missing), as.list(unclass(call))[-1])),
                    recursive = FALSE)
    levels <- levels - 1L
  }
  length(calls) > 0
}
