# Writes the output folder atomically: beside its place first, then moved there.

# Runs `write(part)` in a folder of its own and puts that in the place of `folder`. Only the files `made_before` are
# replaced or go; all others in `folder` are kept, those too that come in the meantime. When `write` fails, or the
# process is killed, `folder` is as it was.
write_whole_folder <- function(folder, made_before, write, call = caller_env()) {
  # What a link leads to is replaced, not the link.
  if (is_link(folder)) folder <- normalizePath(folder)
  check_output_folder(folder, call)
  parent <- dirname(folder)
  dir.create(parent, showWarnings = FALSE, recursive = TRUE)
  lock <- lock_folder(folder, call)
  on.exit(unlock_folder(folder, lock))
  remove_dead_parts(folder)
  draft <- part_of(folder, Sys.getpid())
  if (!dir.create(draft, showWarnings = FALSE)) {
    stop_because("file", sprintf("Cannot write to the folder \"%s\".", parent), i = "Give another output folder.",
                 call = call)
  }
  on.exit(unlink(draft, recursive = TRUE), add = TRUE, after = FALSE)
  if (dir.exists(folder)) Sys.chmod(draft, file.info(folder)$mode, use_umask = FALSE)
  result <- write(draft)
  for (file in intersect(list.files(draft), list.files(folder))) {
    same_rights_kernel(path.expand(file.path(folder, file)), file.path(draft, file))
  }
  keep_foreign_files(folder, draft, made_before, call)
  put_in_place(draft, folder, call)
  bring_newcomers(draft, folder, made_before)
  result
}

# One run at a time for each folder. The system releases the lock when the process ends, however it does.
lock_folder <- function(folder, call) {
  path <- lock_path(folder)
  repeat {
    # Another run may remove the file at its end, between our look and our lock: then the lock is on nothing.
    if (!file.exists(path)) suppressWarnings(file.create(path))
    before <- file_stamps(path)
    lock <- tryCatch(filelock::lock(path, timeout = 0), error = function(cnd) {
      stop_because("file", sprintf("Cannot write to the folder \"%s\".", dirname(folder)),
                   i = "Give another output folder.", call = call)
    })
    if (is.null(lock)) {
      stop_because("file", sprintf("Another run is writing to \"%s\".", folder),
                   i = "Wait until it has ended, or give another output folder.", call = call)
    }
    if (identical(file_stamps(path), before)) {
      return(lock)
    }
    filelock::unlock(lock)
  }
}

lock_path <- function(folder) {
  file.path(dirname(folder), sprintf(".%s.lock", basename(folder)))
}

# Removes the lock file while the lock is still held.
unlock_folder <- function(folder, lock) {
  unlink(lock_path(folder))
  filelock::unlock(lock)
}

part_of <- function(folder, process) {
  file.path(dirname(folder), sprintf(".%s.part-%s", basename(folder), process))
}

check_output_folder <- function(folder, call) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_because("file", sprintf("\"%s\" is a file, not a folder.", folder), i = "Give another output folder.",
                 call = call)
  }
}

# Removes what killed runs left behind. We hold the lock, so no other run can be using it.
remove_dead_parts <- function(folder) {
  start <- basename(part_of(folder, ""))
  drafts <- list.files(dirname(folder), all.files = TRUE, no.. = TRUE)
  drafts <- drafts[startsWith(drafts, start) & grepl("^[0-9]+(-former)?$", substring(drafts, nchar(start) + 1))]
  unlink(file.path(dirname(folder), drafts), recursive = TRUE)
}

# The same for a run that has nothing to write; while another run is at work, what is there is its own.
remove_left_behind <- function(folder) {
  if (!file.exists(lock_path(folder))) {
    return(invisible())
  }
  lock <- tryCatch(lock_folder(folder, NULL), hinterfeld_error_file = function(cnd) NULL)
  if (!is.null(lock)) {
    on.exit(unlock_folder(folder, lock))
    remove_dead_parts(folder)
  }
}

# An analyst's notes beside the outputs are not ours to remove, nor to write over.
keep_foreign_files <- function(folder, draft, made_before, call) {
  foreign <- setdiff(list.files(folder, all.files = TRUE, no.. = TRUE), made_before)
  clash <- intersect(foreign, list.files(draft, all.files = TRUE, no.. = TRUE))
  if (length(clash)) {
    stop_because("file", sprintf("The folder \"%s\" holds %s.", folder, examples_of(clash)),
                 x = "The last run of this brief did not write it, or it has changed since.",
                 i = "Move it away, or give another output folder.", call = call)
  }
  kept <- vapply(foreign, function(file) carry_over(file.path(folder, file), draft), NA)
  if (!all(kept)) {
    stop_because("file",
                 sprintf("%s in \"%s\" could not be kept in the new output folder.", examples_of(foreign[!kept]),
                         folder), i = "Move it elsewhere, or give another output folder.", call = call)
  }
}

# A hard link where possible, so that nothing is copied; this works for pipes too.
carry_over <- function(file, draft) {
  to <- file.path(draft, basename(file))
  if (file_kind_kernel(path.expand(file)) == "folder" && !is_link(file)) {
    return(file.copy(file, draft, recursive = TRUE, copy.date = TRUE))
  }
  if (is_link(file)) {
    return(file.symlink(Sys.readlink(file), to))
  }
  suppressWarnings(file.link(file, to)) || file_kind_kernel(path.expand(file)) == "file" &&
    file.copy(file, to, copy.date = TRUE)
}

# Moves files that others wrote into the old folder (now at `old`) while the two were being swapped.
bring_newcomers <- function(old, folder, made_before) {
  for (file in setdiff(list.files(old, all.files = TRUE, no.. = TRUE), made_before)) {
    from <- file.path(old, file)
    to <- file.path(folder, file)
    about <- file.info(c(from, to))
    if (is.na(about$mtime[2]) || !isTRUE(about$isdir[1]) &&
        (about$mtime[1] > about$mtime[2] || about$size[1] != about$size[2])) file.rename(from, to)
  }
}

put_in_place <- function(draft, folder, call) {
  if (!dir.exists(folder)) {
    placed <- file.rename(draft, folder)
  } else {
    placed <- swap_paths_kernel(path.expand(draft), path.expand(folder)) || replace_folder(draft, folder)
  }
  if (!placed) {
    stop_because("file", sprintf("\"%s\" cannot be replaced.", folder),
                 i = "Close any file in it that another program has open, then run again.", call = call)
  }
}

# Fallback where the system cannot swap two names: for a moment there is no folder, but never a partial one. Afterwards
# `part` is the old folder, as after a swap.
replace_folder <- function(draft, folder) {
  former <- paste0(draft, "-former")
  if (!file.rename(folder, former)) {
    return(FALSE)
  }
  placed <- file.rename(draft, folder)
  file.rename(former, if (placed) draft else folder)
  placed
}

output_folder <- function(brief) {
  folder <- brief$content$outputs$folder
  if (is.null(folder)) {
    return(sub("[.][^.]*$", "-out", brief$path))
  }
  brief_path(brief, folder)
}

# A brief may come from somebody else: it says what its outputs are called, not where on the disk they go.
check_brief_folder <- function(brief, folder, anywhere, call = caller_env(), does = "writes to", given = "`into`",
                               option = "`--out`") {
  if (is.null(folder) || anywhere) {
    return(invisible())
  }
  steps <- strsplit(folder, "[/\\\\]")[[1]]
  if (grepl("^([/\\\\~]|[A-Za-z]:)", folder) || ".." %in% steps || all(steps %in% c("", "."))) {
    stop_because("brief", sprintf("The brief %s \"%s\", which is outside the brief's own folder.", does, folder),
                 i = sprintf("Name a folder inside it, or choose the folder yourself with %s (on the command line %s).",
                             given, option),
                 i = "Or allow any folder: `anywhere = TRUE`, on the command line `--anywhere`.", call = call)
  }
}

report_file <- function(brief) {
  brief$content$report$file %||% "report.html"
}
