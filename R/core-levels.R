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
    stop_because("argument", c(
      "`subtotals` must be TRUE or name columns of the table.",
      x = if (length(wrong)) sprintf("It names %s.", columns_named(wrong)),
      i = sprintf("The choices are %s.", examples_of(c(names, "Total"), 20))
    ), call = call)
  }
  which(names %in% columns)
}

# The rows of all levels: codes per key (0 missing, -1 Total), values per measure, level.
level_rows <- function(book, keys, measures, levels, detail) {
  if (length(levels) == 1) {
    return(c(detail, list(level = rep(1L, max(lengths(c(detail$codes, detail$values)))))))
  }
  parts <- lapply(seq_along(levels), function(i) {
    split <- levels[[i]]$split
    result <- if (i == 1) detail else split_groups(book, keys, measures, split, detail)
    n <- max(lengths(c(result$codes, result$values)))
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

# Measures split by some of the keys only: added up from the detail where that is what was asked for
# or comes to the same, taken again from the lines otherwise.
split_groups <- function(book, keys, measures, split, detail) {
  part <- Map(function(key, codes) new_key(key$name, codes, key$labels), keys, detail$codes)[split]
  rows <- length(detail$values[[1]])
  up <- vapply(measures, function(m) adds_up(m) || m$margin == "add_up", NA)
  amounts <- if (any(up)) lapply(detail$values[up], function(value) new_amount("sum", value)) else list(new_amount("count"))
  added <- tally_lines(rows, part, amounts)
  values <- vector("list", length(measures))
  values[up] <- added$values[seq_len(sum(up))]
  if (!all(up)) {
    again <- measure_groups(book, keys[split], measures[!up])
    sizes <- vapply(keys[split], function(key) length(key$labels), 0L)
    at <- match(code_numbers(added$codes, sizes), code_numbers(again$codes, sizes))
    values[!up] <- lapply(again$values, function(value) value[at])
  }
  list(codes = added$codes, values = values)
}

# Periods ascending; then, key by key, the group's own first measure from the highest and its name.
# A subtotal stands below its group.
row_order <- function(book, keys, measures, levels, rows, detail, periods) {
  if (length(levels) == 1 && length(keys) == periods + 1) {
    return(detail_order(keys, rows, periods))
  }
  columns <- list()
  for (k in seq_along(keys)) {
    codes <- rows$codes[[k]]
    total <- codes == total_code
    if (k > periods) {
      columns <- c(columns, list(total, -prefix_values(book, keys, measures[1], levels, rows, detail, k)))
    }
    rank <- key_ranks(keys[[k]])[replace(codes, codes <= 0, NA)]
    columns <- c(columns, list(total, rank))
  }
  if (length(columns) == 0) seq_along(rows$level) else do.call(order, c(columns, method = "radix"))
}

# The same for rows without subtotals and with one key besides the period: periods are scopes.
detail_order <- function(keys, rows, periods) {
  member <- keys[[periods + 1]]
  codes <- rows$codes[[periods + 1]]
  tie <- recode_kernel(present_codes(codes), key_ranks(member), length(member$labels) + 1L, threads_wanted())
  scope <- if (periods == 1) rows$codes[[1]] else rep(1L, length(tie))
  scopes <- if (periods == 1) length(keys[[1]]$labels) else 1L
  order_kernel(scope, scopes, as.double(rows$values[[1]]), tie, TRUE, threads_wanted())
}

# Codes with NA for missing, as recode_kernel() takes them.
present_codes <- function(codes) {
  if (length(codes) && min(codes) > 0L) codes else replace(codes, codes <= 0L, NA)
}

# For each row, the first measure of the group that its first k keys make.
prefix_values <- function(book, keys, measure, levels, rows, detail, k) {
  out <- rep(NA_real_, length(rows$level))
  for (i in seq_along(levels)) {
    split <- levels[[i]]$split
    here <- rows$level == i
    if (!k %in% split) next
    prefix <- split[split <= k]
    if (identical(prefix, split)) {
      out[here] <- rows$values[[1]][here]
      next
    }
    group <- split_groups(book, keys, measure, prefix, list(codes = detail$codes, values = detail$values[1]))
    sizes <- vapply(keys[prefix], function(key) length(key$labels), 0L)
    mine <- lapply(rows$codes[prefix], function(code) code[here])
    out[here] <- group$values[[1]][match(code_numbers(mine, sizes), code_numbers(group$codes, sizes))]
  }
  out
}

# Names are compared byte by byte, so that the order is the same on every machine.
key_ranks <- function(key) {
  if (is.factor(key$labels)) {
    return(seq_along(key$labels))
  }
  ranks <- integer(length(key$labels))
  ranks[order(key$labels, method = "radix")] <- seq_along(ranks)
  ranks
}
