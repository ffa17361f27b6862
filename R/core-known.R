# What was found out about columns of facts is found out once. `known` of a daybook has an entry for each column that
# was asked about: the column itself, so that another of its name is never taken for it, and what was found.

known_of <- function(rowset, name) {
  x <- rowset$columns[[name]]
  known <- rowset$known[[name]]
  if (!rlang::is_reference(known$column, x)) {
    known <- list2env(list(column = x), parent = emptyenv())
    if (!is.null(rowset$known)) assign(name, known, envir = rowset$known)
  }
  known
}

# What `find` returns of the column, under a name.
find_once <- function(known, what, find) {
  if (!exists(what, envir = known, inherits = FALSE)) assign(what, find(known$column), envir = known)
  known[[what]]
}

# The different days among days, in their order, without the missing.
known_days <- function(known) {
  find_once(known, "days", function(x) different_days_kernel(x, threads_wanted()))
}

# Is any value missing or infinite?
known_not_finite <- function(known) {
  find_once(known, "not_finite", any_not_finite)
}

# The same of the amounts of a measure, which may be those of a column.
lacks_amounts <- function(m) {
  of_column <- !is.null(m$known) && rlang::is_reference(m$known$column, m$minor)
  if (of_column) known_not_finite(m$known) else any_not_finite(m$minor)
}

# The least and the largest of whole numbers in the memory of integers that lie near each other, so that their distances
# from the least are codes, of which not every one occurs. NULL for any others, and for `most` codes or more.
known_near_numbers <- function(known, most) {
  range <- find_once(known, "range", function(x) if (is.integer(x)) whole_range_kernel(x, threads_wanted()))
  if (!is.null(range) && diff(range) < most) range
}

# The key of a column of facts: a column that had to be coded stays coded.
key_of_facts <- function(rowset, name) {
  known <- known_of(rowset, name)
  c(find_once(known, "key", function(x) key_of_column(name, x)), known = known)
}

# Are the codes of lines the numbers of groups: is none missing, and does every label occur?
codes_are_groups <- function(key) {
  if (is.null(key$lookup)) {
    return(!key_missing(key) && all_occur_kernel(key$codes, length(key$labels)))
  }
  if (!rlang::is_reference(key$known$column, key$codes) || known_not_finite(key$known)) {
    return(FALSE)
  }
  at <- known_days(key$known) - key$first + 1L
  all(at > 0) && setequal(key$lookup[at], seq_along(key$labels))
}

# Is there a line without a label?
key_missing <- function(key) {
  missing <- function(...) any_missing_or_total(key$codes)
  if (rlang::is_reference(key$known$key$codes, key$codes)) find_once(key$known, "missing", missing) else missing()
}
