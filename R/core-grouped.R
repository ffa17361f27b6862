# Rows that each represent several lines, from a database that has grouped them. The lines of a row differ only in their
# amounts, of which the sum, the smallest and the largest are known. Where lines are counted, a row counts for as many
# as it represents.

# times               how many lines each row represents
# smallest, largest   by column: the least and the greatest amount of its lines, in minor units
new_grouped <- function(times, smallest = list(), largest = list()) {
  list(times = as.double(times), smallest = smallest, largest = largest)
}

# How many lines some rows represent; without groups each is a line. Of all rows where none are named.
lines_among <- function(grouped, rows) {
  if (is.null(grouped)) length(rows) else sum(grouped$times[rows])
}

# The groups of some rows; NULL for all.
grouped_rows <- function(grouped, rows) {
  if (is.null(grouped) || is.null(rows)) grouped else rapply(grouped, function(x) x[rows], how = "replace")
}

# By the names that columns have in a daybook.
grouped_in_roles <- function(grouped, roles) {
  for (kind in c("smallest", "largest")) names(grouped[[kind]]) <- names_in_roles(names(grouped[[kind]]), roles)
  grouped
}

# An amount of rows as that of their lines; a missing one is nobody's.
amount_of_lines <- function(amount, times) {
  if (is.null(times)) {
    return(amount)
  }
  counted <- counted_values_kernel(amount$minor %||% times, times)
  replace(amount, c("minor", "lines"), counted)
}
