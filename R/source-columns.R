# Columns that come in chunks, put together as they come: text as codes, everything else as numbers.

# A place for this many rows of these columns; `prototypes` are some values of each.
new_columns <- function(prototypes, rows) {
  lapply(prototypes, function(x) {
    if (is.character(x)) {
      list(text = text_column_kernel(rows))
    } else {
      list(numbers = number_column_kernel(rows), attributes = attributes(x), type = typeof(x))
    }
  })
}

# The next chunk, behind `at` rows.
add_chunk <- function(columns, chunk, at) {
  for (name in names(columns)) {
    column <- columns[[name]]
    if (is.null(column$text)) {
      add_numbers_kernel(column$numbers, chunk[[name]], at, threads_wanted())
    } else {
      add_text_kernel(column$text, chunk[[name]], at, threads_wanted())
    }
  }
}

# Each column whole; text is given as codes and the texts they represent.
finished_columns <- function(columns) {
  lapply(columns, function(column) {
    if (!is.null(column$text)) {
      return(coded_text_kernel(column$text))
    }
    x <- column$numbers
    if (column$type == "logical") x <- as.logical(x)
    kept <- column$attributes[setdiff(names(column$attributes), "names")]
    if (length(kept)) attributes(x) <- kept
    x
  })
}

# Codes as text; blanks are missing.
coded_as_text <- function(coded, blank) {
  none <- is.na(coded$labels) | coded$labels %in% c("", blank)
  codes <- coded$codes
  if (any(none)) {
    to <- replace(cumsum(!none), none, NA)
    codes <- recode_kernel(codes, to, NA_integer_, threads_wanted())
  }
  lazy_text(codes, coded$labels[!none])
}
