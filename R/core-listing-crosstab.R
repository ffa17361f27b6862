# The crosstab of a listing.

# Each row of a listing in its cell, which shows its column `of`: by default the names that were picked, or the first.
spread_listing <- function(t, rows, columns, of, call = caller_env()) {
  listing <- listing_of(t)
  keys <- intersect(listing$details$within, names(t))
  if (length(keys) < 2) {
    stop_because("column", "A crosstab needs a table within two columns or more.",
                 x = if (length(keys)) sprintf("This one is within %s.", columns_named(keys)),
                 i = sprintf("Name two in %s.", as_typed("within")), call = call)
  }
  side <- list(rows = pick_columns(rows, keys, "rows", call), columns = pick_columns(columns, keys, "columns", call))
  if (!setequal(unlist(side), keys) || anyDuplicated(unlist(side)) || any(lengths(side) == 0)) {
    stop_because("column", sprintf("`rows` and `columns` must name %s, each once.", columns_named(keys)), call = call)
  }
  shown <- setdiff(names(t), keys)
  of <- if (is.null(of)) c(intersect(listing$details$label, shown), shown)[1] else pick_columns(of, shown, "of", call)
  if (length(of) != 1) stop_because("column", "A cell shows one column.", i = "Name one in `of`.", call = call)
  groups <- lapply(side, function(names) member_groups(t, names))
  codes <- lapply(groups, function(group) group$codes)
  first <- lapply(groups, function(group) group$first)
  every <- lapply(listing$columns[side$columns], function(column) column$every)
  if (length(every) == length(side$columns) && !any(vapply(every, is.null, NA))) {
    first$columns <- first$columns[do.call(order, unname(lapply(as.list(t)[side$columns], `[`, first$columns)))]
  }
  heads <- do.call(paste, c(lapply(side$columns, function(name) {
    shown_values(t[[name]][first$columns], listing$columns[[name]], listing$about$calendar)
  }), sep = " / "))
  cells <- lapply(codes$columns[first$columns], function(column) {
    own <- which(codes$columns == column)
    t[[of]][own[match(codes$rows[first$rows], codes$rows[own])]]
  })
  about <- rep(list(listing$columns[[of]]), length(heads))
  columns <- c(lapply(stats::setNames(nm = side$rows), function(name) t[[name]][first$rows]),
               stats::setNames(cells, heads))
  new_listing("spread", columns, length(first$rows), c(stats::setNames(about, heads), listing$columns), listing$about,
              list(of = of, listing = listing))
}
