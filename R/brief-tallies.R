# The one road from a brief's lines to the tallies that its tables ask: parts are read in chunks, each chunk is tallied,
# and the tallies are merged. A store may hold the tallies of parts, and workers may take the parts; nothing else
# depends on these two.

brief_tallies <- function(brief, call = caller_env()) {
  brief <- with_spellings(brief)
  content <- brief$content
  store <- brief$open_store
  wanted <- columns_used(content)
  texts <- columns_of_names(content)
  lines <- file_with_types(content$data$lines, brief, texts, wanted)
  if (is.null(store)) say_progress("Reading %s in chunks and tallying each", lines$shown)
  workers <- start_workers(workers_of(brief), lines, brief)
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
      try_to_store(store, keep_file(store, part, stored_path(store, recipe, part$parts)))
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
