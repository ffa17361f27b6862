# Kept parts from files of a store (output-stored.R writes them). A file that is damaged, or was written by another
# version, is none: its parts are read again.

store_mark <- "hinterfeld parts"
store_version <- 3L

read_stored <- function(path) {
  damaged <- function(cnd) {
    say("kept_damaged", sprintf("%s is damaged, so its part is read again.", basename(path)), x = conditionMessage(cnd))
    NULL
  }
  # Whatever goes wrong with it, also that another run has just replaced it.
  tryCatch(parse_stored(readBin(path, "raw", file.size(path))), error = damaged)
}

parse_stored <- function(bytes) {
  n <- length(bytes)
  mark <- charToRaw(store_mark)
  check_saved(n > length(mark) + 40 && identical(bytes[seq_along(mark)], mark), "marks")
  read <- byte_reader(bytes, length(mark), n - 32)
  # Another version is not damage, but it cannot be trusted either.
  check_saved(identical(read("integer", 1L), store_version), "versions")
  sum <- sha256_bytes(bytes[seq_len(n - 32L)])
  check_saved(identical(bytes[(n - 31L):n], sum), "checksums")
  about <- description_of(read)
  fields <- c("parts", "rows", "columns", "roles", "days", "trail", "aside", "orders", "used", "tallies")
  check_saved(is.list(about) && setequal(names(about), fields), "fields")
  trail <- parse_trail(about$trail)
  orders <- if (!is.null(about$orders)) parse_orders(about$orders, nrow(trail), read)
  check_saved(is.list(about$used), "tables")
  used <- lapply(unname(about$used), function(table) {
    rows <- number_field(table$rows, 1)
    check_saved(rows >= 0 && rows == round(rows), "tables")
    list(why = text_field(table$why, 1), rows = rows, bits = read("raw", ceiling(rows / 8)))
  })
  check_saved(is.list(about$tallies) && (length(about$tallies) == 0 || rlang::is_named(about$tallies)), "tallies")
  tallies <- lapply(about$tallies, function(size) tally_from_bytes(read("raw", number_field(size, 1))))
  list(
    parts = as.character(text_field(about$parts)), rows = number_field(about$rows, 1),
    columns = as.character(text_field(about$columns)), roles = as.character(text_field(about$roles)),
    # A part without a line that counts covers no day.
    chunk_audit = list(trail = trail, orders = orders,
                coverage = if (length(about$days)) days_of_runs(about$days, c("seen", "said")),
                aside = parse_aside(about$aside), used = if (length(used)) used),
    tallies = tallies
  )
}

parse_aside <- function(columns) {
  if (identical(columns, list())) {
    return(NULL)
  }
  check_saved(is.list(columns) && rlang::is_named(columns), "lines")
  values <- lapply(columns, function(column) {
    check_saved(is.list(column) && setequal(names(column), c("type", "values")) && is.list(column$values), "lines")
    values <- vapply(column$values, function(x) if (is.null(x)) NA_character_ else as.character(x), "")
    values_of_type(values, text_field(column$type, 1))
  })
  check_saved(length(unique(lengths(values))) <= 1, "lines")
  inner_table(values, if (length(values)) length(values[[1]]) else 0L)
}
