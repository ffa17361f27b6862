# Columns of a daybook: text is coded once as a factor whose levels are its dictionary.

# Blank text becomes missing, so that it cannot pass for a real group. Texts are coded by identity; texts that are equal
# in different encodings are told by their UTF-8 form.
encode_text <- function(x) {
  found <- if (is.factor(x)) list(codes = c(as.integer(x)), labels = levels(x)) else text_codes(x)
  known <- enc2utf8(found$labels)
  known[is.na(known) | !grepl("[^[:space:]]", known)] <- NA
  levels <- unique(known[!is.na(known)])
  to <- match(known, levels)
  # A factor needs its own copy of the codes: those of lazy text belong to that text.
  same <- identical(to, seq_along(known)) && !is_lazy_text(x)
  label_kernel(if (same) found$codes else recode_kernel(found$codes, to, NA_integer_, threads_wanted()), levels)
}

# Codes of text and what they represent; text that was coded before keeps its codes.
text_codes <- function(x) {
  lazy_parts_kernel(x) %||% encode_text_kernel(x, threads_wanted())
}

# Codes and what they represent as a factor of the labels that are `given`; the others are missing.
given_labels <- function(found, given) {
  to <- replace(cumsum(given), !given, NA)
  label_kernel(recode_kernel(found$codes, to, NA_integer_, threads_wanted()), found$labels[given])
}

is_lazy_text <- function(x) {
  is.character(x) && !is.null(lazy_parts_kernel(x))
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
  lazy_text_kernel(codes, labels)
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
  found <- if (inherits(x, "Date")) day_codes_kernel(as.double(x), threads_wanted())
  if (!is.null(found) && found$last - found$first < 4 * length(x) + 5000) {
    return(list(codes = found$codes, labels = as.double(seq(found$first, found$last))))
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
pick_columns <- function(quo, known, name, call = caller_env()) {
  if (rlang::quo_is_null(quo)) {
    return(character())
  }
  plain <- plain_names(rlang::quo_get_expr(quo))
  if (length(plain) && all(plain %in% known) && !anyDuplicated(plain)) {
    return(plain)
  }
  where <- stats::setNames(seq_along(known), known)
  picked <- tryCatch(
    known[tidyselect::eval_select(quo, where, allow_rename = FALSE)],
    error = function(cnd) stop_unknown_column(quo, known, name, call)
  )
  if (length(picked) == 0 && !names_nothing(rlang::quo_get_expr(quo), rlang::quo_get_env(quo))) {
    stop_because("column", c(sprintf("`%s` selects no column: `%s` finds none.", name, rlang::as_label(quo)),
                             i = sprintf("The columns are %s.", columns_named(known))), call = call)
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
  parts <- if (rlang::is_call(expr, "c") && is.null(names(expr))) as.list(expr)[-1]
  if (length(parts) && all(vapply(parts, function(part) is.symbol(part) || rlang::is_string(part), NA))) {
    vapply(parts, as.character, "")
  }
}

stop_unknown_column <- function(quo, known, name, call) {
  expr <- rlang::quo_get_expr(quo)
  asked <- setdiff(plain_names(expr) %||% all.vars(expr), known)
  stop_because("column", c(
    if (length(asked)) {
      sprintf("`%s` names %s, which is not a column.", name, columns_named(asked))
    } else {
      sprintf("`%s` must name columns, not compute them.", name)
    },
    if (length(asked) == 1 && "revenue" %in% known) role_not_given(asked),
    i = if (length(asked) == 0) "Compute it as a column of the lines before `daybook()`.",
    i = sprintf("The columns are %s.", columns_named(known)),
    i = did_you_mean(asked, known)
  ), call = call)
}

# The daybook may have been made without it.
role_not_given <- function(name) {
  if (name %in% c("units", "order")) {
    c(x = sprintf("The daybook was made without `%s`.", name),
      i = sprintf("Give the column when you make it: `daybook(..., %s = ...)`.", name))
  }
}
