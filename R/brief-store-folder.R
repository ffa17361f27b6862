# The store, a folder: a file for each part and what it was counted by, named after both, and an index that knows
# the files that were looked at. Files are written atomically and never modified, so runs can share the folder; only
# clearing it needs it alone.

# Opens the folder for a run, which holds it until it ends, however it ends. A folder that has other files and no index
# is not a store.
open_store <- function(folder, alone = FALSE, call = caller_env()) {
  is_file <- file.exists(folder) && !dir.exists(folder)
  if (is_file || !file.exists(file.path(folder, "index.json")) && length(setdiff(entries_of(folder), ".lock"))) {
    what <- if (is_file) "file, not a folder for a store" else "folder of other files, not a store"
    stop_because("file", sprintf("\"%s\" is a %s.", folder, what),
                 i = "Give another folder, new or one in which a run keeps parts.", call = call)
  }
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  lock <- tryCatch(filelock::lock(file.path(folder, ".lock"), exclusive = alone, timeout = if (alone) 0 else Inf),
                   error = function(cnd) {
    stop_because("file", sprintf("Nothing can be kept in \"%s\": you have no permission to write there.", folder),
                 i = "Give a folder that you can write to, or run without keeping parts.", call = call)
  })
  if (is.null(lock)) {
    stop_because("file", sprintf("A run is using \"%s\".", folder), i = "Wait until it has ended.", call = call)
  }
  store <- new.env()
  store$folder <- folder
  store$lock <- lock
  store$index <- parse_index(file.path(folder, "index.json")) %||% empty_index()
  store$hashed <- list2env(store$index$files, parent = emptyenv())
  store$changed <- FALSE
  store$failed <- FALSE
  # From now on it is a store, also if the run is killed.
  if (!file.exists(file.path(folder, "index.json"))) try_to_store(store, write_index(store))
  store
}

close_store <- function(store) {
  files <- as.list(store$hashed, all.names = TRUE, sorted = TRUE)
  store$changed <- store$changed || !identical(files, store$index$files)
  store$index$files <- files
  if (store$changed) try_to_store(store, write_index(store))
  filelock::unlock(store$lock)
}

# What cannot be kept is made again next time: no reason to lose a run for it.
try_to_store <- function(store, code) {
  tryCatch(code, hinterfeld_error_file = function(cnd) {
    if (!store$failed) {
      say("not_kept", "Some parts could not be kept; the next run will read them again.", x = conditionMessage(cnd))
    }
    store$failed <- TRUE
  })
}

# files: by path, the stamp that a file had when it was looked at, and the hash of what it held; scans: what was
# found in it; tables: the parts of each table of a database; briefs: by path, what the last run of each used and
# needed; merged: files that hold several parts; kept: the files that runs wrote here.
empty_index <- function() {
  list(version = store_version, files = list(), scans = list(), tables = list(), briefs = list(), merged = list(),
       kept = list())
}

# Like every kept file the index has a checksum: one that is not as it was written is none, and is made again.
parse_index <- function(path) {
  read <- file_json(path)
  sound <- is.list(read) && rlang::is_string(read$index) &&
    identical(read$sha256, sha256_text(read$index))
  index <- if (sound) parsed_json(read$index)
  if (identical(index$version, store_version)) index
}

# The files of a store that are there: those that its index names, in the form of the names that runs give. An index may
# come from a stranger too.
kept_files <- function(store) {
  index <- store$index
  named <- unlist(c(index$kept, names(index$merged), lapply(index$briefs, function(about) about[c("used", "figures")])))
  named <- grep("^[0-9a-f]+-[0-9a-z-]+[.](part|png|svg|pdf)$", unique(as.character(named)), value = TRUE)
  whole_files(store$folder, named, full.names = FALSE)
}

# Removes some of them.
remove_kept <- function(store, files) {
  unlink(file.path(store$folder, intersect(files, kept_files(store))), expand = FALSE)
}

# Another run may have written files here meanwhile.
write_index <- function(store) {
  now <- parse_index(file.path(store$folder, "index.json"))
  store$index$kept <- c(store$index$kept, now$kept)
  store$index$kept <- as.list(sort(kept_files(store)))
  index <- as.character(jsonlite::toJSON(store$index, auto_unbox = TRUE, null = "null", digits = NA))
  text <- jsonlite::toJSON(list(sha256 = sha256_text(index), index = index),
                           auto_unbox = TRUE)
  write_whole(file.path(store$folder, "index.json"), function(draft) write_text(text, draft))
}

change_index <- function(store, what, name, value) {
  if (!identical(store$index[[what]][[name]], value)) {
    store$index[[what]][[name]] <- value
    store$changed <- TRUE
  }
}

# Writes a file of the store, and notes that it is one.
keep_file <- function(store, kept, path) {
  write_stored(kept, path)
  store$index$kept <- c(store$index$kept, list(basename(path)))
  store$changed <- TRUE
}

# The file of some parts, counted by a recipe.
stored_path <- function(store, recipe, parts) {
  all <- sha256_text(paste(parts, collapse = "\n"))
  name <- if (length(parts) == 1) parts else paste0("all-", substr(all, 1, 32))
  file.path(store$folder, sprintf("%s-%s.part", substr(recipe, 1, 16), name))
}

#' The store of a brief
#'
#' A brief with a `store`, or run with one, tallies each of its line files once and keeps the tally. The next run reads
#' only what is new or has changed, and draws only figures of other lines, tables or arguments. `stored_parts()` lists
#' what a store holds.
#'
#' @param folder Text: the folder of the store.
#' @param clear Logical: remove files that no brief used in its last run. Only files that runs wrote here are removed.
#' @return A tibble with one row per kept file, largest first: `file`, `brief` (text, the brief whose last run used the
#'   file; missing if there is none), `parts` (whole number, how many parts it holds, 0 for a figure), `bytes` and
#'   `written` (date-time, UTC). With `clear`, it lists the files that were removed.
#' @section Trust: A kept file is used only if its checksum is right, its format is that of this version, and its part,
#'   the attached tables, roles, conditions, calendar and types are unchanged; otherwise the part is read again. A file
#'   of lines counts as unchanged as long as its size and modification times stay the same.
#' @section Databases: The parts of a table are its days, by the daybook's `day`, or by the column that the brief's
#'   `parts` names: a column of days, or one of whole numbers with the size of a range, `parts: {order_id: 100000}`. In
#'   PostgreSQL (14 or later), the versions of its rows show whether a part has changed, so every change is noticed; a
#'   table that was rewritten is read again. Elsewhere, and for queries and views, `changed` must name the column that
#'   says when a line last changed. A part then counts as unchanged if its number of lines, the sums of its numeric
#'   columns and its latest `changed` are the same; a change that alters none of these goes unnoticed. Without
#'   `changed`, nothing is kept, and a message says so. For lines that are set aside, `file` names their part. A table
#'   attached from a database counts as unchanged if the versions of its rows, or all its contents, are the same.
#' @section Errors: `hinterfeld_error_file` if `folder` is not such a folder or, with `clear`, while a run is using it.
#' @seealso [run_brief()]
#' @export
#' @examples
#' folder <- file.path(tempdir(), "store")
#' \donttest{
#' run_brief(demo_brief(), into = file.path(tempdir(), "kilnmoor-stored"), store = folder)
#' stored_parts(folder)
#' }
stored_parts <- function(folder, clear = FALSE) {
  check_text(folder, "folder")
  check_flag(clear, "clear")
  if (!dir.exists(folder)) {
    stop_because("file", sprintf("There is no folder \"%s\".", folder),
                 i = "Give the folder that a brief names as `store`.")
  }
  if (is.null(parse_index(file.path(folder, "index.json")))) {
    stop_because("file", sprintf("\"%s\" is not a store: it has no index that can be read.", folder),
                 i = "Give the folder that a brief names as `store`.")
  }
  store <- open_store(folder, alone = clear)
  on.exit(close_store(store))
  files <- kept_files(store)
  used <- lapply(store$index$briefs, function(brief) unlist(brief[c("used", "figures")]))
  brief <- vapply(files, function(file) {
    of <- names(used)[vapply(used, function(these) file %in% these, NA)]
    if (length(of)) basename(of[1]) else NA_character_
  }, "", USE.NAMES = FALSE)
  about <- file.info(file.path(folder, files), extra_cols = FALSE)
  parts <- vapply(files, function(file) {
    several <- grepl("-all-", file, fixed = TRUE)
    if (!endsWith(file, ".part")) 0L else if (several) length(store$index$merged[[file]]$parts %||% NA) else 1L
  }, 0L, USE.NAMES = FALSE)
  files_stored <- tibble::tibble(file = files, brief = brief, parts = parts, bytes = as.double(about$size),
                          written = as.POSIXct(as.numeric(about$mtime), origin = "1970-01-01", tz = "UTC"))
  files_stored <- files_stored[order(-files_stored$bytes, files_stored$file), ]
  if (clear) {
    files_stored <- files_stored[is.na(files_stored$brief), ]
    remove_kept(store, files_stored$file)
    store$changed <- TRUE
    forget_gone(store)
  }
  files_stored
}

# Files that are gone, and what was found in them.
forget_gone <- function(store) {
  hashed <- as.list(store$hashed, all.names = TRUE)
  there <- file.exists(names(hashed))
  rm(list = names(hashed)[!there], envir = store$hashed)
  scans <- sub(" .*$", "", names(store$index$scans)) %in% vapply(hashed[there], function(file) file$hash, "")
  store$changed <- store$changed || !all(scans)
  store$index$scans <- store$index$scans[scans]
}
