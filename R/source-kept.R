# Kept parts from files (output-kept.R writes them). A file that is damaged, or was written by another version, is none:
# its parts are read again.

kept_mark <- "hinterfeld parts"
kept_version <- 3L

read_kept <- function(path) {
  damaged <- function(cnd) {
    say("kept_damaged", c(sprintf("%s is damaged, so its part is read again.", basename(path)),
                          x = conditionMessage(cnd)))
    NULL
  }
  # Whatever goes wrong with it, also that another run has just replaced it.
  tryCatch(kept_from(readBin(path, "raw", file.size(path))), error = damaged)
}

kept_from <- function(bytes) {
  n <- length(bytes)
  mark <- charToRaw(kept_mark)
  must(n > length(mark) + 40 && identical(bytes[seq_along(mark)], mark), "marks are")
  read <- byte_reader(bytes, length(mark), n - 32)
  # Another version is not damage, but it cannot be trusted either.
  must(identical(read("integer", 1L), kept_version), "versions are")
  sum <- digest::digest(bytes[seq_len(n - 32L)], algo = "sha256", serialize = FALSE, raw = TRUE)
  must(identical(bytes[(n - 31L):n], sum), "checksums are")
  about <- description_of(read)
  fields <- c("parts", "rows", "columns", "roles", "days", "trail", "aside", "orders", "used", "tallies")
  must(is.list(about) && setequal(names(about), fields), "fields are")
  trail <- trail_from(about$trail)
  orders <- if (!is.null(about$orders)) orders_from(about$orders, nrow(trail), read)
  must(is.list(about$used), "tables are")
  used <- lapply(unname(about$used), function(one) {
    rows <- number_field(one$rows, 1)
    must(rows >= 0 && rows == round(rows), "tables are")
    list(why = text_field(one$why, 1), rows = rows, bits = read("raw", ceiling(rows / 8)))
  })
  must(is.list(about$tallies) && (length(about$tallies) == 0 || rlang::is_named(about$tallies)), "tallies are")
  tallies <- lapply(about$tallies, function(size) tally_from_bytes(read("raw", number_field(size, 1))))
  list(
    parts = as.character(text_field(about$parts)), rows = number_field(about$rows, 1),
    columns = as.character(text_field(about$columns)), roles = as.character(text_field(about$roles)),
    told = list(trail = trail, orders = orders, coverage = days_of_runs(about$days, c("seen", "said")),
                aside = aside_from(about$aside), used = if (length(used)) used),
    tallies = tallies
  )
}

aside_from <- function(columns) {
  must(is.list(columns) && rlang::is_named(columns), "lines are")
  values <- lapply(columns, function(column) {
    must(is.list(column) && setequal(names(column), c("type", "values")) && is.list(column$values), "lines are")
    values <- vapply(column$values, function(x) if (is.null(x)) NA_character_ else as.character(x), "")
    values_of_type(values, text_field(column$type, 1))
  })
  must(length(unique(lengths(values))) <= 1, "lines are")
  tibble::new_tibble(values, nrow = if (length(values)) length(values[[1]]) else 0L)
}
