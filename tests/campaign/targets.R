# Random targets of a table's rows, some of them of a member without a line, and what is due of them, day by day.

check_targets <- function(t, shape, o) {
  of <- names(Filter(function(m) m$kind %in% c("sum", "lines"), shape$measures))
  if (chance(0.5) || length(shape$every) > 1 || isTRUE(shape$every %in% recurring_names) || length(of) == 0 ||
      nrow(t) == 0) {
    return()
  }
  of <- pick(of)
  keys <- shape$names
  level <- if (length(shape$splits) > 1) as.integer(t$level) else rep(1L, nrow(t))
  whole <- as.data.frame(t)[level == 1, keys, drop = FALSE]
  targets <- whole[sort(sample(nrow(whole), ceiling(nrow(whole) * pick(c(0.3, 0.9, 1))))), , drop = FALSE]
  text <- intersect(keys, c("product", "region", "place", "order"))
  if (length(text) && chance(0.4)) {
    stranger <- targets[1, , drop = FALSE]
    stranger[[text[1]]] <- "No such one"
    targets <- rbind(targets, stranger)
  }
  targets$target <- sample(c(-5, 0, 0.015, 1, 250.55, 10000), nrow(targets), replace = TRUE)
  scale <- attr(t, "answer")$columns[[of]]$decimals
  minor <- function(x) {
    made <- round(x * 10^scale, 6)
    sign(made) * floor(abs(made) + 0.5)
  }
  part <- covered_part(targets, shape, o)
  targets$due <- minor(minor(targets$target) / 10^scale * part) / 10^scale
  targets$target_minor <- minor(targets$target) / 10^scale
  x <- suppressMessages(add_target(t, targets[c(keys, "target")], of = of, name = "plan"))
  own <- if (length(shape$splits) > 1) as.integer(x$level) else rep(1L, nrow(x))
  named <- function(rows, columns) {
    do.call(paste, c(list(rep("", nrow(rows))), lapply(rows[columns], as.character), sep = "\r"))
  }
  kept <- targets[!is.na(part), , drop = FALSE]
  unplanned <- own == 1 & !named(x, keys) %in% named(kept, keys) & x[[of]] != 0
  for (i in seq_along(shape$splits)) {
    split <- shape$splits[[i]]
    at <- named(x[own == i, ], split)
    bad <- at %in% named(x[unplanned, ], split)
    for (column in c("target", "due")) {
      value <- tapply(kept[[sub("target", "target_minor", column)]], factor(named(kept, split), unique(at)), sum)
      expected <- replace(as.vector(value)[match(at, unique(at))], bad, NA)
      told <- x[[paste0("plan_", column)]][own == i]
      if (!identical(is.na(told), is.na(expected)) || any(abs(told - expected) > 10^-scale / 4, na.rm = TRUE)) {
        differ("plan_%s of level %d: %s, expected %s", column, i, toString(utils::head(told, 6)),
               toString(utils::head(expected, 6)))
      }
    }
  }
  lacking <- setdiff(named(kept, keys), named(x[own == 1, ], keys))
  if (length(lacking)) differ("targets without a row: %s", lacking[1])
  if (nrow(x) < nrow(t)) differ("rows are gone")
  difference <- x$plan_difference - (x[[of]] - x$plan_due)
  if (any(abs(difference) > 10^-scale / 4, na.rm = TRUE)) differ("a difference that is none")
}

# The part of each target's period that is covered; NA if no day is.
covered_part <- function(targets, shape, o) {
  if (length(shape$every) == 0) {
    return(rep(1, nrow(targets)))
  }
  starts <- targets[[shape$every]]
  # Beside totals periods are texts.
  if (is.character(starts)) starts <- as.Date(starts)
  nexts <- next_starts(starts, shape$every, o$made$calendar)
  vapply(seq_along(starts), function(i) {
    days <- seq(starts[i], nexts[i] - 1, by = 1)
    open <- !closed_on(o$made$calendar, days)
    held <- days %in% o$covered | days %in% o$early
    # A period without an open day is due as soon as it begins.
    if (!any(days %in% o$covered)) NA else if (any(open)) sum(held & open) / sum(open) else 1
  }, 0)
}
