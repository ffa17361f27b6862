# The audit: one row per step from reading to restricting. Revenue stays in minor units until it is shown; a step knows
# their decimals, for lines that were made a daybook twice have had two kinds of them.

# `unmatched` and `unused` are told by attaching a table; `merged` is the number of steps that were added up in this
# one. Orders are filled in when they are asked for (core-orders.R).
new_trail <- function(what = character(), why = character(), lines_before = double(), lines_after = double(),
                      revenue_before = NA_real_, revenue_after = NA_real_, decimals = 0L, unmatched = 0, unused = 0) {
  n <- length(what)
  inner_table(list(
    what = what, why = why,
    lines_before = rep_len(as.double(lines_before), n), lines_after = rep_len(as.double(lines_after), n),
    revenue_before = rep_len(as.double(revenue_before), n), revenue_after = rep_len(as.double(revenue_after), n),
    decimals = rep_len(as.integer(decimals), n), unmatched = rep_len(as.double(unmatched), n),
    unused = rep_len(as.double(unused), n), merged = rep_len(1, n), orders_before = rep_len(NA_real_, n),
    orders_after = rep_len(NA_real_, n)
  ), n)
}

add_steps <- function(trail, steps) {
  inner_table(Map(c, trail, steps[names(trail)]), nrow(trail) + nrow(steps))
}

# Trails of lines that were put together, step by step: steps of one name are added up, whatever file they read; a step
# that only one of them took left the other's lines as they were.
merge_trails <- function(a, b, steps = steps_together(a, b)) {
  decimals <- max(a$decimals, b$decimals)
  first <- steps$first
  second <- steps$second
  sides <- list(trail_along(a, first, decimals), trail_along(b, second, decimals))
  sum_of_both <- function(column) sides[[1]][[column]] + sides[[2]][[column]]
  both <- !is.na(first) & !is.na(second)
  why <- ifelse(is.na(first), b$why[second], a$why[first])
  why[both] <- pmin(a$why[first], b$why[second])[both]
  out <- new_trail(ifelse(is.na(first), b$what[second], a$what[first]), why, sum_of_both("lines_before"),
                   sum_of_both("lines_after"),
                   sum_of_both("revenue_before"), sum_of_both("revenue_after"), decimals, sum_of_both("unmatched"))
  # The rows unused by both cannot be derived from the rows unused by each.
  out$unused <- ifelse(both, 0, sum_of_both("unused"))
  out$merged <- sum_of_both("merged")
  out
}

# The steps of two trails in one order: for each the row of either that it is, NA for none.
steps_together <- function(a, b) {
  names <- list(step_names_of(a), step_names_of(b))
  order <- merge_step_order(names[[1]], names[[2]])
  list(first = match(order, names[[1]]), second = match(order, names[[2]]))
}

step_names_of <- function(trail) {
  of_many <- trail$what %in% c("read", "change")
  make.unique(ifelse(of_many, trail$what, paste(trail$what, sub(":.*", "", trail$why))), "\r")
}

# Why a line cannot be used, in the order in which it is looked at.
reasons <- c(
  "blank row", "no day", "day not readable", "no product", "no revenue", "revenue not a number", "too large",
  "units not a number"
)

# Of two steps that no trail has both of, the one that comes first: what cannot be used is set aside before lines are
# kept or left out, also where a chunk has no line that comes so far; and what a condition did not answer follows it.
comes_before <- function(a, b) {
  place <- match(c(a, b), paste("set aside", reasons), length(reasons) + 1L)
  place[grepl("^(read|change|attach|daybook|undecided)", c(a, b))] <- 0L
  if (place[1] == place[2]) a < b else place[1] < place[2]
}

# The steps of both in an order that is that of each.
merge_step_order <- function(a, b) {
  out <- character()
  while (length(a) || length(b)) {
    only_a <- length(a) && !a[1] %in% b
    only_b <- length(b) && !b[1] %in% a
    from_a <- if (only_a && only_b) comes_before(a[1], b[1]) else only_a || length(b) == 0 || !only_b
    next_one <- if (from_a) a[1] else b[1]
    out <- c(out, next_one)
    a <- setdiff(a, next_one)
    b <- setdiff(b, next_one)
  }
  out
}

# The numbers of a trail at the steps `at`; where that is missing, its lines and revenue as they stood.
trail_along <- function(trail, at, decimals) {
  scale <- 10^(decimals - trail$decimals)
  lines <- trail$lines_before[1]
  revenue <- NA_real_
  out <- vector("list", length(at))
  for (i in seq_along(at)) {
    k <- at[i]
    taken <- !is.na(k)
    before <- if (taken) c(trail$lines_before[k], trail$revenue_before[k] * scale[k]) else c(lines, revenue)
    if (taken) {
      lines <- trail$lines_after[k]
      revenue <- trail$revenue_after[k] * scale[k]
    }
    out[[i]] <- c(lines_before = before[1], lines_after = lines, revenue_before = before[2], revenue_after = revenue,
                  unmatched = if (taken) trail$unmatched[k] else 0, unused = if (taken) trail$unused[k] else 0,
                  merged = if (taken) trail$merged[k] else 0)
  }
  as.data.frame(do.call(rbind, out))
}
