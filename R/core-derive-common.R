# What all derived columns share: scopes, exact values, names, sentences, and the memory of the step.

# Scopes: one number per row for each combination of the `within` columns, every level on its own.
derive_scope <- function(t, within) {
  data <- as_tibble.hinterfeld_totals(t)
  columns <- c(within, if ("level" %in% key_columns(memory_of(t))) "level")
  groups <- member_groups(data, columns)
  names <- lapply(within, function(name) plain_value(data[[name]][groups$first]))
  labels <- if (length(within)) do.call(paste, c(names, sep = " / ")) else "the whole table"
  list(id = groups$codes, count = groups$count, labels = labels, first = groups$first)
}

# Rows that have the same values in these columns are of one group: told apart by codes, never by pasted text.
member_groups <- function(data, columns) {
  keys <- lapply(columns, function(name) {
    found <- distinct_codes(data[[name]])
    new_key(name, found$codes, found$labels)
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
  memory <- memory_of(t)
  pick_columns(quo, c(memory$every, memory$by), argument, call)
}

# The values of a measure or derived column: whole minor units where it is exact.
derive_values <- function(t, of, call = caller_env()) {
  memory <- memory_of(t)
  known <- derivable(t)
  if (!rlang::is_string(of) || !of %in% known) {
    kind <- if (rlang::is_string(of) && of %in% names(t)) sprintf("`%s` is %s.", of, type_of(t[[of]]))
    near <- if (rlang::is_string(of)) nearest(of, known, 1)
    stop_because("measure", c(
      if (rlang::is_string(of)) sprintf("`of` cannot be `%s`.", of) else "`of` must name one column of numbers.",
      x = kind,
      i = sprintf("The table's columns of numbers are %s.", columns_named(known)),
      if (length(near)) c(i = sprintf("Did you mean `%s`?", near))
    ), call = call)
  }
  decimals <- exact_decimals_of(memory, of)
  values <- t[[of]]
  list(values = if (is.null(decimals)) values else to_minor(values, decimals), decimals = decimals, exact = !is.null(decimals))
}

# Whole minor units to add up and their decimals: those of the measure, or for inexact values as many as there is room for.
minor_of <- function(values) {
  if (values$exact) {
    return(list(minor = as.double(values$values), decimals = values$decimals))
  }
  room <- floor(log10(2^51 / max(1, sum(abs(values$values), na.rm = TRUE))))
  decimals <- as.integer(max(0, min(most_decimals, room)))
  list(minor = to_minor(values$values, decimals), decimals = decimals)
}

derivable <- function(t) {
  names(t)[vapply(as.list(t), is.numeric, NA) & !names(t) %in% key_columns(memory_of(t))]
}

# Decimals of a column that is exact, NULL for means, shares and the like.
exact_decimals_of <- function(memory, of) {
  known_column(memory, of)$decimals
}

# What is known of a column of numbers: what it counts, and its decimals where it is exact. NULL for a column of the
# user's own.
known_column <- function(memory, name) {
  measure <- memory$measures[[name]]
  if (is.null(measure)) memory$derived[[name]] else list(counts = measure$counts, decimals = if (measure$kind != "mean") measure$decimals)
}

# Shares and running figures make sense only of what adds up from row to row.
check_adds_up <- function(t, of, what, call = caller_env()) {
  measure <- memory_of(t)$measures[[of]]
  if (!is.null(measure) && !measure$adds_up && measure$margin != "add_up") {
    stop_because("measure", c(
      sprintf("%s of `%s` would mean nothing: %s does not add up from row to row.", what, of, measure$words),
      i = "Take a sum or a count of lines."
    ), call = call)
  }
}

# The new columns at the end, with what is to be remembered of each and one sentence for all.
add_derived <- function(t, columns, about, words, step, call = caller_env()) {
  taken <- intersect(names(columns), names(t))
  if (length(taken)) {
    stop_because("argument", c(
      sprintf("The table has %s already.", columns_named(taken)),
      i = "Give the new figure a name of its own: `name = \"...\"`."
    ), call = call)
  }
  memory <- memory_of(t)
  set <- max(0L, vapply(memory$derived, function(known) known$set, 0L)) + 1L
  memory$derived <- c(memory$derived, lapply(about, function(known) replace(known, "set", set)))
  memory$sentences <- c(memory$sentences, stats::setNames(list(words), names(columns)[1]))
  memory$steps <- c(memory$steps, list(step))
  new_totals(c(as.list(as_tibble.hinterfeld_totals(t)), columns), memory)
}

# An added column: the step it belongs to and its part in it, the measure it is about, what it counts (money, pieces,
# lines, orders, days, percent, rank, class, other), its decimals (NULL where inexact), and whether it is a change, which
# is written with its sign.
about_column <- function(step, part, of, counts, decimals = NULL, signed = FALSE) {
  list(step = step, part = part, of = of, counts = counts, decimals = decimals, signed = signed)
}

# The columns that a step has added with this part, the latest last.
added_columns <- function(memory, step, part) {
  names(Filter(function(known) known$step == step && known$part == part, memory$derived))
}

# The column that the same step has added with another part; NULL where it is gone.
added_with <- function(memory, column, part) {
  set <- memory$derived[[column]]$set
  found <- names(Filter(function(known) known$set == set && known$part == part, memory$derived))
  if (length(found)) found[1]
}

check_name <- function(name, call = caller_env()) {
  check_text(name, "name", none = TRUE, call = call)
}

# "each product", "each product and month": what a row stands for inside its scope.
member_words <- function(t, within) {
  memory <- memory_of(t)
  members <- setdiff(c(memory$by, memory$every), within)
  if (length(members)) paste("each", and_list(members)) else "each row"
}

# "within its region"; without scope columns, that it was the whole table, and by default.
scope_words <- function(t, within, default = FALSE) {
  memory <- memory_of(t)
  levels <- if (length(memory$levels) > 1) ", each level on its own" else ""
  if (length(within)) {
    return(sprintf("within its %s%s", and_list(within), levels))
  }
  several <- length(c(memory$every, memory$by)) > 1
  sprintf("over the whole table%s%s", levels, if (several) " (no `within` was given)" else "")
}

not_given_words <- function(t) {
  memory <- memory_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  held <- any(vapply(data[memory$by], function(x) is.character(x) && holds_text_kernel(x, memory$labels$not_given), NA))
  if (held) sprintf("; %s counts like any other", quoted(memory$labels$not_given)) else ""
}

cut_words <- function(t) {
  memory <- memory_of(t)
  if (memory$cut) sprintf(" Only the %s shown count.", count_of(nrow(t), "row")) else ""
}

# A warning that names the scopes whose total is not above 0.
warn_scopes <- function(what, labels) {
  if (length(labels)) {
    rlang::warn(c(
      sprintf("%s missing where the total is 0 or below.", what),
      i = sprintf("That is so for %s.", examples_of(labels))
    ), class = c("hinterfeld_warning_scope_total", "hinterfeld_warning"))
  }
}

# The keys of some rows for ties, as places in the order of their names: texts byte by byte, numbers and days by size,
# missing ones and then totals last.
row_names_order <- function(t, rows) {
  memory <- memory_of(t)
  lapply(c(memory$by, memory$every), function(name) {
    x <- t[[name]][rows]
    if (is.factor(x)) {
      return(as.integer(x))
    }
    if (!is.character(x)) {
      return(x)
    }
    found <- distinct_codes(x)
    recode_kernel(found$codes, label_places(found$labels, memory, name), NA_integer_, threads_wanted())
  })
}

label_places <- function(labels, memory, name) {
  own <- !labels %in% c(memory$labels$not_given, memory$labels$total)
  original <- memory$book$columns[[memory$book_columns[match(name, memory$by)] %||% "day"]]
  # A column that must say Total is text, whatever it was.
  values <- if (is.numeric(original) && !is_coded(original) && !inherits(original, "Date")) as.numeric(replace(labels, !own, NA)) else labels
  places <- integer(length(labels))
  places[order(!own, labels == memory$labels$total, values, method = "radix")] <- seq_along(labels)
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
