# Expressions in a brief are data: parsed, looked through, and evaluated where nothing but these functions exists.

date_part <- function(format) {
  function(x) as.integer(format(as.Date(x), format))
}

expression_functions <- list(
  `+` = `+`, `-` = `-`, `*` = `*`, `/` = `/`, `^` = `^`, `%%` = `%%`, `%/%` = `%/%`, `(` = `(`,
  abs = abs, round = round, pmin = pmin, pmax = pmax,
  `==` = `==`, `!=` = `!=`, `<` = `<`, `<=` = `<=`, `>` = `>`, `>=` = `>=`, `%in%` = `%in%`, c = c,
  `&` = `&`, `|` = `|`, `!` = `!`, ifelse = ifelse, is.na = is.na,
  tolower = tolower, toupper = toupper, trimws = function(x) trimws(x), nchar = function(x) nchar(x),
  startsWith = startsWith, endsWith = endsWith, reads_as = function(...) reads_as(...),
  as.Date = function(x) as.Date(x), year = date_part("%Y"), month = date_part("%m"), day_of_month = date_part("%d"),
  weekday = date_part("%u"), quarter = function(x) (as.integer(format(as.Date(x), "%m")) + 2L) %/% 3L
)

# Nothing above it: what is not allowed does not exist there.
expression_place <- function() {
  list2env(expression_functions, parent = emptyenv())
}

# The quosure of an expression, or the problem with it: list(quo =, problem =, hint =).
read_expression <- function(text, columns = NULL) {
  if (is.numeric(text)) {
    return(list(quo = rlang::new_quosure(text, expression_place())))
  }
  parsed <- parse_utf8(text)
  if (length(parsed) == 1 && nested_deeper(parsed[[1]], most_nested)) {
    return(list(problem = sprintf("This expression is nested more than %d levels deep.", most_nested),
                hint = "Compare a column with many values by `%in%`, or give several rules."))
  }
  if (is.null(parsed) || length(parsed) != 1) {
    return(list(problem = sprintf("`%s` is not one expression.", text), hint = "Look at brackets, quotes and operators."))
  }
  wrong <- expression_problem(parsed[[1]], columns)
  if (!is.null(wrong)) {
    return(wrong)
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
    return(if (!plain) list(problem = sprintf("`%s` is not allowed in an expression.", deparse(expr)[1]), hint = allowed_words))
  }
  head <- expr[[1]]
  name <- if (is.symbol(head)) as.character(head) else deparse(head)[1]
  if (!is.symbol(head) || !name %in% names(expression_functions)) {
    near <- nearest(name, names(expression_functions), 1)
    return(list(problem = sprintf("`%s` is not allowed in an expression.", name), hint = paste(
      c(if (length(near) && near != name) sprintf("Did you mean `%s`?", near), allowed_words), collapse = " "
    )))
  }
  if (name == "c" && length(expr) == 1) {
    return(list(problem = "`c()` holds nothing.", hint = "Give the values to compare with."))
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

allowed_words <- "Allowed are arithmetic, comparison, logic, %in%, is.na(), reads_as(), the case of text and the parts of days."

symbol_problem <- function(name, columns) {
  if (is.null(columns) || name %in% columns) {
    return(NULL)
  }
  list(problem = sprintf("There is no column `%s`.", name), hint = column_hint(name, columns))
}

column_hint <- function(name, columns) {
  near <- nearest(name, columns, 1)
  if (length(near)) sprintf("Did you mean `%s`?", near) else sprintf("The columns are %s.", columns_named(columns))
}

# The quosure of an expression that was checked before.
brief_quo <- function(text, call = caller_env()) {
  if (is.null(text)) {
    return(rlang::quo(NULL))
  }
  read <- read_expression(text)
  if (!is.null(read$problem)) {
    stop_because("expression", c(read$problem, i = read$hint), call = call)
  }
  read$quo
}
