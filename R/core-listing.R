# A table that is no totals table but was taken from facts: it carries what its columns count and what is to be told of
# it, so that no number stands alone.

# `kind` is the function that made it; `found` is what its sentences tell.
new_listing <- function(kind, columns, rows, columns_about, about, found) {
  tibble::new_tibble(columns, nrow = rows, class = "hinterfeld_listing", listing = list(
    kind = kind, columns = columns_about[names(columns_about) %in% names(columns)], about = about, found = found
  ))
}

listing_of <- function(x) {
  if (inherits(x, "hinterfeld_listing")) attr(x, "listing", exact = TRUE)
}

# What is known of the columns of any table that this package made; nothing of a table of the user's own.
known_columns <- function(x) {
  listing <- listing_of(x)
  if (!is.null(listing)) listing$columns else answer_of(x)$columns
}
