# How a file is known again: by its stamp (device, inode, size, and when it last changed) without reading it, by its
# hash for good.

file_stamps <- function(paths) {
  file_stamps_kernel(path.expand(paths))
}

# Waits while files are written: until none of them has changed for some seconds.
wait_for_rest <- function(files, seconds = getOption("hinterfeld.rest", 1), most = 60, call = caller_env()) {
  for (round in seq_len(most)) {
    about <- file.info(files, extra_cols = FALSE)
    if (all(as.numeric(Sys.time()) - as.numeric(pmax(about$mtime, about$ctime)) >= seconds, na.rm = TRUE)) {
      return(invisible())
    }
    stamps <- file_stamps(files)
    Sys.sleep(seconds)
    # The clock of another machine may be ahead of this one's.
    moved <- file_stamps(files) != stamps
    if (!any(moved)) {
      return(invisible())
    }
  }
  stop_because("file",
               sprintf("%s %s still written to.", and_list(quoted(shown_file(files[moved]))),
                       if (sum(moved) == 1) "is" else "are"), i = "Run again when it is complete.", call = call)
}

# The hashes (XXH128) of files. A file whose stamp has not moved since it was hashed is not read again: `known` holds
# the stamps and hashes by path.
file_hashes <- function(files, hashes = hashed_files) {
  for (file in files) check_file(file)
  paths <- normalizePath(files)
  stamps <- file_stamps(files)
  vapply(seq_along(files), function(i) {
    if (!identical(hashes[[paths[i]]]$stamp, stamps[i])) {
      assign(paths[i], list(stamp = stamps[i], hash = rlang::hash_file(files[i])), hashes)
    }
    hashes[[paths[i]]]$hash
  }, "")
}

# SHA-256, for what others receive and what is kept: in hex of texts and of a file, as bytes of bytes.
sha256_text <- function(x) {
  as.vector(unclass(openssl::sha256(as.character(x))))
}

sha256_file <- function(path) {
  paste(sha256_bytes(file(path)), collapse = "")
}

sha256_bytes <- function(x) {
  as.raw(openssl::sha256(x))
}

# The files that this process has hashed.
hashed_files <- new.env(parent = emptyenv())

check_file <- function(path, call = caller_env()) {
  check_text(path, "path", call = call)
  if (dir.exists(path)) {
    stop_because("file", sprintf("\"%s\" is a folder, not a file.", shown_path(path)), i = "Give one file.",
                 call = call)
  }
  if (!file.exists(path)) {
    folder <- dirname(path)
    near <- nearest(basename(path), list.files(folder))
    stop_because("file", sprintf("There is no file \"%s\".", shown_path(path)),
                 i = if (!dir.exists(folder)) "Its folder does not exist either.",
                 if (length(near)) c(i = sprintf("The folder holds %s.", examples_of(near))), call = call)
  }
  if (file_kind_kernel(path.expand(path)) == "other") {
    stop_because("file", sprintf("\"%s\" is not a regular file.", shown_path(path)),
                 i = "A pipe or device may never end: save its output to a file first.", call = call)
  }
  if (file.size(path) == 0) {
    stop_because("file", sprintf("\"%s\" is empty.", shown_path(path)),
                 i = "A table needs at least a line with the names of its columns.", call = call)
  }
  if (file.access(path, 4) != 0) {
    stop_because("file", sprintf("\"%s\" may not be read.", shown_path(path)), i = "Ask for the right to read it.",
                 call = call)
  }
}

# A part that is written on while it is read gives no table.
check_unchanged <- function(path, stamp, call) {
  if (file_stamps(path) != stamp) {
    stop_because("file",
                 sprintf("%s %s while it was read.", shown_file(path),
                         if (file.exists(path)) "was changed" else "vanished"),
                 i = "Read it again when nobody writes it.", call = call)
  }
}
