# Paths of files: the temporary ones, what messages call a path, and where it leads.

# Temporary files and folders are made here under names of our own, and removed here. What a stranger names is never
# part of such a path; no other folder is removed with what it holds.
temporary <- new.env(parent = emptyenv())

# A name for a file that is not there yet; `shown` is what messages call it.
temporary_file <- function(ending = "", shown = NULL, beside = tempdir()) {
  remembered(tempfile(".part-", beside, ending), shown)
}

# A new folder; NULL if it cannot be made.
temporary_folder <- function(path = tempfile("folder-")) {
  if (dir.create(path, showWarnings = FALSE)) remembered(path)
}

remembered <- function(path, shown = NULL) {
  temporary$shown[[path]] <- shown %||% path
  path
}

remove_temporary <- function(paths) {
  ours <- intersect(paths, names(temporary$shown))
  unlink(ours, recursive = TRUE, expand = FALSE)
  forget_temporary(ours)
}

# What was moved to its place is temporary no longer.
forget_temporary <- function(paths) {
  temporary$shown[paths] <- NULL
}

# An address of the web, or of anything else.
is_address <- function(path) {
  grepl("^[a-z][a-z0-9+.-]*://", path, ignore.case = TRUE)
}

# What messages call a path, and the file of a path. Nobody reads the password of an address.
shown_path <- function(path) {
  shown <- ifelse(is_address(path), shown_address(path), path)
  ours <- path %in% names(temporary$shown)
  replace(shown, ours, as.character(temporary$shown[path[ours]]))
}

shown_file <- function(path) {
  basename(shown_path(path))
}

# An address without user, password, query and fragment; of one that is not well formed only the scheme.
shown_address <- function(url) {
  bare <- sub("://[^/]*@", "://", sub("[?#].*$", "", url))
  # A / in a password would end the host.
  twice <- grepl("://[^/]*@.*@", url)
  ifelse(!twice & grepl("://(\\[[0-9a-f:.]*\\]|[^]:@/[]*)(:[0-9]*)?(/.*)?$", bare, ignore.case = TRUE), bare,
         sub("://.*$", "://...", bare))
}

is_link <- function(path) {
  !Sys.readlink(path) %in% c("", NA)
}

# The path that a path leads to, all links followed; its end may not be there yet.
resolved_path <- function(path, links = 40) {
  path <- path.expand(path)
  if (file.exists(path)) {
    return(normalizePath(path))
  }
  if (is_link(path) && links > 0) {
    to <- Sys.readlink(path)
    return(resolved_path(if (startsWith(to, "/")) to else file.path(dirname(path), to), links - 1))
  }
  above <- dirname(path)
  if (above == path) {
    return(path)
  }
  folder <- resolved_path(above, links)
  switch(basename(path), `.` = folder, `..` = dirname(folder), file.path(sub("/$", "", folder), basename(path)))
}

# Is a path a folder, or inside it?
is_inside <- function(path, folder) {
  startsWith(paste0(resolved_path(path), "/"), paste0(sub("/$", "", resolved_path(folder)), "/"))
}

entries_of <- function(folder) {
  list.files(folder, all.files = TRUE, no.. = TRUE)
}

# Those of some names, none of them a path, that are plain files of a folder. A pipe among them would never end.
whole_files <- function(folder, names, full.names = TRUE) {
  names <- names[basename(names) == names]
  paths <- path.expand(file.path(folder, names))
  whole <- vapply(paths, file_kind_kernel, "") == "file" & !is_link(paths)
  if (full.names) paths[whole] else names[whole]
}
