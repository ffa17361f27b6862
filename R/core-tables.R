# Tables as R knows them. What a user gets is a tibble; tibble itself takes a quarter of a second to load, which a
# command need not spend on tables that nobody works with.

tibble_class <- c("tbl_df", "tbl", "data.frame")

# A table that only the package sees.
inner_table <- function(columns, n) {
  attributes(columns) <- list(names = as.character(names(columns)), row.names = .set_row_names(n),
                              class = "data.frame")
  columns
}

# The same as a tibble, ready for whatever is done with it.
outer_table <- function(x) {
  if (!isNamespaceLoaded("tibble")) loadNamespace("tibble")
  class(x) <- tibble_class
  x
}
