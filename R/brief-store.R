# A rerun reads only what is new: each part is tallied once, and its tally is kept.

# Where a brief keeps its parts; NULL for nowhere.
store_folder <- function(brief) {
  brief$store %||% if (!is.null(brief$content$store)) brief_path(brief, brief$content$store)
}

# The name of a brief in the index. Other uses of it, such as the desk, have a name of their own.
name_in_store <- function(brief) {
  paste(c(normalizePath(brief$path), brief$purpose), collapse = ", ")
}

# What the figures of a run depend on: the tallies that it uses, and its other inputs; NULL before the lines were read,
# or if they cannot be kept. A change of the brief itself shows in the tables and arguments.
lines_in_store <- function(brief) {
  used <- brief$open_store$used
  if (!is.null(used)) list(used, input_record(brief)$inputs[-1])
}

# The figures of a run belong to its brief.
store_figures <- function(store, brief) {
  name <- name_in_store(brief)
  about <- store$index$briefs[[name]]
  about$figures <- as.list(unique(figures_used()))
  store$index$kept <- c(store$index$kept, about$figures)
  change_index(store, "briefs", name, about)
}

# The parts of the lines, of which those that were looked at before are not looked at again.
open_parts <- function(lines, brief, store, workers, call) {
  if (is.null(store) && is.null(workers)) {
    return(open_brief_file(lines))
  }
  if (!is.null(lines$database)) {
    return(open_parted_table(lines, brief, store, call))
  }
  files <- quietly(source_files(lines$path, call))
  if (!is.null(store)) wait_for_rest(files, call = call)
  columns <- rlang::new_quosure(lines$options$columns, rlang::empty_env())
  options <- rlang::exec(checked_options, !!!lines$options[setdiff(names(lines$options), "columns")])
  asked <- sha256_text(jsonlite::toJSON(list(options, lines$options$columns), auto_unbox = TRUE))
  name_of <- function(file) paste(file_hashes(file, store$hashed), substr(asked, 1, 16))
  former <- function(file) if (!is.null(store)) parse_scan(store$index$scans[[name_of(file)]], file)
  new <- files[vapply(files, function(file) is.null(former(file)), NA)]
  scanned <- scans_by_workers(workers, brief, new, options, lines$options$columns, call)
  open_files(lines$path, columns, options, call, scan = function(kind, file, ...) {
    if (!identical(kind$what, source_kinds$text$what)) {
      return(kind$scan(file, ...))
    }
    if (!file %in% new) {
      return(former(file))
    }
    scan <- scanned[[normalizePath(file)]]
    if (is.null(scan)) scan <- kind$scan(file, ...) else scan[c("path", "stamp")] <- c(file, file_stamps(file))
    if (!is.null(store)) {
      profile <- lapply(scan$profile, function(x) paste(as.integer(x), collapse = " "))
      change_index(store, "scans", name_of(file), list(names = as.list(scan$names), rows = scan$rows,
                                                       profile = profile))
    }
    scan
  })
}

# What a scan found, as the index knows it; NULL where it does not, or not in this form.
parse_scan <- function(saved, file) {
  profile <- c(given = "logical", words = "logical", days = "logical", numbers = "logical", lengths = "integer",
             shorter = "integer")
  if (is.null(saved) || !all(names(profile) %in% names(saved$profile))) {
    return(NULL)
  }
  n <- length(saved$names)
  read <- Map(function(type, text) {
    values <- if (rlang::is_string(text)) suppressWarnings(as.integer(strsplit(text, " ", fixed = TRUE)[[1]]))
    if (length(values) == n) as.vector(values, type)
  }, profile, saved$profile[names(profile)])
  if (any(vapply(read, is.null, NA)) || !is.numeric(saved$rows)) {
    return(NULL)
  }
  list(path = file, names = as.character(unlist(saved$names)), rows = as.double(saved$rows), profile = read)
}

# A hash of everything that a part's tally depends on, apart from the part itself.
recipe_of <- function(brief, store, source, readings) {
  content <- brief$content
  attached <- lapply(content$data$attach, function(step) {
    file <- parse_file_entry(step$table, brief)
    if (!is.null(file$database)) {
      return(whole_table_stamp(database_named(file$database), file$table, function() quietly(read_brief_file(file))))
    }
    as.list(file_hashes(quietly(source_files(file$path)), store$hashed))
  })
  texts <- lapply(readings, function(reading) list(reading$texts, as.character(reading$values)))
  about <- list(
    version = as.character(utils::packageVersion("hinterfeld")), form = c(store_version, tally_version),
    data = content$data, daybook = content$daybook, restrict = content$restrict, attached = attached,
    columns = content$columns, spellings = brief$spellings,
    names = as.list(source$names), plan = as.list(source$plan), options = source$options, readings = texts,
    unpacked = getOption("hinterfeld.unpacked_limit")
  )
  lines <- content$data$lines
  about$data$lines <- if (is.list(lines)) lines[setdiff(names(lines), c("file", "parts", "changed"))]
  sha256_text(jsonlite::toJSON(about, auto_unbox = TRUE, null = "null", digits = NA))
}

# Kept parts that can be used: the largest union of parts that are all there, then those by themselves. For a part that
# lacks something, `others` holds the tallies that other briefs need.
found_parts <- function(store, recipe, hashes, brief) {
  if (is.null(store)) {
    return(list(kept = list(), missing = seq_along(hashes), others = list(), more = FALSE))
  }
  kept <- list()
  held <- character()
  together <- store$index$merged
  together <- together[vapply(together, function(merged) {
    identical(merged$recipe, recipe) && all(unlist(merged$parts) %in% hashes)
  }, NA)]
  if (length(together)) {
    best <- names(together)[which.max(lengths(lapply(together, function(merged) merged$parts)))]
    path <- whole_files(store$folder, best)
    merged <- if (length(path)) with_needs(read_stored(path), unlist(together[[best]]$parts), brief$content)
    if (isTRUE(merged$enough)) {
      kept <- list(merged)
      held <- merged$parts
    }
  }
  missing <- integer()
  others <- list()
  for (i in which(!hashes %in% held)) {
    path <- whole_files(store$folder, basename(stored_path(store, recipe, hashes[i])))
    merged <- if (length(path)) with_needs(read_stored(path), hashes[i], brief$content)
    if (isTRUE(merged$enough)) {
      kept <- c(kept, list(merged))
    } else {
      others[[hashes[i]]] <- merged$tallies[intersect(names(merged$tallies), needs_of_others(store, brief))]
      missing <- c(missing, i)
    }
  }
  list(kept = kept, missing = missing, others = others, more = length(others) > 0)
}

# What is kept of some parts with the tallies that the brief needs, taken of finer ones where they are not held.
# `enough` says whether it has them all; NULL where it is not of these parts.
with_needs <- function(kept, parts, content) {
  if (is.null(kept) || !setequal(kept$parts, parts)) {
    return(NULL)
  }
  if (length(kept$tallies)) {
    needs <- by_need(needs_of_part(kept, content))
    lacking <- setdiff(names(needs), names(kept$tallies))
    kept$tallies[lacking] <- lapply(needs[lacking], tally_of_finer, tallies = kept$tallies, columns = kept$columns)
  }
  missing <- vapply(kept$tallies, is.null, NA)
  kept$tallies <- kept$tallies[!missing]
  kept$enough <- !any(missing)
  kept
}

# The tally that is needed, of the first that holds it; NULL where none does.
tally_of_finer <- function(need, tallies, columns) {
  # What a tally calls by the name of a column need not be its sum.
  need$measures <- lapply(need$measures, function(m) if (rlang::is_string(m)) measure_from_name(m, columns) else m)
  for (tally in Filter(function(tally) all(need$by %in% split_columns(tally)), tallies)) {
    coarser <- tryCatch(quietly(rlang::exec(tally_of, tally, !!!need)), hinterfeld_error = function(cnd) NULL)
    if (!is.null(coarser)) return(coarser)
  }
}

# What the other briefs that keep their parts here need, by what it holds.
needs_of_others <- function(store, brief) {
  others <- store$index$briefs[setdiff(names(store$index$briefs), name_in_store(brief))]
  unlist(lapply(others, function(about) about$needs))
}

# What a run leaves in the store: all parts together, and what of it the brief uses.
store_run <- function(store, brief, recipe, hashes, all, labels, read) {
  if (length(hashes) > 1 && read) store_together(store, recipe, all)
  paths <- vapply(c(as.list(hashes), if (length(hashes) > 1) list(sort(hashes))),
                  function(parts) basename(stored_path(store, recipe, parts)), "")
  store$used <- paths
  change_index(store, "briefs", name_in_store(brief), list(
    used = as.list(unname(paths)), files = stats::setNames(as.list(hashes), labels), figures = list(),
    needs = as.list(names(by_need(needs_of_part(all, brief$content))))
  ))
}

# All parts in one file, so that a rerun reads that and what is new.
store_together <- function(store, recipe, all) {
  all$parts <- sort(all$parts)
  path <- stored_path(store, recipe, all$parts)
  try_to_store(store, {
    keep_file(store, all, path)
    # Smaller unions of the same are of no more use.
    former <- names(store$index$merged)[vapply(store$index$merged, function(merged) {
      identical(merged$recipe, recipe) && all(unlist(merged$parts) %in% all$parts)
    }, NA)]
    former <- setdiff(former, basename(path))
    remove_kept(store, former)
    store$index$merged[former] <- NULL
    change_index(store, "merged", basename(path), list(recipe = recipe, parts = as.list(all$parts)))
  })
}

# What is new since the last run of this brief.
say_parts <- function(store, brief, source, hashes, stored) {
  former <- unlist(store$index$briefs[[name_in_store(brief)]]$files)
  names <- source$labels
  read <- names[stored$missing]
  gone <- setdiff(names(former), names)
  held <- length(names) - length(read)
  new <- setdiff(read, names(former))
  these <- function(parts, what) {
    if (length(parts)) sprintf("%s %s %s.", examples_of(parts), if (length(parts) == 1) "is" else "are", what)
  }
  say("kept", if (!is.null(source$parted)) parts_told(source, brief$content$data$lines$changed),
      sprintf("%s kept, %s to read%s.", count_of(held, "part is", "parts are"), group_digits(length(read)),
              if (length(read) && length(read) < length(names)) paste0(": ", examples_of(read)) else ""),
      if (stored$more) c(i = "The brief now asks for more than was kept, so these parts are read again."),
      i = if (length(former)) these(gone, "gone and no longer counted"), i = if (length(former)) these(new, "new"))
}
