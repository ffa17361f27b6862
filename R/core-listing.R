# A table that is no totals table but was taken from a daybook: it carries what its columns count and the words that belong
# to it, so that no number stands alone.

new_listing <- function(columns, rows, title, about, book, words = NULL) {
  tibble::new_tibble(columns, nrow = rows, class = "hinterfeld_listing", listing = list(
    title = title, columns = about[names(about) %in% names(columns)], currency = book$currency,
    words = c(words, sprintf("Days: %s.", span_words(book)), left_out_words(book))
  ))
}

listing_of <- function(x) {
  if (inherits(x, "hinterfeld_listing")) attr(x, "listing", exact = TRUE)
}

# What is known of the columns of any table that this package made; nothing of a table of the user's own.
known_columns <- function(x) {
  listing <- listing_of(x)
  if (!is.null(listing)) {
    return(listing$columns)
  }
  memory <- memory_of(x)
  if (!is.null(memory$heads)) {
    return(lapply(memory$cells, function(name) known_column(memory, name)))
  }
  names <- value_columns(memory)
  stats::setNames(lapply(names, known_column, memory = memory), names)
}
