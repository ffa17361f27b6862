# The output folder: made beside its place, and put there whole.

# Runs `write(part)` in a folder of its own and puts that in the place of `folder`. Files in `folder` that no run has
# made are kept. When `write` fails, or the process is killed, `folder` is as it was.
write_whole_folder <- function(folder, made_before, write, call = caller_env()) {
  check_output_folder(folder, call)
  parent <- dirname(folder)
  dir.create(parent, showWarnings = FALSE, recursive = TRUE)
  remove_dead_parts(folder)
  part <- part_of(folder, Sys.getpid())
  if (!dir.create(part, showWarnings = FALSE)) {
    stop_because("file", c(sprintf("The folder \"%s\" cannot be written.", parent), i = "Give another output folder."), call = call)
  }
  on.exit(unlink(part, recursive = TRUE))
  result <- write(part)
  keep_foreign_files(folder, part, made_before, call)
  put_in_place(part, folder, call)
  result
}

part_of <- function(folder, process) {
  file.path(dirname(folder), sprintf(".%s.part-%s", basename(folder), process))
}

check_output_folder <- function(folder, call) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_because("file", c(sprintf("\"%s\" is a file, not a folder.", folder), i = "Give another output folder."), call = call)
  }
}

# What processes left that were killed midway; those that still run keep theirs.
remove_dead_parts <- function(folder) {
  start <- basename(part_of(folder, ""))
  parts <- list.files(dirname(folder), all.files = TRUE, no.. = TRUE)
  parts <- parts[startsWith(parts, start)]
  process <- suppressWarnings(as.integer(substring(parts, nchar(start) + 1)))
  mine <- !is.na(process) & process == Sys.getpid()
  dead <- !is.na(process) & !vapply(process, function(id) isTRUE(tools::pskill(id, 0)), NA)
  unlink(file.path(dirname(folder), parts[dead | mine]), recursive = TRUE)
}

# An analyst's notes beside the outputs are not ours to remove, nor to write over.
keep_foreign_files <- function(folder, part, made_before, call) {
  foreign <- setdiff(list.files(folder, all.files = TRUE, no.. = TRUE), made_before)
  clash <- intersect(foreign, list.files(part, all.files = TRUE, no.. = TRUE))
  if (length(clash)) {
    stop_because("file", c(
      sprintf("The folder \"%s\" holds %s, which no run has made.", folder, examples_of(clash)),
      i = "Move it away, or give another output folder."
    ), call = call)
  }
  if (length(foreign) && !all(file.copy(file.path(folder, foreign), part, recursive = TRUE, copy.date = TRUE))) {
    stop_because("file", sprintf("Files of \"%s\" cannot be carried over.", folder), call = call)
  }
}

put_in_place <- function(part, folder, call) {
  if (!dir.exists(folder)) {
    placed <- file.rename(part, folder)
  } else {
    placed <- exchange_kernel(path.expand(part), path.expand(folder)) || replace_folder(part, folder)
  }
  if (!placed) {
    stop_because("file", c(sprintf("\"%s\" cannot be replaced.", folder), i = "Is a file in it open elsewhere?"), call = call)
  }
}

# Where the system cannot exchange two names: for a moment there is no folder, never half a one.
replace_folder <- function(part, folder) {
  former <- paste0(part, "-former")
  if (!file.rename(folder, former)) {
    return(FALSE)
  }
  placed <- file.rename(part, folder)
  if (placed) unlink(former, recursive = TRUE) else file.rename(former, folder)
  placed
}
