# Files are written beside their place, looked at, and only then put there: a failure leaves a former file whole.

write_whole <- function(path, write, call = caller_env()) {
  shown <- path
  path <- place_of(path, call)
  # In full, for writers that change the working directory.
  draft <- temporary_file(paste0(".", file_ending(shown)), beside = normalizePath(dirname(path)))
  on.exit(remove_temporary(draft))
  tryCatch(write(draft), error = function(cnd) {
    if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
    # What a figure or another package says may have nothing to do with the disk.
    room <- if (inherits(cnd, "hinterfeld_unwritten")) more_room
    stop_not_written(shown, conditionMessage(cnd), room, call, parent = if (is.null(room)) cnd)
  })
  problem <- flush_file_kernel(draft)
  if (nzchar(problem)) stop_not_written(shown, problem, more_room, call)
  if (!is_complete(draft)) stop_not_written(shown, "It was cut short. Is the disk full?", more_room, call)
  # A file that only its owner may read stays such a file.
  same_rights_kernel(path, draft)
  if (!suppressWarnings(file.rename(draft, path))) {
    stop_because("file", sprintf("\"%s\" cannot be written.", shown),
                 i = "Close it in other programs, or check that it is not write-protected.", call = call)
  }
}

# Where a file is written: what a link leads to, and never in the place of a folder, a pipe or a device.
place_of <- function(shown, call) {
  path <- resolved_path(shown)
  kind <- file_kind_kernel(path)
  if (!kind %in% c("file", "none") || is_link(path)) {
    stop_because("file",
                 sprintf("\"%s\" is not a file but %s.", shown,
                         switch(kind, folder = "a folder", none = "a link to itself", "a pipe or a device")),
                 i = "Give the name of a file.", call = call)
  }
  path
}

file_ending <- function(path) {
  tolower(sub("^.*[.]", "", basename(path)))
}

more_room <- "Free some space, or write somewhere else."

stop_not_written <- function(path, problem, hint, call, parent = NULL) {
  stop_because("file", sprintf("\"%s\" could not be written.", basename(path)), x = if (is.null(parent)) problem,
               i = if (file.exists(path)) "The existing file is unchanged.", i = hint, call = call, parent = parent)
}

stop_unwritten <- function(problem) {
  stop(structure(class = c("hinterfeld_unwritten", "error", "condition"), list(message = problem, call = NULL)))
}

# Lines of text, or bytes, to the last one; what goes wrong is an error in the system's words.
write_text <- function(text, path) {
  lines <- enc2utf8(as.character(text))
  write_bytes(charToRaw(if (length(lines)) paste0(paste(lines, collapse = "\n"), "\n") else ""), path)
}

write_bytes <- function(bytes, path) {
  problem <- write_bytes_kernel(path.expand(path), bytes)
  if (nzchar(problem)) stop_unwritten(problem)
  if (!identical(file.size(path),
                 as.double(length(bytes)))) stop_unwritten("Its length differs from what was written.")
}

# Writers of other packages do not all notice a full disk. What they write last tells whether all of it is there.
is_complete <- function(path) {
  ends <- file_ends[[file_ending(path)]]
  if (is.null(ends)) TRUE else ends(file_end(path, 1024))
}

holds_bytes <- function(bytes, mark) {
  length(grepRaw(mark, bytes, fixed = TRUE)) > 0
}

file_ends <- list(
  # The closing chunk with its checksum.
  png = function(last) identical(utils::tail(last, 12),
                                 as.raw(c(0, 0, 0, 0, 0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82))),
  svg = function(last) holds_bytes(last, charToRaw("</svg>")),
  pdf = function(last) holds_bytes(last, charToRaw("%%EOF")),
  parquet = function(last) identical(utils::tail(last, 4), charToRaw("PAR1")),
  # The record that ends the archive's list of files.
  xlsx = function(last) identical(utils::tail(last, 22)[1:4], as.raw(c(0x50, 0x4b, 0x05, 0x06)))
)
