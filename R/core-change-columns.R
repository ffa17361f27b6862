# The columns of a change.

change_columns <- function(t, of, compared, plan) {
  measure <- answer_of(t)$measures[[of]]
  earlier <- nothing_to_zero(measure, compared$earlier)
  # Rows of totals over all periods have no earlier one.
  for_rows <- function(of_period, total) recode_kernel(compared$period, of_period, total, threads_wanted())
  unknown <- for_rows(plan$unknown, TRUE)
  words <- c("full", "to_date", "none")
  comparable <- lazy_text(for_rows(match(plan$comparable, words), 3L), words)
  change_values(derive_values(t, of)$values, earlier, unknown, comparable, measure)
}

directions <- c("up", "down", "level", "new", "gone", "unknown")

# Each column with what it is. What is unknown has no earlier value.
change_values <- function(now, earlier, unknown, comparable, measure) {
  decimals <- measure$decimals
  show <- function(x) if (is.null(decimals)) x else from_minor(x, decimals)
  found <- change_kernel(as.double(now), as.double(earlier), unknown, threads_wanted())
  list(
    before = list(values = show(found$earlier), counts = measure$counts, decimals = decimals),
    change = list(values = show(found$difference), counts = measure$counts, decimals = decimals, signed = TRUE),
    pct = list(values = found$part, counts = "percent", signed = TRUE),
    direction = list(values = lazy_text(found$direction, directions), counts = "class"),
    comparable = list(values = comparable, counts = "class")
  )
}

# What the sentence about a change tells: the days compared for the last period, and how many rows are special.
change_told <- function(columns, plan) {
  last <- plan$periods[[1]]
  earlier <- c(plan$earlier$start[last], plan$earlier$end[last])
  c(list(last = if (!is.na(earlier[1])) list(now = c(plan$starts[last], plan$ends[last]), before = earlier)),
    direction_counts(columns))
}

direction_counts <- function(columns) {
  direction <- distinct_codes(columns$direction$values)
  as.list(stats::setNames(tabulate(direction$codes, length(directions)), directions))[c("unknown", "new", "gone")]
}
