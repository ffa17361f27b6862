# Writes the output folder atomically: beside its place first, then moved there. This is the only place that decides
# where a run may write, and what of a folder it may remove.

# Runs `write(draft)` in a folder of its own and puts that in the place of `folder`. Only the files `made_before` are
# replaced or go; whatever else `folder` holds is moved over, also what comes in the meantime. When `write` fails, or
# the process is killed, `folder` is as it was.
write_whole_folder <- function(folder, made_before, write, call = caller_env()) {
  # What a link leads to is replaced, not the link.
  folder <- resolved_path(folder)
  parent <- dirname(folder)
  dir.create(parent, showWarnings = FALSE, recursive = TRUE)
  lock <- lock_folder(folder, call)
  on.exit(unlock_folder(folder, lock))
  settle_dead_drafts(folder)
  draft <- temporary_folder(draft_of(folder, Sys.getpid()))
  if (is.null(draft)) {
    stop_because("file", sprintf("Cannot write to the folder \"%s\".", parent), i = "Give another output folder.",
                 call = call)
  }
  on.exit(remove_temporary(draft), add = TRUE, after = FALSE)
  if (dir.exists(folder)) Sys.chmod(draft, file.info(folder)$mode, use_umask = FALSE)
  file.create(file.path(draft, unfinished))
  result <- write(draft)
  for (file in intersect(list.files(draft), list.files(folder))) {
    same_rights_kernel(file.path(folder, file), file.path(draft, file))
  }
  check_clashes(draft, folder, made_before, call)
  put_in_place(draft, folder, made_before, call)
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

draft_of <- function(folder, process) {
  file.path(dirname(folder), sprintf(".%s.part-%s", basename(folder), process))
}

# Is in a draft until the draft is complete.
unfinished <- ".unfinished"

# Clears away what killed runs left behind. We hold the lock, so no other run can be using it. What is not an unfinished
# draft is a folder that was, or was about to be, the output.
settle_dead_drafts <- function(folder) {
  start <- basename(draft_of(folder, ""))
  beside <- entries_of(dirname(folder))
  left <- beside[startsWith(beside, start) & grepl("^[0-9]+(-former)?$", substring(beside, nchar(start) + 1))]
  for (path in file.path(dirname(folder), left)) {
    if (is_link(path) || !dir.exists(path)) next
    if (file.exists(file.path(path, unfinished))) {
      remove_temporary(remembered(path))
    } else if (dir.exists(folder)) {
      settle_former(path, folder, made_before(record_in(path), path))
    } else {
      file.rename(path, folder)
    }
  }
}

# The same before a run looks at its former output. While another run is at work, what is there is that run's.
settle_left_behind <- function(folder) {
  folder <- resolved_path(folder)
  if (!file.exists(lock_path(folder))) {
    return(invisible())
  }
  lock <- tryCatch(lock_folder(folder, NULL), hinterfeld_error_file = function(cnd) NULL)
  if (!is.null(lock)) {
    on.exit(unlock_folder(folder, lock))
    settle_dead_drafts(folder)
  }
}

# An analyst's notes beside the outputs are not ours to write over.
check_clashes <- function(draft, folder, made_before, call) {
  clash <- intersect(setdiff(entries_of(folder), made_before), entries_of(draft))
  if (length(clash)) {
    stop_because("file", sprintf("The folder \"%s\" holds %s.", folder, examples_of(clash)),
                 x = "The last run of this brief did not write it, or it has changed since.",
                 i = "Move it away, or give another output folder.", call = call)
  }
}

put_in_place <- function(draft, folder, made_before, call) {
  file.remove(file.path(draft, unfinished))
  # From here on what has the draft's name may be the former folder.
  forget_temporary(draft)
  former <- dir.exists(folder)
  placed <- if (!former) file.rename(draft, folder) else
    swap_paths_kernel(draft, folder) || replace_folder(draft, folder)
  if (!placed) {
    remembered(draft)
    stop_because("file", sprintf("\"%s\" cannot be replaced.", folder),
                 i = "Close any file in it that another program has open, then run again.", call = call)
  }
  if (former) settle_former(draft, folder, made_before)
}

# Fallback where the system cannot swap two names: for a moment there is no folder, but never a partial one. Afterwards
# `draft` is the old folder, as after a swap.
replace_folder <- function(draft, folder) {
  former <- paste0(draft, "-former")
  if (!file.rename(folder, former)) {
    return(FALSE)
  }
  placed <- file.rename(draft, folder)
  file.rename(former, if (placed) draft else folder)
  placed
}

# Moves what no run made from a former folder into the new one, whatever it is, and removes the rest. The record goes
# last, because it says what the others are.
settle_former <- function(former, folder, made) {
  foreign <- setdiff(entries_of(former), made)
  foreign <- foreign[!foreign %in% entries_of(folder)]
  file.rename(file.path(former, foreign), file.path(folder, foreign))
  unlink(file.path(former, made[order(made == "run.json")]), expand = FALSE)
  if (!suppressWarnings(file.remove(former))) {
    say("left_over", sprintf("%s could not be moved into the new output folder, and is now in \"%s\".",
                             examples_of(entries_of(former)), former), i = "Move it where you want it.")
  }
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
  path <- brief_path(brief, folder)
  if (!is_inside(path, brief$folder) || is_inside(brief$folder, path)) {
    stop_because("brief", sprintf("The brief %s \"%s\", which is outside the brief's own folder.", does, folder),
                 i = sprintf("Name a folder inside it, or choose the folder yourself with %s (on the command line %s).",
                             given, option),
                 i = "Or allow any folder: `anywhere = TRUE`, on the command line `--anywhere`.", call = call)
  }
}

# A run puts another folder in the place of its output folder, so nothing that the run itself needs may be there.
check_output_folder <- function(folder, needed, call) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_because("file", sprintf("\"%s\" is a file, not a folder.", folder), i = "Give another output folder.",
                 call = call)
  }
  needed <- c(needed, `the folder that you are in` = getwd())
  inside <- vapply(needed, is_inside, NA, folder = folder)
  if (any(inside)) {
    stop_because("file",
                 sprintf("\"%s\" holds %s, so it cannot be the output folder.", folder, names(needed)[inside][1]),
                 i = "Give the outputs a folder of their own, for example \"out\".", call = call)
  }
}

report_file <- function(brief) {
  brief$content$report$file %||% "report.html"
}
