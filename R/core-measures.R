#' Measures: what totals() computes from the lines of each group
#'
#' A measure given only by its name, such as `"revenue"`, is a sum. The functions below say what to compute instead,
#' from which lines, and whether to total per day or order first.
#'
#' @param x Column of numbers, or an expression over columns. For `count_distinct()` any column; for `first_of()` and
#'   `last_of()` a column of dates, usually `day`.
#' @param per Column or period: first total `x` for each day, order or other value of `per`, then take the mean, median,
#'   smallest or largest of those totals. Without `per`, single lines are used: `largest_of(revenue)` is the largest
#'   line, `largest_of(revenue, per = "day")` the best day.
#' @param incomplete Text: whether a period named by `per` that the data do not cover whole, such as a last month that
#'   is not finished, counts like any other, or is left out, as by default.
#' @param to Column of numbers or expression: the sum of `x` is divided by its sum.
#' @param where Condition over columns, as in [keep_lines()]: use only the lines for which it holds.
#' @param margin Text: how a subtotal is computed. `"recompute"` computes the measure from all of its lines; `"add_up"`
#'   adds up its rows.
#' @section Kinds:
#' `r measure_table()`
#' @return A measure, for the `measures` of [totals()].
#' @section Blanks: Lines whose `x` is missing are ignored. If a group has no other lines, its sums and counts are 0,
#'   and its ratios, means, medians, smallest and largest values are missing. Lines without a value in the column named
#'   by `per` are ignored, and a message counts them. With `margin = "add_up"`, rows without a value are ignored; if
#'   none of its rows has a value, the subtotal is missing. A ratio is missing if its divisor is 0.
#' @section Dates: `first_of()` and `last_of()` are dates. They are shown, sorted and delivered as such, and no rank,
#'   share or change is computed from them.
#' @section Exactness: Sums, smallest and largest values are exact to the column's decimals. A mean is an exact total,
#'   divided once at the end. A ratio is one exact total divided by another. A median is the exact middle value, or the
#'   exact sum of the two middle values, divided once.
#' @section Medians: The median is the middle value in order of size or, if the number of values is even, the mean of
#'   the two middle values (ISO 3534-1:2006). For medians, a tally keeps each distinct value and how often it occurs.
#' @section Errors: Raised when [totals()] uses the measure: `hinterfeld_error_measure` for a text column, an unknown
#'   column, or a condition that is not logical.
#' @name measures
#' @examples
#' book <- demo_daybook()
#' totals(book, by = channel, measures = list(
#'   "revenue", "lines",
#'   best_day = largest_of(revenue, per = "day"),
#'   mean_order = mean_of(revenue, per = order),
#'   web_share_of_lines = count_lines(where = channel == "Web"),
#'   customers = count_distinct(customer_id),
#'   price = ratio_of(revenue, units)
#' ))
#' # New customers of each month, and for how many days a product has not been sold.
#' customers <- totals(book, by = customer_id, measures = list(first = first_of(day)))
#' table(format(customers$first, "%Y-%m"))
#' products <- totals(book, by = product, measures = list(last = last_of(day)))
#' max(products$last) - products$last
NULL

#' @rdname measures
#' @export
sum_of <- function(x, where = NULL, margin = c("recompute", "add_up")) {
  new_measure("sum", enquo(x), where = enquo(where), margin = margin)
}

#' @rdname measures
#' @export
mean_of <- function(x, per = NULL, where = NULL, incomplete = c("leave_out", "count")) {
  new_measure("mean", enquo(x), enquo(per), enquo(where), incomplete = incomplete)
}

#' @rdname measures
#' @export
median_of <- function(x, per = NULL, where = NULL, incomplete = c("leave_out", "count")) {
  new_measure("median", enquo(x), enquo(per), enquo(where), incomplete = incomplete)
}

#' @rdname measures
#' @export
smallest_of <- function(x, per = NULL, where = NULL, margin = c("recompute", "add_up"),
                          incomplete = c("leave_out", "count")) {
  new_measure("smallest", enquo(x), enquo(per), enquo(where), margin, incomplete = incomplete)
}

#' @rdname measures
#' @export
largest_of <- function(x, per = NULL, where = NULL, margin = c("recompute", "add_up"),
                         incomplete = c("leave_out", "count")) {
  new_measure("largest", enquo(x), enquo(per), enquo(where), margin, incomplete = incomplete)
}

#' @rdname measures
#' @export
first_of <- function(x, where = NULL) {
  new_measure("first", enquo(x), where = enquo(where))
}

#' @rdname measures
#' @export
last_of <- function(x, where = NULL) {
  new_measure("last", enquo(x), where = enquo(where))
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

#' @rdname measures
#' @export
ratio_of <- function(x, to, where = NULL) {
  new_measure("ratio", enquo(x), where = enquo(where), to = enquo(to))
}

new_measure <- function(kind, x = rlang::quo(NULL), per = rlang::quo(NULL), where = rlang::quo(NULL),
                        margin = "recompute", decimals = NULL, to = rlang::quo(NULL), incomplete = "leave_out",
                        call = caller_env()) {
  check_choice(margin[1], "margin", c("recompute", "add_up"), call = call)
  check_choice(incomplete[1], "incomplete", c("leave_out", "count"), call = call)
  for (name in c("x", "to")) {
    if (rlang::quo_is_missing(get(name))) {
      stop_because("measure", sprintf("`%s` is missing: the column to take.", name), i = "For example `revenue`.",
                   call = call)
    }
  }
  structure(list(kind = kind, x = x, to = to, per = per, where = where, margin = margin[1], decimals = decimals,
                 incomplete = incomplete[1]), class = "hinterfeld_measure")
}

# The kinds ----------------------------------------------------------------------------------------------

# Each kind of measure is one entry.
# maker    the function that makes it
# takes    numbers, the values of a column (anything), lines, or a pair of numbers that are totalled each
# per      can it be taken of totals per day, order or the like?
# margin   can its subtotals add up rows instead?
# gather   what is taken of the lines of a group: sum, count, smallest, largest
# staged   what lines are put together by first where there is no `per`: nothing, column or value (NULL: not staged)
# over     what is taken of the totals of such stages: one of those of `gather`, or middle
# divided  is it an exact total divided once, and so not exact itself?
# adds_up  do its rows add up?
# empty    what it is of no lines
# merge    how those of two tallies go together; of stages it is their totals that do
# words    what it is; {x} is the column or expression, {one} what it is computed over
measure_kinds <- list(
  sum = list(
    maker = "sum_of", takes = "numbers", per = FALSE, margin = TRUE, gather = "sum", staged = NULL, over = "sum",
    divided = FALSE, adds_up = TRUE, empty = 0, words = "the sum of {x}"
  ),
  mean = list(
    maker = "mean_of", takes = "numbers", per = TRUE, margin = FALSE, gather = "sum", staged = NULL, over = "sum",
    divided = TRUE, adds_up = FALSE, empty = NA_real_, words = "the mean {x} per {one}"
  ),
  median = list(
    maker = "median_of", takes = "numbers", per = TRUE, margin = FALSE, gather = "sum", staged = "value",
    over = "middle",
    divided = TRUE, adds_up = FALSE, empty = NA_real_, words = "the median {x} of one {one}"
  ),
  smallest = list(
    maker = "smallest_of", takes = "numbers", per = TRUE, margin = TRUE, gather = "smallest", staged = NULL,
    over = "smallest", divided = FALSE, adds_up = FALSE, empty = NA_real_, words = "the smallest {x} of one {one}"
  ),
  largest = list(
    maker = "largest_of", takes = "numbers", per = TRUE, margin = TRUE, gather = "largest", staged = NULL,
    over = "largest", divided = FALSE, adds_up = FALSE, empty = NA_real_, words = "the largest {x} of any one {one}"
  ),
  first = list(
    maker = "first_of", takes = "column", per = FALSE, margin = FALSE, gather = "smallest", staged = NULL,
    over = "smallest", divided = FALSE, adds_up = FALSE, empty = NA_real_, words = "the first {x}"
  ),
  last = list(
    maker = "last_of", takes = "column", per = FALSE, margin = FALSE, gather = "largest", staged = NULL,
    over = "largest", divided = FALSE, adds_up = FALSE, empty = NA_real_, words = "the last {x}"
  ),
  lines = list(
    maker = "count_lines", takes = "lines", per = FALSE, margin = TRUE, gather = "count", staged = NULL, over = "count",
    divided = FALSE, adds_up = TRUE, empty = 0, words = "the number of lines"
  ),
  distinct = list(
    maker = "count_distinct", takes = "column", per = FALSE, margin = TRUE, gather = "count", staged = "column",
    over = "count", divided = FALSE, adds_up = FALSE, empty = 0, words = "the number of distinct values of {x}"
  ),
  ratio = list(
    maker = "ratio_of", takes = "pair", per = FALSE, margin = FALSE, gather = "sum", staged = NULL, over = "sum",
    divided = TRUE, adds_up = FALSE, empty = NA_real_, words = "the sum of {x} divided by the sum of {to}"
  )
)

# The functions that make measures.
measure_makers <- function() {
  vapply(measure_kinds, function(kind) kind$maker, "", USE.NAMES = FALSE)
}

# The kind of the measures that a function makes.
kind_made_by <- function(maker) {
  names(Filter(function(kind) kind$maker == maker, measure_kinds))
}

# Sums and counts of lines add up from group to group; nothing else does.
adds_up <- function(m) {
  measure_kinds[[m$kind]]$adds_up
}

# Of no lines, sums and counts are 0; means and extremes are missing.
fill_empty <- function(m, values) {
  empty <- measure_kinds[[m$kind]]$empty
  if (is.na(empty)) values else replace(values, is.na(values), empty)
}

# Is it taken of totals per day, order or value?
is_staged <- function(m) {
  !is.null(m$per) || !is.null(measure_kinds[[m$kind]]$staged)
}

# A ratio is taken of two sums.
is_ratio <- function(m) {
  !is.null(m$sums)
}

# Measures with the sums in the place of ratios, and back: an exact total by an exact total, divided once.
summed_measures <- function(measures) {
  unlist(lapply(unname(measures), function(m) if (is_ratio(m)) unname(m$sums) else list(m)), recursive = FALSE)
}

divide_ratios <- function(measures, values) {
  at <- cumsum(vapply(measures, function(m) 1L + is_ratio(m), 0L))
  Map(function(m, i) if (is_ratio(m)) ratio_values(m, values[[i - 1L]], values[[i]]) else values[[i]], measures, at)
}

ratio_values <- function(m, x, to) {
  wider <- m$sums$to$decimals - m$sums$x$decimals
  x <- as.double(x) * 10^max(wider, 0)
  to <- as.double(to) * 10^max(-wider, 0)
  ifelse(to != 0, x / to, NA_real_)
}

# Values in minor units; a mean is an exact total divided once.
divide_value <- function(m, value, counted) {
  if (!measure_kinds[[m$kind]]$divided) {
    return(value)
  }
  ifelse(counted > 0, value / (counted * 10^m$decimals), NA_real_)
}

# Values as the table shows them, of some rows or all.
show_value <- function(m, value, rows = NULL) {
  if (!measure_kinds[[m$kind]]$divided) value <- from_minor(value, m$decimals, rows) else if (!is.null(rows)) {
    value <- value[rows]
  }
  if (is_date_measure(m)) plain_days(value) else value
}

# A day is a whole number of days while it is computed.
is_date_measure <- function(m) {
  m$kind %in% c("first", "last")
}

# What the measure is, for a reader: "the largest revenue of one day".
measure_words <- function(m) {
  # A day without a line is not among those that the mean is taken of.
  sold <- isTRUE(m$per %in% grains) && m$kind %in% c("mean", "median", "smallest")
  one <- if (sold) paste(m$per, "with a line") else m$per %||% "line"
  words <- gsub("{one}", one, measure_kinds[[m$kind]]$words, fixed = TRUE)
  words <- gsub("{to}", expression_text(m$to), words, fixed = TRUE)
  x <- if (is.null(m$to)) m$label
  words <- gsub("{x}", x %||% expression_text(m$x), words, fixed = TRUE)
  if (identical(m$incomplete, "count")) words <- paste(words, "(incomplete ones count)")
  if (is.null(m$where)) words else sprintf("%s where %s", words, expression_text(m$where))
}

# "revenue", "revenue_largest_day", "lines", "distinct_order"; "" for an expression.
default_measure_name <- function(m) {
  takes <- measure_kinds[[m$kind]]$takes
  if (takes == "lines") {
    return("lines")
  }
  if (make.names(m$label) != m$label) {
    return("")
  }
  if (takes == "pair") {
    return(m$label)
  }
  if (m$kind == "sum") {
    m$label
  } else if (takes == "column") {
    paste0(m$kind, "_", m$label)
  } else {
    paste(c(m$label, m$kind, m$per), collapse = "_")
  }
}

# Measures as plain data, and back -------------------------------------------------------------------------

# What an inquiry keeps of a measure: its kind, the column or expression `x`, `per` and `where`, its margin, the
# decimals that it was found to have, and whether its expressions need only the language of expressions. `m` is what was
# found.
plain_measure <- function(measure, m, columns, call = caller_env()) {
  column <- measure_kinds[[m$kind]]$takes == "column"
  x <- if (column) list(expr = m$label, language = TRUE) else plain_expression(measure$x, columns, call)
  where <- plain_expression(measure$where, columns, call)
  to <- plain_expression(measure$to, columns, call)
  list(kind = m$kind, x = named_column(x$expr), to = named_column(to$expr), per = m$per, where = where$expr,
       incomplete = measure$incomplete, margin = m$margin, decimals = m$decimals,
       language = x$language && where$language && to$language)
}

# A column is a text, whether it was named bare or as one; and as it stands in an expression.
named_column <- function(expr) {
  if (is.symbol(expr)) as.character(expr) else expr
}

bare_name <- function(x) {
  if (is.character(x) && length(x) == 1) as.symbol(x) else x
}

is_plain_measure <- function(m) {
  is.list(m) && setequal(names(m), c("kind", "x", "to", "per", "where", "incomplete", "margin", "decimals",
                                    "language")) &&
    rlang::is_string(m$kind) && m$kind %in% names(measure_kinds) && rlang::is_string(m$margin) &&
    m$margin %in% c("recompute", "add_up") && rlang::is_bool(m$language)
}

# The measure that plain data represent.
asked_measure <- function(m) {
  quo <- function(expr) asked_quosure(bare_name(expr), m$language)
  new_measure(m$kind, quo(m$x), asked_quosure(m$per, TRUE), asked_quosure(m$where, m$language), m$margin, m$decimals,
              quo(m$to), m$incomplete)
}

# From what the user gave ------------------------------------------------------------------------------------

# What holds measures, or bare names of columns, alone or in c(): these are their texts.
measures_given <- function(measures, facts, call = caller_env()) {
  plain <- plain_names(rlang::quo_get_expr(measures))
  value <- tryCatch(rlang::eval_tidy(measures), error = function(cnd) {
    if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
    # A name that nothing has is told like a text that names no column.
    if (length(plain)) plain else stop_because(
      "measure", "`measures` cannot be read.", x = conditionMessage(cnd),
      i = "Name measures as text: `measures = \"revenue\"`.", call = call
    )
  })
  # Variables that hold measures go before columns of their name.
  if (is.list(value) || is.character(value) || length(plain) == 0) value else plain
}

# A named list of measures; `resolve` makes of each, a name or a measure, what can be taken of the facts.
named_measures <- function(measures, resolve, call = caller_env()) {
  if (inherits(measures, "hinterfeld_measure")) measures <- list(measures)
  if (is.character(measures)) measures <- as.list(measures)
  sound <- vapply(measures, function(m) inherits(m, "hinterfeld_measure") || rlang::is_string(m), NA)
  if (!is.list(measures) || length(measures) == 0 || !all(sound)) {
    stop_because("measure", "`measures` must name columns or hold measures.",
                 i = "For example `list(\"revenue\", best_day = largest_of(revenue, per = \"day\"))`.",
                 call = call)
  }
  given <- rlang::names2(measures)
  resolved <- lapply(measures, resolve, call = call)
  names(resolved) <- ifelse(nzchar(given), given, vapply(resolved, default_measure_name, ""))
  check_measure_names(names(resolved), resolved, call)
  resolved
}

check_measure_names <- function(names, resolved, call) {
  if (any(names == "")) {
    stop_because("measure", sprintf("The measure of `%s` needs a name.", resolved[[which(names == "")[1]]]$label),
                 i = "Give it: `measures = list(name = ...)`.", call = call)
  }
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    stop_because("measure", sprintf("Two measures are called %s.", columns_named(twice)),
                 i = "Name them: `measures = list(web = sum_of(revenue, where = channel == \"Web\"))`.", call = call)
  }
}
