# Where a table's lines came from: carried as an attribute, and only trusted while the table still has the rows it had.

# `places`: the files in order, each with how many lines of it are here (`rows`), how many stand before these in it
# (`before`), and which of its lines are empty. `at`: for each line its number among all of these; NULL where that is
# its own. `marks`: the decimal marks of its texts. `aside`: what was set aside before. `alike`: names that represent
# several (core-shared-names.R). `grouped`: how many lines each row represents, where that is not one
# (core-grouped.R). `used`: of attached tables, the rows that some line has, where lines come in chunks
# (core-used-rows.R).
set_origin <- function(table, places, trail, marks = NULL, aside = NULL, at = NULL, alike = NULL, grouped = NULL,
                       used = NULL) {
  attr(table, "hinterfeld_origin") <- list(places = places, at = at, rows = nrow(table), trail = trail, marks = marks,
                                           aside = aside, alike = alike, grouped = grouped, used = used)
  table
}

# The same origin for a table that was made of another, with more steps.
hand_on_origin <- function(table, origin, steps, marks = origin$marks) {
  set_origin(table, origin$places, add_steps(origin$trail, steps), marks, origin$aside, origin$at, origin$alike,
             origin$grouped, origin$used)
}

# Which lines these are: where they came from, how many they are, and the first and last of them. Tallies of the same
# lines are told by it.
lines_id <- function(columns, places, revenue) {
  n <- length(columns$day)
  ends <- unique(c(seq_len(min(n, 500L)), seq(max(1L, n - 499L), length.out = min(n, 500L))))
  some <- lapply(columns, function(x) if (is_coded(x)) levels(x)[x[ends]] else unclass(x)[ends])
  rlang::hash(list(places$file, places$before, places$rows, n, revenue, some))
}

new_places <- function(file, rows, before = 0, empty = list(NULL)) {
  inner_table(list(file = file, rows = as.double(rows), before = rep_len(as.double(before), length(file)),
                   empty = rep_len(empty, length(file))), length(file))
}

origin_of <- function(table) {
  origin <- attr(table, "hinterfeld_origin", exact = TRUE)
  if (is.null(origin)) {
    return(list(places = new_places(NA_character_, nrow(table)),
                trail = new_trail("read", "a table in memory", 0, nrow(table))))
  }
  if (origin$rows != nrow(table)) {
    changed <- new_trail("change", "rows changed outside the daybook", origin$rows, nrow(table))
    origin <- replace(origin, c("places", "trail", "at"),
                      list(new_places(NA_character_, nrow(table)), add_steps(origin$trail, changed), NULL))
    origin["grouped"] <- list(NULL)
  }
  origin
}

# File and row of some lines: the first row below a file's heading is 1, and empty lines are counted.
line_places <- function(lines, origin) {
  lines <- if (is.null(origin$at)) lines else origin$at[lines]
  places <- origin$places
  starts <- cumsum(c(0, places$rows))
  file_at <- pmin(findInterval(lines - 1, starts), nrow(places))
  row <- as.integer(lines - starts[file_at] + places$before[file_at])
  for (i in unique(file_at)) row[file_at == i] <- file_rows(row[file_at == i], places$empty[[i]])
  list(file = places$file[file_at], row = row)
}

# Rows as they are counted in their file, from 1 below the heading, empty lines counted too. `empty` are the places of
# these among all lines.
file_rows <- function(rows, empty) {
  if (length(empty) == 0) {
    return(rows)
  }
  before <- empty - seq_along(empty)
  place <- function(record) record + findInterval(record - 1, before)
  as.integer(place(rows + 1) - place(1))
}
