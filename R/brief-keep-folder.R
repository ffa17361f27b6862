# The folder of kept parts: a file for each part and what it was counted by, named after both, and an index that knows
# the files that were looked at. Files are written atomically and never modified, so runs can share the folder; only
# clearing it needs it alone.

# Opens the folder for a run, which holds it until it ends, however it ends.
open_keep <- function(folder, alone = FALSE, call = caller_env()) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_because("file", sprintf("\"%s\" is a file, not a folder to keep parts in.", folder),
                 i = "Give another folder.", call = call)
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
  keep <- new.env()
  keep$folder <- folder
  keep$lock <- lock
  keep$index <- parse_index(file.path(folder, "index.json"))
  keep$hashed <- list2env(keep$index$files, parent = emptyenv())
  keep$changed <- FALSE
  keep$failed <- FALSE
  keep
}

close_keep <- function(keep) {
  files <- as.list(keep$hashed, all.names = TRUE, sorted = TRUE)
  keep$changed <- keep$changed || !identical(files, keep$index$files)
  keep$index$files <- files
  if (keep$changed) try_to_keep(keep, write_index(keep))
  filelock::unlock(keep$lock)
}

# What cannot be kept is made again next time: no reason to lose a run for it.
try_to_keep <- function(keep, code) {
  tryCatch(code, hinterfeld_error_file = function(cnd) {
    if (!keep$failed) {
      say("not_kept", "Some parts could not be kept; the next run will read them again.", x = conditionMessage(cnd))
    }
    keep$failed <- TRUE
  })
}

# files: by path, the stamp that a file had when it was looked at, and the hash of what it held; scans: what was
# found in it; tables: the parts of each table of a database; briefs: by path, what the last run of each used and
# needed; merged: files that hold several parts.
empty_index <- function() {
  list(version = kept_version, files = list(), scans = list(), tables = list(), briefs = list(), merged = list())
}

# Like every kept file the index has a checksum: one that is not as it was written is none, and is made again.
parse_index <- function(path) {
  read <- file_json(path)
  sound <- is.list(read) && rlang::is_string(read$index) &&
    identical(read$sha256, digest::digest(read$index, "sha256", serialize = FALSE))
  index <- if (sound) parsed_json(read$index)
  if (identical(index$version, kept_version)) index else empty_index()
}

write_index <- function(keep) {
  index <- as.character(jsonlite::toJSON(keep$index, auto_unbox = TRUE, null = "null", digits = NA))
  text <- jsonlite::toJSON(list(sha256 = digest::digest(index, "sha256", serialize = FALSE), index = index),
                           auto_unbox = TRUE)
  write_whole(file.path(keep$folder, "index.json"), function(draft) write_text(text, draft))
}

change_index <- function(keep, what, name, value) {
  if (!identical(keep$index[[what]][[name]], value)) {
    keep$index[[what]][[name]] <- value
    keep$changed <- TRUE
  }
}

# The file of some parts, counted by a recipe.
kept_path <- function(keep, recipe, parts) {
  all <- digest::digest(paste(parts, collapse = "\n"), "sha256", serialize = FALSE)
  name <- if (length(parts) == 1) parts else paste0("all-", substr(all, 1, 32))
  file.path(keep$folder, sprintf("%s-%s.part", substr(recipe, 1, 16), name))
}

#' Kept parts of briefs
#'
#' A brief with `keep`, or run with it, tallies each of its line files once and keeps the tally. The next run reads only
#' what is new or has changed, and redraws only figures that would look different. `kept_parts()` lists what a folder
#' holds.
#'
#' @param folder Text: the folder.
#' @param clear Logical: remove files that no brief used in its last run.
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
#' folder <- file.path(tempdir(), "kept")
#' \donttest{
#' run_brief(demo_brief(), into = file.path(tempdir(), "kilnmoor-kept"), keep = folder)
#' kept_parts(folder)
#' }
kept_parts <- function(folder, clear = FALSE) {
  check_text(folder, "folder")
  check_flag(clear, "clear")
  if (!dir.exists(folder)) {
    stop_because("file", sprintf("There is no folder \"%s\".", folder),
                 i = "Give the folder that a brief names as `keep`.")
  }
  keep <- open_keep(folder, alone = clear)
  on.exit(close_keep(keep))
  files <- list.files(folder, "[.](part|png|svg|pdf)$")
  used <- lapply(keep$index$briefs, function(brief) unlist(brief[c("used", "figures")]))
  brief <- vapply(files, function(file) {
    of <- names(used)[vapply(used, function(these) file %in% these, NA)]
    if (length(of)) basename(of[1]) else NA_character_
  }, "", USE.NAMES = FALSE)
  about <- file.info(file.path(folder, files), extra_cols = FALSE)
  parts <- vapply(files, function(file) {
    several <- grepl("-all-", file, fixed = TRUE)
    if (!endsWith(file, ".part")) 0L else if (several) length(keep$index$merged[[file]]$parts %||% NA) else 1L
  }, 0L, USE.NAMES = FALSE)
  files_kept <- tibble::tibble(file = files, brief = brief, parts = parts, bytes = as.double(about$size),
                          written = as.POSIXct(as.numeric(about$mtime), origin = "1970-01-01", tz = "UTC"))
  files_kept <- files_kept[order(-files_kept$bytes, files_kept$file), ]
  if (clear) {
    files_kept <- files_kept[is.na(files_kept$brief), ]
    unlink(file.path(folder, files_kept$file))
    forget_gone(keep)
  }
  files_kept
}

# Files that are gone, and what was found in them.
forget_gone <- function(keep) {
  hashed <- as.list(keep$hashed, all.names = TRUE)
  there <- file.exists(names(hashed))
  rm(list = names(hashed)[!there], envir = keep$hashed)
  scans <- sub(" .*$", "", names(keep$index$scans)) %in% vapply(hashed[there], function(file) file$hash, "")
  keep$changed <- keep$changed || !all(scans)
  keep$index$scans <- keep$index$scans[scans]
}
