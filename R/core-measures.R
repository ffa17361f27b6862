#' Measures: what totals() takes from the lines of each group
#'
#' A measure by name, such as `"revenue"`, is a sum. The others say what to take instead, from which
#' lines, and whether to total per day or order first.
#'
#' @param x Column of numbers (for `count_distinct()` any column), or an expression over columns.
#' @param per Column or period: total `x` per day, order or whatever it names first, then take the
#'   mean, smallest or largest of those totals. Without `per` it is taken over single lines, so
#'   that `largest_of(revenue)` is the largest line and `largest_of(revenue, per = "day")` the best
#'   day.
#' @param where Condition over columns, as in [keep_lines()]: take only the lines it holds for.
#' @param margin Text: what a subtotal is. `"recompute"` takes the measure over all lines below it;
#'   `"add_up"` adds up the rows below it.
#' @return A measure, for the `measures` of [totals()].
#' @section Blanks: Lines whose `x` is missing are not taken. A group with no line to take has a sum
#'   and a count of 0, and a missing mean, smallest and largest value. Lines without an order or whatever `per` names are not
#'   taken, and a message counts them. With `margin = "add_up"` rows without a value do not count, and a subtotal of nothing but
#'   such rows is missing.
#' @section Exactness: Sums, smallest and largest values are exact to the column's decimals. A mean
#'   is an exact total divided once.
#' @section Errors: Met when [totals()] uses the measure: `hinterfeld_error_measure` for text, an
#'   unknown column or a condition that does not give yes or no.
#' @name measures
#' @examples
#' book <- demo_daybook()
#' totals(book, by = channel, measures = list(
#'   "revenue", "lines",
#'   best_day = largest_of(revenue, per = "day"),
#'   mean_order = mean_of(revenue, per = order),
#'   web_share_of_lines = count_lines(where = channel == "Web"),
#'   customers = count_distinct(customer_id)
#' ))
NULL

#' @rdname measures
#' @export
sum_of <- function(x, where = NULL, margin = c("recompute", "add_up")) {
  new_measure("sum", enquo(x), where = enquo(where), margin = margin)
}

#' @rdname measures
#' @export
mean_of <- function(x, per = NULL, where = NULL) {
  new_measure("mean", enquo(x), enquo(per), enquo(where))
}

#' @rdname measures
#' @export
smallest_of <- function(x, per = NULL, where = NULL, margin = c("recompute", "add_up")) {
  new_measure("smallest", enquo(x), enquo(per), enquo(where), margin)
}

#' @rdname measures
#' @export
largest_of <- function(x, per = NULL, where = NULL, margin = c("recompute", "add_up")) {
  new_measure("largest", enquo(x), enquo(per), enquo(where), margin)
}

#' @rdname measures
#' @export
count_lines <- function(where = NULL, margin = c("recompute", "add_up")) {
  new_measure("lines", where = enquo(where), margin = margin)
}

#' @rdname measures
#' @export
count_distinct <- function(x, where = NULL, margin = c("recompute", "add_up")) {
  new_measure("distinct", enquo(x), where = enquo(where), margin = margin)
}

new_measure <- function(kind, x = rlang::quo(NULL), per = rlang::quo(NULL), where = rlang::quo(NULL),
                        margin = "recompute", call = caller_env()) {
  check_choice(margin[1], "margin", c("recompute", "add_up"), call = call)
  if (rlang::quo_is_missing(x)) {
    stop_because("measure", c("`x` is missing: the column to take.", i = "For example `revenue`."), call = call)
  }
  structure(list(kind = kind, x = x, per = per, where = where, margin = margin[1]), class = "hinterfeld_measure")
}

# From what the user gave to measures with exact minor units per line ----------------------------------------

# A list of measures, each with its name, minor units, decimals, mask and (for `per` and distinct counts) key.
resolve_measures <- function(measures, book, call = caller_env()) {
  if (inherits(measures, "hinterfeld_measure")) measures <- list(measures)
  if (is.character(measures)) measures <- as.list(measures)
  known <- vapply(measures, function(m) inherits(m, "hinterfeld_measure") || rlang::is_string(m), NA)
  if (!is.list(measures) || length(measures) == 0 || !all(known)) {
    stop_because("measure", c(
      "`measures` must name columns or hold measures.",
      i = "For example `\"revenue\"`, or `list(\"revenue\", best_day = largest_of(revenue, per = \"day\"))`."
    ), call = call)
  }
  given <- rlang::names2(measures)
  resolved <- lapply(measures, resolve_measure, book = book, call = call)
  names(resolved) <- ifelse(nzchar(given), given, vapply(resolved, function(m) m$default_name, ""))
  check_measure_names(names(resolved), resolved, call)
  resolved
}

check_measure_names <- function(names, resolved, call) {
  if (any(names == "")) {
    stop_because("measure", c(
      sprintf("The measure of `%s` needs a name.", resolved[[which(names == "")[1]]]$label),
      i = "Give it: `measures = list(name = ...)`."
    ), call = call)
  }
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    stop_because("measure", c(
      sprintf("Two measures are called %s.", columns_named(twice)),
      i = "Name them: `measures = list(web = sum_of(revenue, where = channel == \"Web\"))`."
    ), call = call)
  }
}

resolve_measure <- function(measure, book, call) {
  if (is.character(measure)) measure <- measure_by_name(measure, book)
  check_nesting(rlang::quo_get_expr(measure$x))
  check_nesting(rlang::quo_get_expr(measure$where))
  m <- list(kind = measure$kind, margin = measure$margin)
  m$mask <- measure_mask(measure$where, book, call)
  m$where <- if (!is.null(m$mask)) rlang::as_label(measure$where)
  m$per <- measure_per(measure$per, book, call)
  if (m$kind == "distinct") {
    m$label <- pick_one(measure$x, book, "x", call)
    m$key <- key_of_column(m$label, book$columns[[m$label]])
  } else if (m$kind != "lines") {
    m <- c(m, measure_minor(measure$x, book, measure$decimals, call))
  }
  m$decimals <- m$decimals %||% 0L
  m$counts <- measure_counts(m, measure, book)
  # Asked again, of fewer lines, it has the decimals that it had at first.
  m$spec <- replace(measure, "decimals", m$decimals)
  m$default_name <- measure_name(m)
  m
}

measure_by_name <- function(name, book) {
  if (name == "lines" && !"lines" %in% names(book$columns)) {
    return(count_lines())
  }
  new_measure("sum", rlang::new_quosure(name, rlang::empty_env()))
}

measure_mask <- function(where, book, call) {
  if (rlang::quo_is_null(where)) {
    return(NULL)
  }
  mention_unknown_values(where, book)
  evaluate_condition(where, book, call)
}

measure_per <- function(per, book, call) {
  if (rlang::quo_is_null(per)) {
    return(NULL)
  }
  grain <- rlang::quo_get_expr(per)
  if (rlang::is_string(grain) && grain %in% grains) {
    return(key_of_period(book$columns$day, grain, book$calendar, book$span))
  }
  name <- pick_one(per, book, "per", call)
  key <- key_of_column(name, book$columns[[name]])
  without <- if (any_unusual(book$columns[[name]])) sum(is.na(book$columns[[name]])) else 0
  if (without > 0) {
    say("per", sprintf("%s no `%s`, so what is totalled per %s does not take %s.", count_of(without, "line has", "lines have"), name, name,
                       if (without == 1) "it" else "them"))
  }
  key
}

pick_one <- function(quo, book, argument, call) {
  name <- pick_columns(quo, names(book$columns), argument, call)
  if (length(name) != 1) {
    stop_because("measure", c(
      sprintf("`%s` must be one column.", argument),
      i = sprintf("It names %s.", columns_named(name))
    ), call = call)
  }
  name
}

# Units of each line, in the decimals that were found before or else in those of the column or expression.
measure_minor <- function(x, book, decimals, call) {
  expr <- rlang::quo_get_expr(x)
  name <- if (is.symbol(expr) || rlang::is_string(expr)) as.character(expr)
  if (!is.null(name) && !name %in% names(book$columns)) stop_unknown_measure(name, book, call)
  label <- name %||% rlang::as_label(x)
  if (!is.null(name) && name %in% names(book$decimals)) {
    return(list(label = name, minor = book$columns[[name]], decimals = book$decimals[[name]]))
  }
  exact <- if (is.null(name)) exact_value(expr, rlang::quo_get_env(x), book)
  if (!is.null(exact)) {
    return(c(list(label = label), settled_decimals(exact, label, decimals, book, call)))
  }
  values <- if (is.null(name)) expression_values(x, expr, book, call) else book$columns[[name]]
  check_adds(values, label, book, call)
  decimals <- decimals %||% told_decimals(if (is.null(name)) decimals_of(values) else book$scales[[name]], label)
  list(label = label, minor = exact_minor(rep_len(values, book$lines), label, decimals, book$rounding, call), decimals = decimals)
}

expression_values <- function(x, expr, book, call) {
  mask <- lapply(stats::setNames(nm = intersect(all.vars(expr), names(book$columns))), column_values, book = book)
  evaluate_over(x, mask, "x", call)
}

check_adds <- function(values, label, book, call) {
  if (!is.numeric(values) || inherits(values, "Date")) {
    stop_because("measure", c(
      sprintf("`%s` is %s, which cannot be added up.", label, type_of(values)),
      i = sprintf("Count its distinct values with `count_distinct(%s)`.", label),
      i = sprintf("Columns of numbers are %s.", columns_named(number_columns(book)))
    ), call = call)
  }
}

# Products can have more decimals than are kept: they are rounded once, like everything else.
settled_decimals <- function(exact, label, decimals, book, call) {
  decimals <- decimals %||% told_decimals(exact$decimals, label)
  minor <- rep_len(exact$minor, book$lines)
  if (decimals > exact$decimals) minor <- minor * 10^(decimals - exact$decimals)
  if (decimals < exact$decimals) minor <- to_minor(minor / 10^(exact$decimals - decimals), 0L, book$rounding)
  list(minor = exact_minor(minor, label, 0L, book$rounding, call), decimals = decimals)
}

stop_unknown_measure <- function(name, book, call) {
  choices <- c(number_columns(book), "lines")
  near <- nearest(name, choices, 1)
  stop_because("measure", c(
    sprintf("There is no `%s` to total.", name),
    i = sprintf("The choices are %s.", columns_named(choices)),
    if (length(near)) c(i = sprintf("Did you mean `%s`?", near)),
    i = "Distinct values are counted with `count_distinct()`."
  ), call = call)
}

# "revenue", "revenue_largest_day", "lines", "distinct_order"; "" for an expression.
measure_name <- function(m) {
  if (m$kind == "lines") {
    return("lines")
  }
  if (make.names(m$label) != m$label) {
    return("")
  }
  switch(m$kind,
    sum = m$label,
    distinct = paste0("distinct_", m$label),
    paste(c(m$label, m$kind, m$per$name), collapse = "_")
  )
}

# Sums and counts of lines add up from group to group; nothing else does.
adds_up <- function(m) {
  m$kind %in% c("sum", "lines")
}

# What a measure counts: money, pieces, lines, orders, days, or other. (Shares and changes count percent.)
measure_counts <- function(m, measure, book) {
  if (m$kind == "lines") {
    return("lines")
  }
  if (m$kind == "distinct") {
    return(if (m$label %in% names(book$roles)) switch(m$label, order = "orders", day = "days", "other") else "other")
  }
  counts <- expression_counts(rlang::quo_get_expr(measure$x), book)
  if (counts == "number") "other" else counts
}

expression_counts <- function(expr, book) {
  if (rlang::is_quosure(expr)) {
    return(expression_counts(rlang::quo_get_expr(expr), book))
  }
  name <- if (rlang::is_string(expr)) expr else column_asked(expr, book)
  if (!is.null(name)) {
    return(switch(name, revenue = "money", units = if ("units" %in% names(book$roles)) "pieces" else "other", "other"))
  }
  if (!is.call(expr)) {
    return("number")
  }
  parts <- as.list(expr)[-1]
  if (rlang::is_call(expr, "ifelse")) parts <- parts[-1]
  kinds <- setdiff(vapply(parts, expression_counts, "", book = book), "number")
  if (rlang::is_call(expr, "/") && identical(kinds, "money") && expression_counts(expr[[3]], book) != "number") {
    return("other")
  }
  # Money less a cost is money, and so is money times a rate.
  if ("money" %in% kinds) "money" else if (length(kinds) == 1) kinds else if (length(kinds)) "other" else "number"
}

# What the measure is, for a reader: "the largest revenue of one day".
measure_words <- function(m) {
  of_one <- if (is.null(m$per)) "of one line" else paste("of one", m$per$name)
  words <- switch(m$kind,
    sum = paste("the sum of", m$label),
    mean = paste("the mean", m$label, of_one),
    smallest = paste("the smallest", m$label, of_one),
    largest = paste("the largest", m$label, of_one),
    lines = "the number of lines",
    distinct = paste("the number of distinct values of", m$label)
  )
  if (is.null(m$where)) words else sprintf("%s where %s", words, m$where)
}

# Measures of groups -----------------------------------------------------------------------------------

# Each measure over the groups of `keys`: codes per key and values in minor units (means in currency).
measure_groups <- function(book, keys, measures, call = caller_env()) {
  staged <- vapply(measures, function(m) !is.null(m$per) || m$kind == "distinct", NA)
  if (!any(staged) && length(measures) > 0) {
    result <- tally_lines(book$lines, keys, lapply(measures, measure_amount), call)
    return(list(codes = result$codes, values = Map(settle_value, measures, result$values, result$counted)))
  }
  groups <- group_lines(book$lines, keys)
  group <- new_key("group", groups$codes, seq_len(groups$count))
  values <- lapply(measures, function(m) {
    result <- if (is.null(m$per) && m$kind != "distinct") {
      tally_lines(book$lines, list(group), list(measure_amount(m)), call)
    } else {
      tally_stages(book$lines, group, m, call)
    }
    at <- match(seq_len(groups$count), result$codes[[1]])
    counted <- if (m$kind == "mean") replace(result$counted[[1]][at], is.na(at), 0)
    settle_value(m, nothing_to_zero(m, result$values[[1]][at]), counted)
  })
  list(codes = groups$parts, values = values)
}

measure_amount <- function(m) {
  kind <- switch(m$kind, mean = "sum", lines = "count", m$kind)
  new_amount(kind, m$minor, m$mask, counts = m$kind == "mean")
}

# Totals per day, order or distinct value first; then the measure over those totals.
tally_stages <- function(lines, group, m, call) {
  if (m$kind == "distinct") {
    first <- tally_lines(lines, list(group, m$key), list(lines = new_amount("count", NULL, m$mask)), call)
    use <- first$codes[[2]] > 0 & first$counted[[1]] > 0
    second <- new_amount("count")
  } else {
    first <- tally_lines(lines, list(group, m$per), list(new_amount("sum", m$minor, m$mask)), call)
    use <- first$counted[[1]] > 0 & first$codes[[2]] > 0
    second <- new_amount(if (m$kind == "mean") "sum" else m$kind, first$values[[1]][use])
  }
  tally_lines(sum(use), list(new_key("group", first$codes[[1]][use], group$labels)), list(second), call)
}

# A mean is an exact total divided once, in currency; everything else stays in minor units.
settle_value <- function(m, value, counted) {
  if (m$kind != "mean") {
    return(value)
  }
  ifelse(counted > 0, value / (counted * 10^m$decimals), NA_real_)
}

# Values as the table shows them, of some rows or all.
show_value <- function(m, value, rows = NULL) {
  if (m$kind != "mean") from_minor(value, m$decimals, rows) else if (is.null(rows)) value else value[rows]
}
