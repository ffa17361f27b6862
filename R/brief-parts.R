# A part of the lines, or a range of one, counted into the tallies that are needed, and counted parts merged.

# How lines become a daybook, and a daybook the tallies that the brief needs.
ways_of_brief <- function(brief, tables) {
  # A table of a database cannot be fetched while the lines are.
  force(tables)
  needs <- NULL
  list(make = function(lines) quietly(book_of_lines(lines, tables, brief)), take = function(book) {
    if (is.null(needs)) needs <<- by_need(brief_needs(brief$content, book))
    lapply(needs, function(need) quietly(rlang::exec(tally_of, book, !!!need)))
  })
}

# What a part is known by: what it holds and what it is called, for lines that are set aside tell their file. Files that
# share both, in two folders, are still two parts.
part_names <- function(store, source) {
  known <- source$stamps %||% if (is.null(store)) seq_along(source$scans) else file_hashes(source$files, store$hashed)
  both <- paste(known, source$labels)
  make.unique(substr(sha256_text(both), 1, 36), "-")
}

# Scans parts that are known only from the index, as reading needs more than that.
real_scans <- function(source, which = seq_along(source$scans), call = caller_env()) {
  for (i in which) {
    if (is.null(source$scans[[i]]$stretches) && identical(source$kind$what, source_kinds$text$what)) {
      source$scans[[i]] <- source$kind$scan(source$files[i], source$options, call, source$names)
    }
  }
  source
}

# The lines of one part, counted.
counted_part <- function(source, i, hash, ways, readings, call) {
  source <- real_scans(source, i, call)
  part <- source
  part[c("labels", "scans", "rows")] <- list(source$labels[i], source$scans[i], source$rows[i])
  about <- NULL
  chunks <- tallied_chunks(part, ways$make, function(book) {
    about <<- list(columns = names(book$columns), roles = names(book$roles))
    ways$take(book)
  }, readings, call)
  list(parts = hash, rows = part$rows, columns = about$columns %||% character(), roles = about$roles %||% character(),
       chunk_audit = chunks$chunk_audit, tallies = lapply(chunks$tallies, without_steps))
}

# The steps stand beside the tallies, once.
without_steps <- function(tally) {
  tally["orders"] <- list(NULL)
  tally
}

# Several parts as one, merged as they come.
new_parts_merger <- function(hashes, labels) {
  merger <- new_merger(merge_stored_parts)
  asides <- NULL
  # Lines that were set aside are shown in the order of their files.
  in_order <- function(aside) {
    if (NROW(aside)) utils::head(aside[order(match(aside$file, labels), aside$row), ], max_aside)
  }
  list(put = function(part) {
    asides <<- in_order(merge_asides(asides, part$chunk_audit$aside))
    merger$put(part)
  }, all = function() {
    all <- merger$all()
    all$parts <- hashes
    all$chunk_audit["aside"] <- list(asides)
    all
  })
}

merge_stored_parts <- function(a, b) {
  held <- intersect(names(a$tallies), names(b$tallies))
  tallies <- if (length(a$tallies) == 0) b$tallies else if (length(b$tallies) == 0) a$tallies else
    Map(joined_tallies, a$tallies[held], b$tallies[held])
  list(parts = c(a$parts, b$parts), rows = a$rows + b$rows,
       columns = if (length(a$columns)) a$columns else b$columns, roles = if (length(a$roles)) a$roles else b$roles,
       chunk_audit = merge_chunk_audits(a$chunk_audit, b$chunk_audit), tallies = tallies)
}
