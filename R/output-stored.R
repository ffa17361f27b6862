# Writes kept parts: the tallies of one part or of several for a brief, in one file (source-stored.R reads them). The
# form, all numbers little-endian: the 16 bytes "hinterfeld parts"; the version and the length of the description, 32
# bits each; the description, JSON in UTF-8: the parts, what was read and set aside, the steps; orders as in a tally's
# file; the tallies, each as in a file of its own; the SHA-256 of all before it.

# `kept`: parts, rows, columns, roles, told (trail, orders, coverage, aside) and tallies by what they hold.
stored_bytes <- function(kept) {
  orders <- if (!is.null(kept$chunk_audit$orders)) coded_orders(kept$chunk_audit$orders)
  bodies <- lapply(kept$tallies, tally_bytes)
  about <- list(
    parts = as.list(kept$parts), rows = as.double(kept$rows), columns = as.list(kept$columns),
    roles = as.list(kept$roles), days = day_runs(kept$chunk_audit$coverage[c("seen", "said")]),
    trail = as.list(kept$chunk_audit$trail),
    aside = lapply(as.list(kept$chunk_audit$aside), column_record), orders = orders[c("type", "count", "steps")],
    used = lapply(kept$chunk_audit$used, function(table) table[c("why", "rows")]), tallies = as.list(lengths(bodies))
  )
  text <- charToRaw(plain_json(about))
  numbers <- function(x) writeBin(x, raw(), endian = "little")
  body <- c(charToRaw(store_mark), numbers(store_version), numbers(length(text)), text,
            unlist(lapply(orders$held, function(x) if (is.raw(x)) x else numbers(x)), use.names = FALSE),
            unlist(c(lapply(kept$chunk_audit$used, function(table) table$bits), bodies), use.names = FALSE))
  c(body, sha256_bytes(body))
}

# A column of lines that were set aside: its type and its values as texts that read back as the same.
column_record <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  values <- if (is.character(x)) x else if (is.logical(x)) as.character(x) else number_text(as.double(unclass(x)))
  list(type = label_type(x), values = replace(values, is.na(x), NA))
}

write_stored <- function(kept, path) {
  bytes <- stored_bytes(kept)
  write_whole(path, function(draft) write_bytes(bytes, draft))
}
