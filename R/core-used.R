# Which rows of attached tables are used. Where lines come in chunks, each chunk records the rows it uses as bits.

used_rows <- function(why, row, rows) {
  bits <- logical(8 * ceiling(rows / 8))
  bits[row[!is.na(row)]] <- TRUE
  list(why = why, rows = as.double(rows), bits = packBits(bits))
}

both_used <- function(a, b) {
  if (is.null(a) || is.null(b)) {
    return(a %||% b)
  }
  Map(function(one, other) replace(one, "bits", list(one$bits | other$bits)), a, b)
}

# The steps of a trail with what is left over of each table.
count_unused <- function(trail, used) {
  for (one in used) {
    at <- which(trail$what == "attach" & trail$why == one$why)
    trail$unused[at] <- one$rows - sum(as.integer(rawToBits(one$bits)))
  }
  trail
}
