# Inquiries as R code and as the lines of a brief.

#' An inquiry as R code, or as lines of a brief
#'
#' Run on the same facts, both give the same table again, to the last bit.
#'
#' @param q An inquiry, from [inquiry_of()].
#' @param facts Text: what the daybook or tally is called in the code.
#' @param name Text: what the table is called in the brief.
#' @return Text, one element per call or line, printed line by line. `as_code()`: calls whose result is the table `t`.
#'   `as_brief()`: the entry `tables` of a brief; see [read_brief()].
#' @section Errors: `hinterfeld_error_argument` for anything but an inquiry, and for one that cannot be written this
#'   way: a brief can use only the functions of its expressions, and neither form can express a step on a column that
#'   was added by hand.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product),
#'             measures = list("revenue", best_day = largest_of(revenue, per = "day")))
#' q <- inquiry_of(best_sellers(add_share(t, within = region), n = 2, within = region))
#' as_code(q)
#' as_brief(q, "best_of_regions")
as_code <- function(q, facts = "book") {
  check_inquiry_given(q)
  check_text(facts, "facts")
  check_own_columns(q)
  calls <- c(list(totals_call(q, facts)), lapply(q$steps, step_call),
             if (!is.null(q$crosstab)) crosstab_calls(q$crosstab))
  lines <- paste("t <-", vapply(calls, expression_source, "", width = 90L))
  if (length(q$headings)) {
    renamed <- rlang::expr(names(t)[match(!!vector_call(names(q$headings)), names(t))])
    lines <- c(lines, paste(expression_source(renamed), "<-", expression_source(vector_call(unname(q$headings)))))
  }
  structure(lines, class = "hinterfeld_code")
}

#' @rdname as_code
#' @export
as_brief <- function(q, name = "table") {
  check_inquiry_given(q)
  check_text(name, "name")
  check_own_columns(q)
  structure(table_yaml(brief_table_entry(q), name), class = "hinterfeld_code")
}

brief_table_entry <- function(q) {
  table <- list(
    by = if (length(q$by)) as.list(q$by), every = if (length(q$every) > 1) as.list(q$every) else q$every,
    measures = unname(Map(brief_measure_entry, q$measures, names(q$measures))),
    subtotals = if (is.list(q$subtotals)) lapply(q$subtotals, yaml_entry) else q$subtotals,
    fill = if (q$fill) TRUE, add = if (length(q$steps)) lapply(q$steps, brief_step_entry),
    crosstab = if (!is.null(q$crosstab)) brief_crosstab_entry(q$crosstab),
    headings = if (length(q$headings)) as.list(q$headings)
  )
  Filter(Negate(is.null), table)
}

# One text stands alone, several in a list.
yaml_entry <- function(entries) {
  if (length(entries) == 1) entries else as.list(entries)
}

# The lines of a brief's table.
table_yaml <- function(table, name) {
  text <- yaml::as.yaml(list(tables = stats::setNames(list(table), name)), precision = 15L,
                        indent.mapping.sequence = TRUE,
                        handlers = list(logical = function(x) structure(tolower(x), class = "verbatim")))
  strsplit(text, "\n", fixed = TRUE)[[1]]
}

#' @export
print.hinterfeld_code <- function(x, ...) {
  writeLines(printable(unclass(x)))
  invisible(x)
}

#' @export
print.hinterfeld_inquiry <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_inquiry <- function(x, ...) {
  split <- c(per_words(x$every), if (length(x$by)) paste("by", and_list(x$by)))
  steps <- vapply(x$steps, function(step) gsub("_", " ", step$kind), "")
  text_notes(c(
    sprintf("Inquiry: %s", paste(c(and_list(names(x$measures)), split), collapse = " ")),
    if (length(steps)) sprintf("Then: %s", paste(steps, collapse = ", ")),
    if (!is.null(x$crosstab)) sprintf("Crosstab: %s by %s", and_list(x$crosstab$rows),
                                         and_list(x$crosstab$columns)),
    "`as_code()` shows it as R calls, `as_brief()` as lines of a brief."
  ))
}

# A column of the user's own is none that the calls would make.
check_own_columns <- function(q, call = caller_env()) {
  columns <- names(q$measures)
  for (step in q$steps) {
    used <- step$args$of %||% setdiff(names(step$args$order), c(q$by, q$every, "level"))
    if (!all(used %in% columns)) {
      stop_because("argument",
                   sprintf("%s uses `%s`, a column that was added by hand.", step_kinds[[step$kind]]$verb,
                           setdiff(used, columns)[1]), i = "Make it a measure, so that the inquiry knows it.",
                   call = call)
    }
    columns <- c(columns, step$columns)
  }
}

# Code ---------------------------------------------------------------------------------------------------

totals_call <- function(q, facts) {
  measures <- unname(Map(measure_code, q$measures, names(q$measures)))
  names(measures) <- vapply(names(q$measures), function(name) if (is_bare(q$measures[[name]], name)) "" else name, "")
  only <- length(measures) == 1 && is_bare(q$measures[[1]], names(q$measures))
  given <- list(
    by = if (length(q$by)) columns_call(q$by), every = if (length(q$every) > 1) vector_call(q$every) else q$every,
    measures = if (!only) rlang::call2("list", !!!measures) else if (names(q$measures) != "revenue") names(q$measures),
    subtotals = if (is.list(q$subtotals)) rlang::call2("list", !!!lapply(q$subtotals, vector_call)) else q$subtotals,
    fill = if (q$fill) TRUE
  )
  rlang::call2("totals", as.symbol(facts), !!!Filter(Negate(is.null), given))
}

# Is a measure what its name alone represents?
is_bare <- function(m, name) {
  plain <- is.null(m$where) && m$margin == "recompute"
  plain && (m$kind == "sum" && identical(m$x, name) && name != "lines" || m$kind == "lines" && name == "lines")
}

measure_code <- function(m, name) {
  if (is_bare(m, name)) {
    return(name)
  }
  kind <- measure_kinds[[m$kind]]
  x <- bare_name(m$x)
  given <- list(per = m$per, where = m$where, incomplete = if (m$incomplete != "leave_out") m$incomplete,
                margin = if (m$margin != "recompute") m$margin)
  to <- if (kind$takes == "pair") list(bare_name(m$to))
  rlang::call2(kind$maker, !!!c(if (kind$takes != "lines") list(x), to, Filter(Negate(is.null), given)))
}

step_call <- function(step) {
  kind <- step_kinds[[step$kind]]
  given <- step_call_arguments(step)
  if (!is.null(given$order)) {
    return(rlang::call2(kind$verb, quote(t), !!!order_columns(given$order)))
  }
  given <- Map(function(value, name) argument_code(value, kind$arguments[[name]]$type), given, names(given))
  rlang::call2(kind$verb, quote(t), !!!given)
}

argument_code <- function(value, type) {
  switch(type,
    columns = columns_call(value), day = call("as.Date", format(value)),
    periods = rlang::call2("list", !!!lapply(value, function(days) call("as.Date", vector_call(format(days))))),
    fractions = rlang::call2("c", !!!as.list(value)),
    targets = rlang::call2("data.frame", !!!lapply(value, function(x) {
      if (inherits(x, "Date")) call("as.Date", vector_call(format(x))) else vector_call(x)
    })), value
  )
}

crosstab_calls <- function(how) {
  of <- vector_call(how$of)
  given <- list(of = of, margins = if (!how$margins) FALSE, empty = if (how$empty != "blank") how$empty)
  spread <- rlang::call2("crosstab", quote(t), columns_call(how$rows), columns_call(how$columns),
                         !!!Filter(Negate(is.null), given))
  c(list(spread),
    if (!is.null(how$order)) list(rlang::call2("sort_rows", quote(t), !!!order_columns(how$order))),
    if (!is.null(how$best)) list(rlang::call2("best_sellers", quote(t), n = how$best$n, of = how$best$of)))
}

# Columns bare where their names allow it.
columns_call <- function(names) {
  if (length(names) == 0) {
    return(quote(character()))
  }
  plain <- all(make.names(names) == names) && !any(names %in% c("t", "T", "F"))
  if (!plain) vector_call(names) else if (length(names) == 1) as.symbol(names) else rlang::call2(
    "c", !!!lapply(names, as.symbol)
  )
}

vector_call <- function(x) {
  if (length(x) == 1) x else rlang::call2("c", !!!as.list(x))
}

# Lines of a brief ---------------------------------------------------------------------------------------

brief_measure_entry <- function(m, name) {
  if (is_bare(m, name)) {
    return(name)
  }
  if (!m$language) {
    stop_because("argument", sprintf("The measure `%s` calls R functions that a brief does not allow.", name),
                 i = "Compute it as a column of the lines, or use only functions that briefs allow.", call = NULL)
  }
  kind <- measure_kinds[[m$kind]]
  x <- if (kind$takes == "column") m$x else if (kind$takes == "lines") TRUE else expression_source(bare_name(m$x))
  spec <- c(stats::setNames(list(x), kind$maker), list(
    to = if (kind$takes == "pair") expression_source(bare_name(m$to)),
    per = m$per, where = if (!is.null(m$where)) expression_source(m$where),
    margin = if (m$margin != "recompute") m$margin,
    incomplete = if (m$incomplete != "leave_out") m$incomplete
  ))
  stats::setNames(list(Filter(Negate(is.null), spec)), name)
}

brief_step_entry <- function(step) {
  types <- step_kinds[[step$kind]]$arguments
  given <- step_call_arguments(step)
  given <- Map(function(value, name) {
    switch(types[[name]]$type,
      columns = as.list(value), day = format(value), periods = lapply(value, function(days) as.list(format(days))),
      fractions = as.list(value), count = as.integer(value),
      targets = lapply(value, function(x) as.list(if (inherits(x, "Date")) format(x) else x)),
      order = order_texts(value),
      value
    )
  }, given, names(given))
  stats::setNames(list(if (length(given)) given), step$kind)
}

# "-revenue" begins with the highest.
order_texts <- function(order) {
  as.list(paste0(ifelse(order, "-", ""), names(order)))
}

brief_crosstab_entry <- function(how) {
  entry <- list(rows = as.list(how$rows), columns = as.list(how$columns), of = as.list(how$of),
                margins = if (!how$margins) FALSE, empty = if (how$empty != "blank") how$empty,
                order = if (!is.null(how$order)) order_texts(how$order),
                best = if (!is.null(how$best)) list(n = as.integer(how$best$n), of = how$best$of))
  Filter(Negate(is.null), entry)
}
