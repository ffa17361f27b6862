# A rerun reads only what is new: each part is tallied once, and its tally is kept.

# Where a brief keeps its parts; NULL for nowhere.
store_folder <- function(brief) {
  brief$store %||% if (!is.null(brief$content$store)) brief_path(brief, brief$content$store)
}

# The name of a brief in the index. Other uses of it, such as the desk, have a name of their own.
name_in_store <- function(brief) {
  paste(c(normalizePath(brief$path), brief$purpose), collapse = ", ")
}

# The tallies that a brief's tables ask, from kept parts and from those that had to be read.
stored_tallies <- function(brief, store, call = caller_env()) {
  content <- brief$content
  texts <- columns_of_names(content)
  wanted <- columns_used(content)
  lines <- file_with_types(content$data$lines, brief, texts, wanted)
  source <- open_parts(lines, brief, store, call)
  on.exit(close_source(source))
  hashes <- part_names(store, source)
  open <- any(source$plan == "open")
  if (open) {
    say("kept_open",
        sprintf("Every part must be read: the type of %s can only be told from all of its values.",
                columns_named(names(source$plan)[source$plan == "open"])),
        i = "Set its type with `types` to avoid this.")
    source <- in_runs(real_scans(source), seq_along(source$scans))
  }
  readings <- open_readings(source, call)
  recipe <- recipe_of(brief, store, source, readings)
  tables <- NULL
  needs <- NULL
  make <- function(lines) quietly(book_of_lines(lines, tables, brief))
  take <- function(book) {
    if (is.null(needs)) needs <<- by_need(brief_needs(content, book))
    lapply(needs, function(need) quietly(rlang::exec(tally_of, book, !!!need)))
  }
  stored <- found_parts(store, recipe, hashes, brief)
  say_parts(store, brief, source, hashes, stored)
  source <- in_runs(source, stored$missing)
  if (length(stored$missing)) tables <- attached_tables(brief, texts, wanted)
  read <- lapply(stored$missing, function(i) {
    kept <- counted_part(source, i, hashes[i], make, take, readings, call)
    kept$tallies <- c(kept$tallies, stored$others[[hashes[i]]])
    try_to_store(store, write_stored(kept, stored_path(store, recipe, hashes[i])))
    kept
  })
  all <- merged_parts(c(stored$kept, read), hashes, source$labels)
  if (length(hashes) > 1 && length(read)) store_together(store, recipe, all)
  used <- c(basename(stored_path(store, recipe, hashes[1])),
            vapply(hashes[-1], function(hash) basename(stored_path(store, recipe, hash)), ""),
            if (length(hashes) > 1) basename(stored_path(store, recipe, sort(hashes))))
  change_index(store, "briefs", name_in_store(brief), list(
    used = as.list(unname(used)), files = stats::setNames(as.list(hashes), source$labels), figures = list(),
    needs = as.list(names(by_need(needs_of_stored(all, content))))
  ))
  tallies_of_stored(all, brief, source, call)
}

# What a part is known by: what it holds and what it is called, for lines that are set aside tell their file. Files that
# share both, in two folders, are still two parts.
part_names <- function(store, source) {
  both <- paste(source$stamps %||% file_hashes(source$files, store$hashed), source$labels)
  names <- vapply(both, digest::digest, "", algo = "sha256", serialize = FALSE, USE.NAMES = FALSE)
  make.unique(substr(names, 1, 36), "-")
}

# The figures of a run belong to its brief.
store_figures <- function(store, brief) {
  name <- name_in_store(brief)
  about <- store$index$briefs[[name]]
  about$figures <- as.list(unique(figures_used()))
  change_index(store, "briefs", name, about)
}

# The parts of the lines, of which those that were looked at before are not looked at again.
open_parts <- function(lines, brief, store, call) {
  if (!is.null(lines$database)) {
    return(open_stored_table(lines, brief, store, call))
  }
  wait_for_rest(quietly(source_files(lines$path, call)), call = call)
  columns <- rlang::new_quosure(lines$options$columns, rlang::empty_env())
  options <- rlang::exec(checked_options, !!!lines$options[setdiff(names(lines$options), "columns")])
  asked <- digest::digest(as.character(jsonlite::toJSON(list(options, lines$options$columns), auto_unbox = TRUE)),
                          "sha256", serialize = FALSE)
  open_files(lines$path, columns, options, call, scan = function(kind, file, ...) {
    if (!identical(kind$what, source_kinds$text$what)) {
      return(kind$scan(file, ...))
    }
    name <- paste(file_hashes(file, store$hashed), substr(asked, 1, 16))
    former <- parse_scan(store$index$scans[[name]], file)
    if (!is.null(former)) {
      return(former)
    }
    scan <- kind$scan(file, ...)
    profile <- lapply(scan$profile, function(x) paste(as.integer(x), collapse = " "))
    change_index(store, "scans", name, list(names = as.list(scan$names), rows = scan$rows, profile = profile))
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

# Scans parts that are known only from the index, as reading needs more than that.
real_scans <- function(source, which = seq_along(source$scans), call = caller_env()) {
  for (i in which) {
    if (is.null(source$scans[[i]]$stretches) && identical(source$kind$what, source_kinds$text$what)) {
      source$scans[[i]] <- source$kind$scan(source$files[i], source$options, call, source$names)
    }
  }
  source
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
    names = as.list(source$names), plan = as.list(source$plan), options = source$options, readings = texts,
    unpacked = getOption("hinterfeld.unpacked_limit")
  )
  lines <- content$data$lines
  about$data$lines <- if (is.list(lines)) lines[setdiff(names(lines), c("file", "parts", "changed"))]
  digest::digest(as.character(jsonlite::toJSON(about, auto_unbox = TRUE, null = "null", digits = NA)), "sha256",
                 serialize = FALSE)
}

# Needs by what they hold, each once; the tables that share one share its tally.
by_need <- function(needs) {
  names <- vapply(needs, need_name, "")
  stats::setNames(needs, names)[!duplicated(names)]
}

need_name <- function(need) {
  flat <- rapply(need, function(x) {
    if (rlang::is_quosure(x)) expression_source(rlang::quo_get_expr(x)) else as.character(x)
  }, how = "unlist")
  digest::digest(paste(names(flat), flat, collapse = "\n"), "sha256", serialize = FALSE)
}

# Kept parts that can be used: the largest union of parts that are all there, then those by themselves. For a part that
# lacks something, `others` holds the tallies that other briefs need.
found_parts <- function(store, recipe, hashes, brief) {
  kept <- list()
  held <- character()
  together <- store$index$merged
  together <- together[vapply(together, function(merged) {
    identical(merged$recipe, recipe) && all(unlist(merged$parts) %in% hashes)
  }, NA)]
  if (length(together)) {
    best <- names(together)[which.max(lengths(lapply(together, function(merged) merged$parts)))]
    path <- file.path(store$folder, best)
    merged <- if (file.exists(path)) with_needs(read_stored(path), unlist(together[[best]]$parts), brief$content)
    if (isTRUE(merged$enough)) {
      kept <- list(merged)
      held <- merged$parts
    }
  }
  missing <- integer()
  others <- list()
  for (i in which(!hashes %in% held)) {
    path <- stored_path(store, recipe, hashes[i])
    merged <- if (file.exists(path)) with_needs(read_stored(path), hashes[i], brief$content)
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
    needs <- by_need(needs_of_stored(kept, content))
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
  for (tally in tallies) {
    coarser <- tryCatch(quietly(rlang::exec(tally_of, tally, !!!need)), hinterfeld_error = function(cnd) NULL)
    if (!is.null(coarser)) return(coarser)
  }
}

# What the other briefs that keep their parts here need, by what it holds.
needs_of_others <- function(store, brief) {
  others <- store$index$briefs[setdiff(names(store$index$briefs), name_in_store(brief))]
  unlist(lapply(others, function(about) about$needs))
}

needs_of_stored <- function(kept, content) {
  brief_needs(content, list(columns = stats::setNames(nm = kept$columns), roles = stats::setNames(nm = kept$roles)))
}

# The lines of one part, counted.
counted_part <- function(source, i, hash, make, take, readings, call) {
  source <- real_scans(source, i, call)
  part <- source
  part[c("labels", "scans", "rows")] <- list(source$labels[i], source$scans[i], source$rows[i])
  about <- NULL
  chunks <- tallied_chunks(part, make, function(book) {
    about <<- list(columns = names(book$columns), roles = names(book$roles))
    take(book)
  }, readings, call)
  list(parts = hash, rows = part$rows, columns = about$columns %||% character(), roles = about$roles %||% character(),
       chunk_audit = chunks$chunk_audit, tallies = lapply(chunks$tallies, without_steps))
}

# The steps stand beside the tallies, once.
without_steps <- function(tally) {
  tally["orders"] <- list(NULL)
  tally
}

# Several parts as one.
merged_parts <- function(parts, hashes, labels) {
  order <- match(vapply(parts, function(part) part$parts[1], ""), hashes)
  parts <- parts[order(order)]
  merger <- new_merger(merge_stored_parts)
  for (part in parts) merger$put(part)
  all <- merger$all()
  # Lines that were set aside stand in the order of their files.
  aside <- Reduce(merge_asides, lapply(parts, function(part) part$chunk_audit$aside))
  if (NROW(aside)) aside <- utils::head(aside[order(match(aside$file, labels), aside$row), ], max_aside)
  all$chunk_audit["aside"] <- list(aside)
  all
}

merge_stored_parts <- function(a, b) {
  held <- intersect(names(a$tallies), names(b$tallies))
  tallies <- if (length(a$tallies) == 0) b$tallies else if (length(b$tallies) == 0) a$tallies else
    Map(joined_tallies, a$tallies[held], b$tallies[held])
  list(parts = c(a$parts, b$parts), rows = a$rows + b$rows,
       columns = if (length(a$columns)) a$columns else b$columns, roles = if (length(a$roles)) a$roles else b$roles,
       chunk_audit = merge_chunk_audits(a$chunk_audit, b$chunk_audit), tallies = tallies)
}

# All parts in one file, so that a rerun reads that and what is new.
store_together <- function(store, recipe, all) {
  all$parts <- sort(all$parts)
  path <- stored_path(store, recipe, all$parts)
  try_to_store(store, {
    write_stored(all, path)
    # Smaller unions of the same are of no more use.
    former <- names(store$index$merged)[vapply(store$index$merged, function(merged) {
      identical(merged$recipe, recipe) && all(unlist(merged$parts) %in% all$parts)
    }, NA)]
    former <- setdiff(former, basename(path))
    unlink(file.path(store$folder, former))
    store$index$merged[former] <- NULL
    change_index(store, "merged", basename(path), list(recipe = recipe, parts = as.list(all$parts)))
  })
}

# As the tallies of all lines at once.
tallies_of_stored <- function(all, brief, source, call) {
  content <- brief$content
  all$chunk_audit$day_rules <- unlist(lapply(content$restrict, function(rule) {
    quo <- brief_quo(rule$keep %||% rule$leave_out)
    day_conditions(rlang::quo_get_expr(quo), rlang::quo_get_env(quo), !is.null(rule$keep), all$columns, "day")
  }), recursive = FALSE)
  finished <- finished_tallies(all$tallies, all$chunk_audit, source$shown, call)
  needs <- needs_of_stored(all, content)
  stats::setNames(finished[vapply(needs, need_name, "")], names(needs))
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
