# Levels of a totals table: the detail and its subtotals, their rows and their order.

# Each level names its split keys (by position); the first is the detail.
plan_levels <- function(subtotals, names, call = caller_env()) {
  detail <- seq_along(names)
  if (length(subtotals) == 0 || isFALSE(subtotals)) {
    splits <- list()
  } else if (isTRUE(subtotals)) {
    splits <- lapply(rev(detail) - 1, seq_len)
  } else {
    splits <- lapply(as.list(subtotals), level_split, names = names, call = call)
    splits <- splits[!duplicated(splits) & !vapply(splits, identical, NA, detail)]
    splits <- splits[order(-lengths(splits))]
  }
  splits <- c(list(detail), splits)
  finest <- vapply(splits, function(split) if (length(split)) names[max(split)] else "Total", "")
  shared <- finest %in% finest[duplicated(finest)]
  finest[shared] <- vapply(splits[shared], function(split) paste(names[split], collapse = " and "), "")
  Map(function(label, split) list(label = label, split = split, columns = names[split]), unname(finest), splits)
}

level_split <- function(columns, names, call) {
  if (!is.character(columns) || !all(columns %in% c(names, "Total"))) {
    wrong <- if (is.character(columns)) setdiff(columns, c(names, "Total"))
    stop_because("argument", sprintf("%s must be TRUE or name columns of the table.", as_typed("subtotals")),
                 x = if (length(wrong)) sprintf("It names %s.", columns_named(wrong)),
                 i = sprintf("The choices are %s.", examples_of(c(names, "Total"), 20)), call = call)
  }
  which(names %in% columns)
}

# The rows of all levels: codes per key (0 missing, -1 Total), values per measure, level. The detail is split by all
# keys; the finest level need not be.
level_rows <- function(facts, keys, measures, levels, detail) {
  whole <- function(level) identical(level$split, seq_along(keys))
  if (length(levels) == 1 && whole(levels[[1]])) {
    return(c(detail, list(level = rep(1L, row_count(detail)))))
  }
  parts <- lapply(seq_along(levels), function(i) {
    split <- levels[[i]]$split
    result <- if (whole(levels[[i]])) detail else split_groups(facts, keys, measures, split, detail)
    n <- row_count(result)
    codes <- rep(list(rep(total_code, n)), length(keys))
    codes[split] <- result$codes
    list(codes = codes, values = result$values, level = rep(i, n))
  })
  list(
    codes = lapply(seq_along(keys), function(k) unlist(lapply(parts, function(part) part$codes[[k]]))),
    values = lapply(seq_along(measures), function(m) unlist(lapply(parts, function(part) part$values[[m]]))),
    level = unlist(lapply(parts, function(part) part$level))
  )
}

row_count <- function(rows) {
  max(lengths(c(rows$codes, rows$values)))
}

# Measures split by some of the keys only: added up from the detail where that is what was asked for
# or comes to the same, taken again from the lines otherwise.
split_groups <- function(facts, keys, measures, split, detail) {
  part <- Map(function(key, codes) new_key(key$name, codes, key$labels), keys, detail$codes)[split]
  rows <- length(detail$values[[1]])
  up <- vapply(measures, function(m) adds_up(m) || m$margin == "add_up", NA)
  amounts <- if (any(up)) {
    lapply(detail$values[up], function(value) new_amount("sum", value))
  } else {
    list(new_amount("count", counts = FALSE))
  }
  added <- tally_lines(rows, part, amounts)
  values <- vector("list", length(measures))
  # If no row of a group has a value, neither has its smallest or largest.
  values[up] <- Map(function(m, value, counted) {
    fill_empty(m, replace(value, counted == 0, NA))
  }, measures[up], utils::head(added$values, sum(up)), utils::head(added$counted, sum(up)))
  if (!all(up)) {
    again <- measure_groups(facts, keys[split], measures[!up])
    at <- find_groups(added$codes, again$codes, key_sizes(keys[split]))
    # A group that was filled has no line to take.
    values[!up] <- Map(function(m, value) fill_empty(m, value[at]), measures[!up], again$values)
  }
  list(codes = added$codes, values = values)
}

# Periods ascending, texts that are periods too; then, key by key, the group's own first measure from the highest and
# its name. A subtotal stands below its group.
# `dated` tells which keys are periods.
row_order <- function(facts, keys, measures, levels, rows, detail, dated) {
  if (length(keys) == 0) {
    return(seq_len(row_count(rows)))
  }
  m <- measures[[1]]
  up <- length(levels) == 1 && (adds_up(m) || m$margin == "add_up")
  group_values <- function(groups, values) {
    if (up && !is.null(values)) added_values(m, groups, values) else
      prefix_values(facts, keys, measures[1], levels, rows, detail, groups$parts)
  }
  shown <- seq_along(rows$codes)
  periods <- keys_in_calendar(keys[shown], rows$codes, facts)
  nested_order(periods$keys, rows$codes, as.double(rows$values[[1]]), dated[shown] | periods$in_calendar, group_values)
}

# Rows stand where the group of their keys but the last stands, which is ordered in the same way; inside it by the last.
nested_order <- function(keys, codes, values, dated, group_values) {
  k <- length(codes)
  n <- length(codes[[k]])
  if (k == 1) {
    scope <- rep(1L, n)
    scopes <- 1L
  } else if (k == 2 && dated[1] && is.null(keys[[1]]$places) && !any_missing_or_total(codes[[1]])) {
    scope <- codes[[1]]
    scopes <- length(keys[[1]]$labels)
  } else {
    outer <- seq_len(k - 1)
    groups <- group_lines(n, Map(function(key, codes) new_key(key$name, codes, key$labels), keys[outer], codes[outer]))
    order <- nested_order(keys[outer], groups$parts, if (!dated[k - 1]) group_values(groups, values), dated,
                          group_values)
    place <- integer(groups$count)
    place[order] <- seq_along(order)
    scope <- recode_kernel(groups$codes, place, NA_integer_, threads_wanted())
    scopes <- groups$count
  }
  order_kernel(scope, scopes, if (!dated[k]) values, codes[[k]], key_ranks(keys[[k]]), TRUE, threads_wanted())
}

# The values of each group added up.
added_values <- function(m, groups, values) {
  key <- new_key("group", groups$codes, seq_len(groups$count))
  added <- tally_lines(length(values), list(key), list(new_amount("sum", values)))
  fill_empty(m, replace(added$values[[1]], added$counted[[1]] == 0, NA))
}

# The first measure of each group of the first keys, some of them totals. A group whose last key is a total has none: it
# comes last anyway.
prefix_values <- function(facts, keys, measure, levels, rows, detail, codes) {
  out <- rep(NA_real_, length(codes[[1]]))
  shape <- Reduce(function(number, code) number * 2 + (code != total_code), codes, 0)
  for (shape_here in unique(shape)) {
    here <- which(shape == shape_here)
    split <- which(vapply(codes, function(code) code[here[1]] != total_code, NA))
    if (!length(codes) %in% split) next
    level <- Position(function(level) identical(level$split, split), levels)
    group <- if (is.na(level)) {
      split_groups(facts, keys, measure, split, list(codes = detail$codes, values = detail$values[1]))
    } else {
      own <- rows$level == level
      list(codes = lapply(rows$codes[split], function(code) code[own]), values = list(rows$values[[1]][own]))
    }
    mine <- lapply(codes[split], function(code) code[here])
    out[here] <- group$values[[1]][find_groups(mine, group$codes, key_sizes(keys[split]))]
  }
  out
}

# Names are compared byte by byte, so that the order is the same on every machine.
key_ranks <- function(key) {
  if (!is.null(key$places)) {
    return(key$places)
  }
  if (is.factor(key$labels)) {
    return(seq_along(key$labels))
  }
  ranks <- integer(length(key$labels))
  ranks[order(key$labels, method = "radix")] <- seq_along(ranks)
  ranks
}
