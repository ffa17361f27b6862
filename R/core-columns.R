# Columns of a daybook: text is coded once as a factor whose levels are its dictionary.

# Blank text is missing: nobody's group must not look like somebody's.
code_text <- function(x) {
  if (is.factor(x)) {
    x <- as.character(x)
  }
  known <- unique(x)
  known <- known[!is.na(known) & grepl("[^[:space:]]", known)]
  structure(match(x, known), levels = enc2utf8(known), class = "factor")
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
    from_units(x, book$decimals[[name]])
  } else if (inherits(x, "Date")) {
    plain_days(x)
  } else {
    x
  }
}

# Days are kept as whole numbers; outside, dates are doubles as R makes them.
plain_days <- function(x) {
  structure(as.double(x), class = "Date")
}

# The column names an argument picks, bare or as strings; `name` is the argument's name.
pick_columns <- function(quo, known, name, call = caller_env()) {
  if (rlang::quo_is_null(quo)) {
    return(character())
  }
  where <- stats::setNames(seq_along(known), known)
  tryCatch(
    known[tidyselect::eval_select(quo, where, allow_rename = FALSE)],
    error = function(cnd) stop_unknown_column(quo, known, name, call)
  )
}

stop_unknown_column <- function(quo, known, name, call) {
  asked <- setdiff(all.vars(rlang::quo_get_expr(quo)), known)
  if (length(asked) == 0 && rlang::is_string(rlang::quo_get_expr(quo))) {
    asked <- rlang::quo_get_expr(quo)
  }
  near <- unlist(lapply(asked, nearest, known = known, most = 1))
  stop_because("column", c(
    if (length(asked)) {
      sprintf("`%s` names %s, which is not a column.", name, columns_named(asked))
    } else {
      sprintf("`%s` must name columns, not compute them.", name)
    },
    i = if (length(asked) == 0) "Give the lines a column of what is computed, before `daybook()`.",
    i = sprintf("The columns are %s.", columns_named(known)),
    if (length(near)) c(i = sprintf("Did you mean %s?", columns_named(near)))
  ), call = call)
}
