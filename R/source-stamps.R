# How a file is known again: by its stamp (device, inode, size, and when it last changed) without reading it, by its
# hash for good.

file_stamps <- function(paths) {
  file_stamps_kernel(path.expand(paths))
}

# The hashes (XXH128) of files. A file whose stamp has not moved since it was hashed is not read again: `known` holds
# the stamps and hashes by path.
file_hashes <- function(files, known = hashed_files) {
  for (file in files) check_file(file)
  paths <- normalizePath(files)
  stamps <- file_stamps(files)
  vapply(seq_along(files), function(i) {
    if (!identical(known[[paths[i]]]$stamp, stamps[i])) {
      assign(paths[i], list(stamp = stamps[i], hash = rlang::hash_file(files[i])), known)
    }
    known[[paths[i]]]$hash
  }, "")
}

# The files that this process has hashed.
hashed_files <- new.env(parent = emptyenv())
