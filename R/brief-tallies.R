# The one road from a brief's lines to the tallies that its tables ask: parts are read in chunks, each chunk is tallied,
# and the tallies are merged. A store may hold the tallies of parts, and workers may take the parts; nothing else
# depends on these two.

brief_tallies <- function(brief, call = caller_env()) {
  content <- brief$content
  store <- brief$open_store
  wanted <- columns_used(content)
  texts <- columns_of_names(content)
  lines <- file_with_types(content$data$lines, brief, texts, wanted)
  if (is.null(store)) say_progress("Reading %s in chunks and tallying each", lines$shown)
  workers <- start_workers(workers_of(brief), lines)
  on.exit(stop_workers(workers))
  source <- open_parts(lines, brief, store, workers, call)
  on.exit(close_source(source), add = TRUE)
  hashes <- part_names(store, source)
  open <- names(source$plan)[source$plan == "open"]
  if (length(open)) {
    if (!is.null(store)) {
      say("kept_open",
          sprintf("Every part must be read: the type of %s can only be told from all of its values.",
                  columns_named(open)), i = "Set its type with `types` to avoid this.")
    }
    source <- in_runs(real_scans(source), seq_along(source$scans))
  }
  readings <- open_readings(source, call)
  recipe <- if (!is.null(store)) recipe_of(brief, store, source, readings)
  stored <- found_parts(store, recipe, hashes, brief)
  if (!is.null(store)) say_parts(store, brief, source, hashes, stored)
  merged <- new_parts_merger(hashes, source$labels)
  for (part in stored$kept) merged$put(part)
  source <- in_runs(source, stored$missing)
  take_parts(workers, brief, source, stored$missing, hashes, readings, function(part) {
    if (!is.null(store)) {
      part$tallies <- c(part$tallies, stored$others[[part$parts]])
      try_to_store(store, write_stored(part, stored_path(store, recipe, part$parts)))
    }
    merged$put(part)
  }, call)
  all <- merged$all()
  if (!is.null(store)) store_run(store, brief, recipe, hashes, all, source$labels, length(stored$missing) > 0)
  if (length(stored$missing)) say_attached(all$chunk_audit$trail)
  tallies_of_parts(all, brief, source, call)
}

# Each missing part counted, by this process or by workers; `use` is given each as it comes.
take_parts <- function(workers, brief, source, missing, hashes, readings, use, call) {
  if (length(missing) == 0) {
    return()
  }
  if (!is.null(workers)) {
    return(parts_by_workers(workers, brief, real_scans(source, missing, call), missing, hashes, readings, use, call))
  }
  ways <- ways_of_brief(brief, attached_tables(brief, columns_of_names(brief$content), columns_used(brief$content)))
  for (k in seq_along(missing)) {
    part <- counted_part(source, missing[k], hashes[missing[k]], ways, readings, call)
    if (length(missing) > 1) {
      say_progress("%s (%d of %d, %s)", source$labels[missing[k]], k, length(missing), count_of(part$rows, "line"))
    }
    use(part)
  }
}

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

# As the tallies of all lines at once.
tallies_of_parts <- function(all, brief, source, call) {
  content <- brief$content
  all$chunk_audit$day_rules <- unlist(lapply(content$restrict, function(rule) {
    quo <- brief_quo(rule$keep %||% rule$leave_out)
    day_conditions(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), !is.null(rule$keep), all$columns, "day")
  }), recursive = FALSE)
  finished <- finished_tallies(all$tallies, all$chunk_audit, source$shown, call)
  needs <- needs_of_part(all, content)
  stats::setNames(finished[vapply(needs, need_name, "")], names(needs))
}

# Reports lines without a match, summed over all chunks.
say_attached <- function(trail) {
  steps <- trail[trail$what == "attach" & trail$unmatched > 0, ]
  for (i in seq_len(nrow(steps))) {
    say("attach", sprintf("%s: %s without a match.", steps$why[i], count_of(steps$unmatched[i], "line")))
  }
}
