# Measures of the lines of a daybook: their exact values per line.

# A list of measures, each with its name, minor units, decimals, mask and stages.
line_measures <- function(measures, book, call = caller_env()) {
  named_measures(measures, function(measure, call) resolve_measure(measure, book, call), call)
}

# What is taken: kind and label; `minor` per line with `decimals`; a `mask` of the lines that count; `stage`, the key
# that lines are put together by first; what it counts; and `spec`, the same as plain data.
resolve_measure <- function(measure, book, call) {
  if (is.character(measure)) measure <- measure_from_name(measure, names(book$columns))
  check_nesting(rlang::quo_get_expr(measure$x))
  check_nesting(rlang::quo_get_expr(measure$where))
  check_nesting(rlang::quo_get_expr(measure$to))
  kind <- measure_kinds[[measure$kind]]
  m <- list(kind = measure$kind, margin = measure$margin, incomplete = measure$incomplete,
            mask = measure_mask(measure$where, book, call))
  per <- measure_per(measure$per, book, call)
  if (kind$takes == "pair") {
    m <- c(m, measure_sums(measure, book, call))
  } else if (kind$takes == "column") {
    m$label <- pick_one(measure$x, names(book$columns), "x", call)
    m$known <- known_of(book, m$label)
    m$column <- m$known$column
    if (is_date_measure(m)) m$minor <- days_of_column(m$column, m$label, call)
  } else if (kind$takes == "numbers") {
    if (m$kind == "sum") check_sum_of_rate(measure$x, book, call)
    m <- c(m, measure_minor(measure$x, book, measure$decimals, call))
    if (m$kind == "sum") mention_rate(m, book)
    m$stage <- per
  }
  if (!is.null(book$grouped)) {
    m$times <- book$grouped$times
    if (is.null(per) && m$kind %in% c("smallest", "largest")) m$minor <- book$grouped[[m$kind]][[m$label]]
  }
  m$per <- per$name
  m$decimals <- m$decimals %||% 0L
  m$counts <- measure_counts(m, measure, book)
  # Asked again, of fewer lines, it has the decimals that it had at first.
  m$spec <- plain_measure(measure, m, names(book$columns), call)
  m$where <- m$spec$where
  if (!is_ratio(m) && !is.null(m$label) && !is.character(m$spec$x)) m$label <- expression_text(m$spec$x)
  m
}

days_of_column <- function(x, label, call) {
  if (!inherits(x, "Date")) {
    stop_because("measure", sprintf("`%s` is %s; only dates have a first and a last one.", label, type_of(x)),
                 i = sprintf("Take the smallest or largest number with %s or %s.", as_typed("smallest_of()"),
                             as_typed("largest_of()")), call = call)
  }
  as.double(unclass(x))
}

# The two sums that a ratio is taken of, and the decimals of both. A line that lacks one of them is in neither.
measure_sums <- function(measure, book, call) {
  sums <- lapply(ratio_sums(measure), resolve_measure, book = book, call = call)
  taken <- function(sum) sum(!is.na(sum$minor) & (sum$mask %||% TRUE) %in% TRUE)
  mask <- measure_mask(measure$where, book, call)
  lacking <- (if (is.null(mask)) book$lines else sum(mask %in% TRUE)) - taken(sums$x)
  if (lacking > 0 && is.null(book$grouped)) {
    say("ratio",
        sprintf("%s `%s` or `%s`, so the ratio does not take %s.", count_of(lacking, "line lacks", "lines lack"),
                sums$x$label, sums$to$label, if (lacking == 1) "it" else "them"))
  }
  list(sums = sums, decimals = c(sums$x$decimals, sums$to$decimals), label = ratio_label(sums))
}

# The sums of a ratio as measures: each of the lines that have the other.
ratio_sums <- function(measure) {
  beside <- function(x, other, decimals) {
    expr <- bare_name(rlang::quo_get_expr(other))
    where <- measure$where
    if (can_lack(expr)) {
      has <- rlang::new_quosure(call("!", call("is.na", expr)), rlang::quo_get_env(other))
      where <- if (rlang::quo_is_null(where)) has else rlang::quo((!!where) & !!has)
    }
    new_measure("sum", x, where = where, decimals = decimals)
  }
  list(x = beside(measure$x, measure$to, measure$decimals[1]), to = beside(measure$to, measure$x, measure$decimals[2]))
}

# Every line has a revenue; what is made of other columns, or divides, a line may lack.
can_lack <- function(expr) {
  length(setdiff(all.vars(expr), c("revenue", "day", "product"))) > 0 || "/" %in% all.names(expr)
}

# "revenue_per_units"; no name where one of them is an expression.
ratio_label <- function(sums) {
  labels <- c(sums$x$label, sums$to$label)
  paste(labels, collapse = if (identical(make.names(labels), labels)) "_per_" else " / ")
}

# "lines" counts them, where no column is called so.
measure_from_name <- function(name, columns) {
  if (name == "lines" && !"lines" %in% columns) {
    return(count_lines())
  }
  new_measure("sum", rlang::new_quosure(name, rlang::empty_env()))
}

measure_mask <- function(where, book, call) {
  if (rlang::quo_is_null(where)) {
    return(NULL)
  }
  mention_unknown_values(where, book)
  evaluate_condition(book, where, call)
}

measure_per <- function(per, book, call) {
  if (rlang::quo_is_null(per)) {
    return(NULL)
  }
  grain <- rlang::quo_get_expr(per)
  if (rlang::is_string(grain) && grain %in% grains) {
    return(key_of_period(book$columns$day, grain, book$calendar, book$span))
  }
  name <- pick_one(per, names(book$columns), "per", call)
  key <- key_of_facts(book, name)
  without <- if (known_not_finite(key$known)) sum(is.na(book$columns[[name]])) else 0
  if (without > 0) {
    say("per",
        sprintf("%s no `%s`, so totals per %s leave %s out.", count_of(without, "line has", "lines have"), name, name,
                if (without == 1) "it" else "them"))
  }
  key
}

pick_one <- function(quo, columns, argument, call) {
  name <- pick_columns(quo, columns, argument, call)
  if (length(name) != 1) {
    stop_because("measure", sprintf("`%s` must be one column.", argument),
                 i = sprintf("It names %s.", columns_named(name)), call = call)
  }
  name
}

# Minor units of each line, in the decimals that were found before or else in those of the column or expression.
measure_minor <- function(x, book, decimals, call) {
  expr <- rlang::quo_get_expr(x)
  name <- if (is.symbol(expr) || rlang::is_string(expr)) as.character(expr)
  if (!is.null(name) && !name %in% names(book$columns)) stop_unknown_measure(name, book, call)
  label <- name %||% expression_text(x)
  if (!is.null(name) && name %in% names(book$decimals)) {
    known <- known_of(book, name)
    return(list(label = name, known = known, minor = known$column, decimals = book$decimals[[name]]))
  }
  if (is.null(name)) {
    found <- value_per_line(x, book, decimals, label = label, call = call)
    if (is.null(found$minor)) check_adds(found$values, label, book, call)
    return(c(list(label = label), found))
  }
  values <- book$columns[[name]]
  check_adds(values, label, book, call)
  decimals <- decimals %||% capped_decimals(book$scales[[name]], label)
  list(label = label, minor = exact_minor(values, label, decimals, book$rounding, call), decimals = decimals)
}

check_adds <- function(values, label, book, call) {
  if (!is.numeric(values) || inherits(values, "Date")) {
    stop_because("measure", sprintf("`%s` is %s, which cannot be added up.", label, type_of(values)),
                 i = sprintf("Count its distinct values with %s.", as_typed(sprintf("count_distinct(%s)", label))),
                 i = sprintf("Columns of numbers are %s.", columns_named(number_columns(book))), call = call)
  }
}

stop_unknown_measure <- function(name, book, call) {
  choices <- c(number_columns(book), "lines")
  stop_because("measure", sprintf("There is no `%s` to total.", name), role_not_given(name),
               i = sprintf("The choices are %s.", columns_named(choices)), i = did_you_mean(name, choices),
               i = sprintf("Distinct values are counted with %s.", as_typed("count_distinct()")), call = call)
}

# What divides one column by another is a rate, of which a sum means nothing.
check_sum_of_rate <- function(x, book, call) {
  expr <- rlang::quo_get_expr(x)
  factors <- rate_parts(expr, names(book$columns))
  name <- if (is.symbol(expr) || rlang::is_string(expr)) as.character(expr)
  if (is.null(factors) && !is.null(name)) factors <- book$rates[[name]]
  if (is.null(factors)) {
    return(invisible())
  }
  stop_because("measure",
               sprintf("A sum of `%s` adds up what each line divides, which means nothing.",
                       name %||% expression_text(expr)),
               i = sprintf("Divide the sums: %s.",
                           as_typed(sprintf("ratio_of(%s, to = %s)", factors[1], factors[2]))), call = call)
}

# The two parts of a quotient of columns, also times or less a constant; NULL where an expression is none.
rate_parts <- function(expr, columns) {
  if (rlang::is_call(expr, "(", n = 1)) {
    return(rate_parts(expr[[2]], columns))
  }
  held <- function(factor) any(all.vars(factor) %in% columns)
  if (rlang::is_call(expr, "/", n = 2) && held(expr[[3]])) {
    return(vapply(as.list(expr)[-1], expression_text, ""))
  }
  if (rlang::is_call(expr, c("+", "-", "*", "/"), n = 2)) {
    factors <- Filter(held, as.list(expr)[-1])
    if (length(factors) == 1) rate_parts(factors[[1]], columns)
  }
}

# Of a plain column nothing can be known, but one of fractions between 0 and 1 looks like a rate.
mention_rate <- function(m, book) {
  if (m$decimals == 0 || m$label %in% names(book$roles) || !m$label %in% names(book$columns)) {
    return(invisible())
  }
  range <- suppressWarnings(range(m$minor, na.rm = TRUE))
  if (all(is.finite(range)) && range[1] >= 0 && range[2] <= 10^m$decimals && range[2] > range[1]) {
    say("rate",
        sprintf("`%s` lies between 0 and 1 in every line, as a rate does, and a sum of rates means little.", m$label),
        i = sprintf("Take %s, or divide the sums of its parts with %s.", as_typed(sprintf("mean_of(%s)", m$label)),
                    as_typed("ratio_of()")))
  }
}

# What a measure counts: money, pieces, lines, orders, days, or other. (Shares and changes count percent.)
measure_counts <- function(m, measure, book) {
  takes <- measure_kinds[[m$kind]]$takes
  if (takes == "lines") {
    return("lines")
  }
  if (is_date_measure(m)) {
    return("date")
  }
  if (takes == "column") {
    return(if (m$label %in% names(book$roles)) switch(m$label, order = "orders", day = "days", "other") else "other")
  }
  if (takes == "pair") {
    return(ratio_counts(m$sums$x$counts, m$sums$to$counts))
  }
  counts <- expression_counts(rlang::quo_get_expr(measure$x), book)
  if (counts == "number") "other" else counts
}

# Money by money is a percentage, money by pieces is money a piece.
ratio_counts <- function(x, to) {
  if (x == to && x != "other") "percent" else if (x == "money") "money" else "other"
}

expression_counts <- function(expr, book) {
  if (rlang::is_quosure(expr)) {
    return(expression_counts(rlang::quo_get_expr(expr), book))
  }
  name <- if (rlang::is_string(expr)) expr else column_asked(expr, book)
  if (!is.null(name)) {
    counts <- if (name %in% names(book$counts)) book$counts[[name]] else "other"
    return(switch(name, revenue = "money", units = if ("units" %in% names(book$roles)) "pieces" else counts, counts))
  }
  if (!is.call(expr)) {
    return("number")
  }
  operands <- as.list(expr)[-1]
  if (rlang::is_call(expr, "ifelse")) operands <- operands[-1]
  kinds <- setdiff(vapply(operands, expression_counts, "", book = book), "number")
  if (rlang::is_call(expr, "/") && identical(kinds, "money") && expression_counts(expr[[3]], book) != "number") {
    return("percent")
  }
  # Money less a cost is money, and so is money times a rate.
  if ("money" %in% kinds) "money" else if (length(kinds) == 1) kinds else if (length(kinds)) "other" else "number"
}
