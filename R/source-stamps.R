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
               sprintf("%s %s still written to.", and_list(quoted(basename(files[moved]))),
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
