# Orders beside lines in the audit. Steps only ever take lines away, so for each order only the last step that one of
# its lines survived is stored. The orders left after a step are those that reached it, and two counts are merged by
# taking the later step.

# `labels` the orders, or NULL where they are the whole numbers from `first` on; `reached` for each its last step, 0 for
# none; `steps` up to which step of the trail that is known.
new_orders <- function(values) {
  if (is_coded(values)) {
    return(list(labels = levels(values), first = 1, reached = integer(nlevels(values)), steps = 0L))
  }
  if (!is.numeric(values) || is.object(values)) {
    return(list(labels = unique(values[!is.na(values)]), first = 1, reached = NULL, steps = 0L))
  }
  whole <- whole_range_kernel(values, threads_wanted())
  # Numbers that follow each other closely are their own codes.
  if (!is.null(whole) && diff(whole) < 4 * length(values) + 1e6) {
    return(list(labels = NULL, first = whole[1], reached = integer(diff(whole) + 1), steps = 0L))
  }
  list(labels = unique(values[!is.na(values)]), first = 1, reached = NULL, steps = 0L)
}

# The orders of some lines have reached a step; `step` is one number, or one for each line.
record_survivors <- function(orders, values, step, rows = NULL) {
  if (is.null(orders)) {
    return(NULL)
  }
  if (is.null(orders$reached)) orders$reached <- integer(length(orders$labels))
  if (!is.null(orders$labels) && !is_coded(values)) {
    values <- match(if (is.null(rows)) values else values[rows], orders$labels)
    rows <- NULL
  }
  orders$reached <- last_step_kernel(orders$reached, values, orders$first, rows, as.integer(step),
                                     threads_wanted())
  orders$steps <- max(orders$steps, as.integer(step))
  orders
}

# Steps that took no line.
record_step <- function(orders) {
  if (!is.null(orders)) {
    orders$reached[orders$reached == orders$steps] <- orders$steps + 1L
    orders$steps <- orders$steps + 1L
  }
  orders
}

# The trail with what is known of orders: from the daybook's step on, where the orders were first told.
count_orders <- function(trail, orders) {
  from <- utils::tail(which(trail$what == "daybook"), 1)
  if (is.null(orders) || length(from) == 0) {
    return(trail)
  }
  steps <- from:max(orders$steps, from)
  left <- length(orders$reached) - cumsum(tabulate(orders$reached + 1L, nrow(trail) + 1L))
  trail$orders_after[steps] <- left[steps]
  trail$orders_before[steps] <- c(left[from], left[steps[-length(steps)]])
  trail
}

# Orders of two trails, whose steps stand together as steps_together() says. A step that only the other took left an
# order's lines as they were.
merge_orders <- function(a, b, together) {
  places <- lapply(together, function(rows) match(seq_len(max(rows, na.rm = TRUE)), rows))
  steps <- length(together[[1]])
  if (is.null(a) || is.null(b) || a$steps != length(places[[1]]) || b$steps != length(places[[2]])) {
    return(NULL)
  }
  sides <- Map(function(orders, at) {
    held <- held_orders(orders)
    until <- c(at[-1] - 1L, steps)
    replace(held, "reached", list(as.integer(until[held$reached])))
  }, list(a, b), unname(places))
  if (is.character(sides[[1]]$labels) != is.character(sides[[2]]$labels)) {
    sides <- lapply(sides, function(side) replace(side, "labels", list(as.character(side$labels))))
  }
  labels <- unique(c(sides[[1]]$labels, sides[[2]]$labels))
  reached <- integer(length(labels))
  for (side in sides) {
    at <- match(side$labels, labels)
    reached[at] <- pmax(reached[at], side$reached)
  }
  list(labels = labels, first = 1, reached = reached, steps = steps)
}

# The orders that there are, each with its label.
held_orders <- function(orders) {
  here <- which(orders$reached > 0)
  list(labels = if (is.null(orders$labels)) orders$first - 1 + here else orders$labels[here], first = 1,
       reached = orders$reached[here], steps = orders$steps)
}
