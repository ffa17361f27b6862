# Which rows of attached tables are used. Where lines come in chunks, each chunk records the rows it uses as bits.

used_rows <- function(why, row, rows) {
  bits <- logical(8 * ceiling(rows / 8))
  bits[row[!is.na(row)]] <- TRUE
  list(why = why, rows = as.double(rows), bits = packBits(bits))
}

merge_used_rows <- function(a, b) {
  if (is.null(a) || is.null(b)) {
    return(a %||% b)
  }
  Map(function(mine, other) replace(mine, "bits", list(mine$bits | other$bits)), a, b)
}

# The steps of a trail with what is left over of each table.
count_unused <- function(trail, used) {
  for (table in used) {
    at <- which(trail$what == "attach" & trail$why == table$why)
    trail$unused[at] <- table$rows - sum(as.integer(rawToBits(table$bits)))
  }
  trail
}
