# What all added columns share: scopes, exact values, names, and the step that they belong to.

# Scopes: one number per row for each combination of the `within` columns, every level on its own.
derive_scope <- function(t, within) {
  groups <- member_groups(as_tibble.hinterfeld_totals(t), c(within, answer_of(t)$level))
  list(id = groups$codes, count = groups$count, within = within, first = groups$first)
}

# What some scopes are called.
scope_labels <- function(t, scope, at) {
  answer <- answer_of(t)
  rows <- scope$first[at]
  if (length(scope$within)) {
    names <- lapply(scope$within,
                    function(name) shown_values(t[[name]][rows], answer$columns[[name]], answer$about$calendar))
    return(do.call(paste, c(names, sep = " / ")))
  }
  if (is.null(answer$level)) rep_len("the whole table", length(at)) else paste("level", t[[answer$level]][rows])
}

# Has each of several scopes one row?
stands_alone <- function(scope, t) {
  nrow(t) > 1 && scope$count == nrow(t)
}

# Rows that have the same values in these columns are of one group: told apart by codes, never by pasted text.
member_groups <- function(data, columns) {
  keys <- lapply(columns, function(name) {
    coded <- distinct_codes(data[[name]])
    new_key(name, coded$codes, coded$labels)
  })
  group_lines(nrow(data), keys)
}

# Totals of minor units per scope.
scope_totals <- function(scope, minor, of) {
  key <- new_key("scope", scope$id, seq_len(scope$count))
  amounts <- stats::setNames(list(new_amount("sum", as.double(minor), counts = FALSE)), of)
  result <- tally_lines(length(minor), list(key), amounts)
  result$values[[1]][match(seq_len(scope$count), result$codes[[1]])]
}

pick_within <- function(quo, t, argument = "within", call = caller_env()) {
  pick_columns(quo, answer_of(t)$keys, argument, call)
}

# The values of a measure or derived column: whole minor units where it is exact.
exact_values <- function(t, of, call = caller_env()) {
  check_number_column(t, of, call)
  decimals <- known_column(answer_of(t), of)$decimals
  values <- t[[of]]
  list(values = if (is.null(decimals)) values else to_minor(values, decimals), decimals = decimals,
       exact = !is.null(decimals))
}

check_number_column <- function(t, of, call = caller_env()) {
  choices <- number_columns_of(t)
  if (!rlang::is_string(of) || !of %in% choices) {
    is_name <- rlang::is_string(of)
    problem <- if (is_name) sprintf("`of` cannot be `%s`.", of)
    stop_because("measure", problem %||% "`of` must name one column of numbers.",
                 x = if (is_name && of %in% names(t)) {
                   sprintf("`%s` is %s.", of, sub("^date", "a date", type_of(t[[of]])))
                 },
                 i = if (length(choices)) sprintf("The table's columns of numbers are %s.", columns_named(choices)),
                 i = if (is_name) did_you_mean(of, choices), call = call)
  }
}

# Whole minor units to add up and their decimals: those of the measure, or for inexact values as many as there is room
# for.
minor_of <- function(values) {
  if (values$exact) {
    return(list(minor = as.double(values$values), decimals = values$decimals))
  }
  room <- floor(log10(2^51 / max(1, sum(abs(values$values), na.rm = TRUE))))
  decimals <- as.integer(max(0, min(max_decimals, room)))
  list(minor = to_minor(values$values, decimals), decimals = decimals)
}

number_columns_of <- function(t) {
  answer <- answer_of(t)
  names(t)[vapply(as.list(t), is.numeric, NA) & !names(t) %in% c(answer$keys, answer$level, answer$singles)]
}

# Shares and running totals make sense only of what adds up from row to row.
check_adds_up <- function(t, of, what, call = caller_env()) {
  measure <- answer_of(t)$measures[[of]]
  if (!is.null(measure) && !measure$adds_up && measure$margin != "add_up") {
    words <- measure_words(answer_of(t)$inquiry$measures[[measure$id]])
    stop_because("measure",
                 sprintf("%s of `%s` would be meaningless: %s does not add up from row to row.", what, of, words),
                 i = "Use a sum or a count of lines.", call = call)
  }
}

# The step that a verb takes on a table: its arguments, with columns by the names that these had
# first; and the names of its new columns, each unlike any that the table has had: `first` are those.
step_on <- function(t, kind, args, columns, first = columns) {
  answer <- answer_of(t)
  for (name in intersect(c("of", "within", "along"),
                         names(args))) args[name] <- list(if (!is.null(args[[name]])) ids_of(answer, args[[name]]))
  taken <- c(vapply(answer$columns, function(column) column$id, ""),
             unlist(lapply(answer$inquiry$steps, function(s) s$columns)))
  ids <- utils::tail(make.unique(c(taken, first), " "), length(columns))
  step <- new_step(kind, args, stats::setNames(ids, names(columns)))
  structure(step, shown = unname(columns))
}

# The columns that a step takes its arguments from, by the names that they have now.
step_names <- function(t, names) {
  names_of(answer_of(t), names)
}

# The new columns at the end, by part of the step, each with what it is: list(values, counts, decimals, signed, ...).
# What the sentence about them tells is `found`.
add_columns_of <- function(t, step, columns, stats, call = caller_env()) {
  shown <- attr(step, "shown") %||% unname(step$columns)
  clash <- intersect(shown, names(t))
  if (length(clash)) {
    stop_because("argument", sprintf("The table has %s already.", columns_named(clash)),
                 i = "Give the new column a name of its own: `name = \"...\"`.", call = call)
  }
  values <- stats::setNames(lapply(columns, function(column) column$values), shown)
  answer <- attr(t, "answer", exact = TRUE)
  place <- length(answer$inquiry$steps) + 1L
  about <- Map(function(column, output, id) {
    rlang::exec(new_column, id, "added", step = place, kind = step$kind, output = output, of = step$args$of,
                !!!column[setdiff(names(column), "values")])
  }, columns, names(step$columns), step$columns)
  answer$columns <- c(answer$columns, stats::setNames(about, shown))
  new_totals(c(as.list(as_tibble.hinterfeld_totals(t)), values), with_step(answer, step, stats))
}

with_step <- function(answer, step, stats) {
  attr(step, "shown") <- NULL
  answer$inquiry$steps <- c(answer$inquiry$steps, list(step))
  answer$step_stats <- c(answer$step_stats, list(stats))
  answer
}

# The columns that a kind of step has added with this part, the latest last.
added_columns <- function(answer, kind, output) {
  names(Filter(function(column) column$kind == kind && column$output == output, answer$added))
}

# The column that the same step has added with another part; NULL where it is gone.
added_with <- function(answer, column, output) {
  step <- answer$added[[column]]$step
  columns <- names(Filter(function(about) about$step == step && about$output == output, answer$added))
  if (length(columns) == 0 && output == "comparable") {
    columns <- comparable_with(answer, answer$inquiry$steps[[step]]$args)
  }
  if (length(columns)) columns[1]
}

# The column of an earlier change that tells of every row what another one would tell: measures that are compared in the
# same way share `comparable`.
comparable_with <- function(answer, args) {
  same <- vapply(answer$added, function(column) {
    column$kind == "change" && column$output == "comparable" &&
      identical(replace(answer$inquiry$steps[[column$step]]$args, "of", args["of"]), args)
  }, NA)
  if (any(same)) names(answer$added)[same][1]
}

check_name <- function(name, call = caller_env()) {
  check_text(name, "name", none = TRUE, call = call)
}

# What a sentence about a step tells of the table it was taken on: `shown`, how many rows counted where it was cut;
# whether blanks were among them; how many rows have no value.
# The columns that a step or figure is about: bare names, texts or what holds them. Without any, revenue, or else the
# first measure.
columns_given <- function(of, t) {
  if (rlang::quo_is_null(of)) {
    return(usual_measure(names(answer_of(t)$measures)))
  }
  answer <- answer_of(t)
  plain <- plain_names(rlang::quo_get_expr(of))
  if (length(plain) && all(plain %in% c(names(answer$measures), names(answer$added)))) {
    return(plain)
  }
  value <- tryCatch(rlang::eval_tidy(of), error = function(cnd) expression_text(of))
  value %||% usual_measure(names(answer$measures))
}

# The measure that a step is about unless it is told another.
usual_measure <- function(measures) {
  if (length(measures) == 0 || "revenue" %in% measures) "revenue" else measures[1]
}

step_stats_of <- function(t, missing = 0, ...) {
  answer <- answer_of(t)
  list(shown = if (answer$cut) nrow(t), not_given = holds_not_given(t), levels = length(answer$levels) > 1,
       missing = missing, periods = periods_held(t), ...)
}

# The sentences of a table that was cut further tell of the rows that are left.
stats_again <- function(t) {
  answer <- answer_of(t)
  stats <- Map(function(step, stats) stats_of_rows(step, stats, t, names_of_outputs(answer, step)),
               answer$inquiry$steps,
               answer$step_stats)
  set_answer(t, step_stats = unname(stats))
}

names_of_outputs <- function(answer, step) {
  stats::setNames(names_of(answer, step$columns), names(step$columns))
}

# What a step found, of the rows that are left; `columns` are those of the step, by part.
stats_of_rows <- function(step, stats, t, columns) {
  UseMethod("stats_of_rows")
}

#' @export
stats_of_rows.hinterfeld_step <- function(step, stats, t, columns) {
  if (length(stats) == 0) {
    return(stats)
  }
  answer <- answer_of(t)
  stats$not_given <- stats$not_given && holds_not_given(t)
  stats$levels <- stats$levels && !is.null(answer$level) && length(unique(t[[answer$level]])) > 1
  if (stats$missing > 0) {
    column <- intersect(columns[1], names(t))
    stats$missing <- if (length(column)) count_missing(t[[column]]) else 0L
  }
  stats$before <- !is.null(stats$shown)
  stats
}

holds_not_given <- function(t) {
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  any(vapply(data[answer$by], function(x) is.character(x) && holds_text_kernel(x, answer$labels$not_given), NA))
}

# How many single periods the rows are of; NULL where they are of none.
periods_held <- function(t) {
  answer <- answer_of(t)
  if (!is.null(answer$every) && !is_recurring(answer$every)) {
    periods <- t[[answer$period]]
    length(if (inherits(periods, "Date")) different_days_kernel(periods, threads_wanted()) else unique(periods))
  }
}

count_missing <- function(values) {
  if (any_not_finite(values)) sum(is.na(values)) else 0L
}

# A warning that names the scopes whose total is not above 0.
warn_scopes <- function(what, t, scope, at) {
  if (length(at)) {
    rlang::warn(c(
      sprintf("%s missing where the total is 0 or below.", what),
      i = sprintf("This affects %s.", examples_of(unique(scope_labels(t, scope, at))))
    ), class = c("hinterfeld_warning_scope_total", "hinterfeld_warning"))
  }
}

# The keys of some rows for ties, as places in the order of their names: texts byte by byte, numbers and days by size,
# missing ones and then totals last.
row_names_order <- function(t, rows) {
  answer <- answer_of(t)
  lapply(name_order(answer), function(name) {
    x <- t[[name]][rows]
    if (is.factor(x)) {
      return(as.integer(x))
    }
    if (!is.character(x)) {
      return(x)
    }
    coded <- distinct_codes(x)
    recode_kernel(coded$codes, label_places(coded$labels, answer, name), NA_integer_, threads_wanted())
  })
}

# The columns that split a table, in the order in which their names are compared: periods last.
name_order <- function(answer) {
  c(setdiff(answer$keys, answer$periods), answer$periods)
}

label_places <- function(labels, answer, name) {
  own <- !labels %in% c(answer$labels$not_given, answer$labels$total)
  # A column that must say Total is text, whatever it was.
  values <- if (answer$columns[[name]]$numbers) as.numeric(replace(labels, !own, NA)) else labels
  places <- integer(length(labels))
  places[order(!own, labels == answer$labels$total, values, method = "radix")] <- seq_along(labels)
  places
}

# Rows in order of scope and value, equal values in order of names. Names are only looked at where values are equal.
order_by_value <- function(t, values, scope, scopes, highest_first) {
  values <- as.double(values)
  order <- order_kernel(scope, scopes, values, NULL, NULL, highest_first, threads_wanted())
  places <- tied_kernel(order, scope, values)
  if (length(places)) {
    rows <- order[places]
    by_name <- do.call(ordered_rows, row_names_order(t, rows))
    rank <- integer(length(rows))
    rank[by_name] <- seq_along(rows)
    order[places] <- rows[order_kernel(scope[rows], scopes, values[rows], rank, NULL, highest_first, threads_wanted())]
  }
  order
}

ordered_rows <- function(...) {
  order(..., method = "radix", na.last = TRUE)
}

# The place of each value in its order, missing ones last.
sort_places <- function(x, down) {
  values <- if (is.factor(x)) as.integer(x) else if (is.character(x)) x else as.double(x)
  order <- sort(unique(values[!is.na(values)]), method = "radix", decreasing = down)
  match(values, order)
}

# Where the groups of a table with subtotals stand, inside each other, and in each its subtotal last. Sorted `keys` of
# its subtotal tell where a group stands; without one it stands where its first row does.
group_places <- function(data, answer, keys = list()) {
  total <- lapply(data[answer$keys], function(x) as.character(x) %in% answer$labels$total)
  n <- length(answer$keys)
  outer <- utils::head(answer$keys, -1)
  places <- lapply(seq_along(outer), function(k) {
    groups <- member_groups(data, outer[seq_len(k)])
    whole <- which(Reduce(`&`, total[(k + 1L):n]))
    at <- whole[match(seq_len(groups$count), groups$codes[whole])]
    order <- do.call(ordered_rows, c(lapply(keys, function(key) key[at]), list(groups$first)))
    place <- if (anyNA(at) || length(keys) == 0) groups$first else order(order)
    ifelse(total[[k]], nrow(data) + 1L, place[groups$codes])
  })
  c(places, list(as.integer(total[[n]])))
}
