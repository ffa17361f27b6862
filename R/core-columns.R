# Columns of a daybook: text is coded once as a factor whose levels are its dictionary.

# Blank text becomes missing, so that it cannot pass for a real group. Texts are coded by identity; texts that are equal
# in different encodings are told by their UTF-8 form.
encode_text <- function(x) {
  coded <- if (is.factor(x)) list(codes = c(as.integer(x)), labels = levels(x)) else text_codes(x)
  labels <- enc2utf8(coded$labels)
  labels[is.na(labels) | !grepl("[^[:space:]]", labels)] <- NA
  levels <- unique(labels[!is.na(labels)])
  to <- match(labels, levels)
  same <- identical(to, seq_along(labels))
  factor_of(if (same) coded$codes else recode_kernel(coded$codes, to, NA_integer_, threads_wanted()), levels)
}

# Codes as a factor. R wraps them instead of copying, so a text and its factor share codes. A kernel reads them with
# INTEGER_RO(): INTEGER() would copy them.
factor_of <- function(codes, levels) {
  attributes(codes) <- list(levels = levels, class = "factor")
  codes
}

# Codes of text and what they represent; text that was coded before keeps its codes.
text_codes <- function(x) {
  lazy_parts_kernel(x) %||% encode_text_kernel(x, threads_wanted())
}

# Codes and what they represent as a factor of the labels that are `given`; the others are missing.
given_labels <- function(coded, given) {
  to <- replace(cumsum(given), !given, NA)
  factor_of(recode_kernel(coded$codes, to, NA_integer_, threads_wanted()), coded$labels[given])
}

is_coded <- function(x) {
  is.factor(x)
}

# A column as its owner knows it: text as text, money in currency.
column_values <- function(book, name) {
  x <- book$columns[[name]]
  if (is_coded(x)) {
    levels(x)[as.integer(x)]
  } else if (name %in% names(book$decimals)) {
    from_minor(x, book$decimals[[name]])
  } else if (inherits(x, "Date")) {
    plain_days(x)
  } else {
    x
  }
}

# Text as codes and what they represent; NA for missing. Shown it is text like any other.
lazy_text <- function(codes, labels) {
  lazy_text_kernel(codes, labels, threads_wanted())
}

# Codes of any column, numbered by first appearance or as its dictionary has them, and what they represent.
distinct_codes <- function(x) {
  if (is.character(x)) {
    return(text_codes(x))
  }
  if (is.factor(x)) {
    return(list(codes = x, labels = levels(x)))
  }
  # Days without a missing one or a part of one: every day of their span has a code, unless one lies far away from all
  # others.
  days <- if (inherits(x, "Date")) day_codes_kernel(x, threads_wanted())
  if (!is.null(days) && days$last - days$first < 4 * length(x) + 5000) {
    return(list(codes = days$codes, labels = as.double(seq(days$first, days$last))))
  }
  x <- if (is.object(x)) as.double(x) else x
  labels <- unique(x)
  list(codes = match(x, labels), labels = labels)
}

# Some rows of columns; `later` gathers each when it is first looked at.
take_rows <- function(columns, rows, later = FALSE) {
  take <- if (later) lazy_rows_kernel else rows_kernel
  taken <- take(columns, rows, threads_wanted())
  names(taken) <- names(columns)
  others <- vapply(taken, is.null, NA)
  taken[others] <- lapply(columns[others], function(x) x[rows])
  taken
}

# The column names an argument picks, bare or as strings; `name` is the argument's name.
pick_columns <- function(quo, columns, name, call = caller_env()) {
  if (rlang::quo_is_null(quo)) {
    return(character())
  }
  plain <- plain_names(rlang::quo_get_expr(quo))
  if (length(plain) && all(plain %in% columns) && !anyDuplicated(plain)) {
    return(plain)
  }
  where <- stats::setNames(seq_along(columns), columns)
  picked <- tryCatch(
    columns[tidyselect::eval_select(quo, where, allow_rename = FALSE)],
    error = function(cnd) stop_unknown_column(quo, columns, name, call)
  )
  if (length(picked) == 0 && !names_nothing(rlang::quo_get_expr(quo), rlang::quo_get_env(quo))) {
    stop_because("column", sprintf("`%s` selects no column: `%s` finds none.", name, expression_text(quo)),
                 i = sprintf("The columns are %s.", columns_named(columns)), call = call)
  }
  picked
}

# c(), character() and the like ask for no column, and get none.
names_nothing <- function(expr, env) {
  value <- if (rlang::is_call(expr, c("all_of", "any_of"), n = 1)) expr[[2]] else expr
  value <- tryCatch(eval(value, env), error = function(cnd) NA)
  length(value) == 0
}

# The names in `product`, "product" or c(category, product), which need no selection language; NULL for anything else.
plain_names <- function(expr) {
  if (is.symbol(expr) || is.character(expr)) {
    return(as.character(expr))
  }
  # all_of() is handed texts, which the user typed somewhere.
  if (rlang::is_call(expr, c("all_of", "any_of")) && length(expr) == 2 && is.character(expr[[2]])) {
    return(expr[[2]])
  }
  names_given <- if (rlang::is_call(expr, "c") && is.null(names(expr))) as.list(expr)[-1]
  if (length(names_given) && all(vapply(names_given, function(item) is.symbol(item) || rlang::is_string(item), NA))) {
    vapply(names_given, as.character, "")
  }
}

stop_unknown_column <- function(quo, columns, name, call) {
  expr <- rlang::quo_get_expr(quo)
  asked <- setdiff(plain_names(expr) %||% all.vars(expr), columns)
  if (length(asked) == 0) {
    stop_because("column", sprintf("%s must name columns, not compute them.", as_typed(name)),
                 i = sprintf("Compute it as a column of the lines first, with %s.", as_typed("extend_lines()")),
                 i = sprintf("The columns are %s.", columns_named(columns)), call = call)
  }
  stop_because("column", sprintf("%s names %s, which is not a column.", as_typed(name), columns_named(asked)),
               if (length(asked) == 1 && "revenue" %in% columns) role_not_given(asked),
               i = sprintf("The columns are %s.", columns_named(columns)), i = did_you_mean(asked, columns),
               call = call)
}

# The daybook may have been made without it.
role_not_given <- function(name) {
  if (name %in% c("units", "order")) {
    c(x = sprintf("The daybook was made without `%s`.", name),
      i = sprintf("Name its column with %s when you make the daybook.", as_typed(name)))
  }
}
