# A table that is not a totals table but was taken from facts: it carries what its columns count and what is to be told
# of it, so that no number stands alone.

# `kind` is the function that made it; `found` is what its sentences tell.
new_listing <- function(kind, columns, rows, columns_about, about, details) {
  tibble::new_tibble(columns, nrow = rows, class = "hinterfeld_listing", listing = list(
    kind = kind, columns = columns_about[names(columns_about) %in% names(columns)], about = about, details = details
  ))
}

# Some columns of a table, whose rows they do not tell apart any more.
columns_listing <- function(x, answer) {
  answer["facts"] <- list(NULL)
  new_listing("columns", as.list(as_tibble.hinterfeld_totals(x)), nrow(x), answer$columns, answer$about,
              list(answer = answer))
}

# The columns that a reader is shown, in that order.
shown_columns <- function(t, names, call = caller_env()) {
  check_known(names, names(t), "%s cannot be shown: the table has no such column.", call = call)
  answer <- answer_of(t)
  keys <- c(answer$keys, answer$level)
  if (is.null(answer)) {
    t[names]
  } else if (all(keys %in% names) && has_measure_among(answer, names)) {
    quietly(t[names])
  } else {
    columns_listing(as_tibble.hinterfeld_totals(t)[names], answer)
  }
}

listing_of <- function(x) {
  if (inherits(x, "hinterfeld_listing")) attr(x, "listing", exact = TRUE)
}

# What is known of the columns of any table that this package made; nothing of a table of the user's own.
known_columns <- function(x) {
  listing <- listing_of(x)
  if (!is.null(listing)) listing$columns else answer_of(x)$columns
}
