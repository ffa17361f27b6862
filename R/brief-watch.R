# A brief that runs again whenever a part of its data arrives or changes.

# `run(again)` runs it, `tell` is given lines to show. It is looked at every so many `seconds`, or when the system tells
# of a change and now and then. Ends on an interrupt, or when `go_on` says so.
watch_brief <- function(path, folder, run, tell, seconds = 2, go_on = function() TRUE) {
  notice <- NULL
  on.exit(if (!is.null(notice)) notice$stop())
  tryCatch({
    tell(run_lines(run(FALSE), folder))
    seen <- watched_stamps(path)
    notice <- watched_notice(path)
    tell(sprintf("Watching %s; interrupt to stop.", basename(path)))
    while (go_on()) {
      notice$wait(if (notice$told) 8 * seconds else seconds)
      now <- watched_stamps(path)
      if (identical(now, seen)) next
      # A file that is still being written is waited for.
      repeat {
        Sys.sleep(min(seconds, 1))
        later <- watched_stamps(path)
        if (identical(later, now)) break
        now <- later
      }
      seen <- now
      rerun_watched(folder, run, tell)
      notice$stop()
      notice <- watched_notice(path)
    }
  }, interrupt = function(cnd) tell("Stopped."))
  invisible()
}

# A run that fails says why, and the next change is waited for.
rerun_watched <- function(folder, run, tell) {
  former <- tempfile("former-")
  dir.create(former)
  on.exit(unlink(former, recursive = TRUE))
  file.copy(list.files(folder, "[.](json|csv|tsv|parquet)$", full.names = TRUE), former)
  tryCatch({
    run(FALSE)
    changed <- what_changed(former, folder)
    about <- attr(changed, "about")
    tell(c(paste0(format(Sys.time(), "%H:%M:%S"), "  ", change_headline(about)), input_lines(about$inputs)))
  }, hinterfeld_error = function(cnd) tell(paste("hinterfeld:", problem_with_causes(cnd))))
}

# The files and folders of a brief, of which the system may tell; of a database it does not.
watched_notice <- function(path) {
  brief <- tryCatch(quietly(read_brief(path)), hinterfeld_error = function(cnd) NULL)
  files <- tryCatch(quietly(brief_files(brief)), error = function(cnd) NULL)
  if (any(vapply(files, function(file) !is.null(file$database), NA))) {
    return(notice_of(character()))
  }
  paths <- vapply(files, function(file) if (file.exists(file$path)) file$path else dirname(file$path), "")
  notice_of(c(path, paths))
}

# How every file that the brief reads stands, and the brief itself.
watched_stamps <- function(path) {
  brief <- tryCatch(quietly(read_brief(path)), hinterfeld_error = function(cnd) list(path = path))
  brief_stamps(brief)
}

brief_stamps <- function(brief) {
  files <- tryCatch(quietly(lapply(brief_files(brief), function(file) {
    if (is.null(file$database)) tryCatch(source_files(file$path), hinterfeld_error = function(cnd) file$path)
  })), error = function(cnd) NULL)
  c(file_stamps(c(brief$path, unlist(files))), database_stamps(brief))
}

# How the databases stand: the file of SQLite, and PostgreSQL's own counts of rows written, which say so cheaply.
database_stamps <- function(brief) {
  files <- tryCatch(quietly(Filter(function(file) !is.null(file$database), brief_files(brief))),
                    error = function(cnd) NULL)
  vapply(unique(vapply(files, function(file) file$database, "")), function(name) {
    path <- sqlite_path(Sys.getenv(name, ""))
    if (!is.null(path)) {
      return(paste(file_stamps(paste0(path, c("", "-wal"))), collapse = " "))
    }
    tryCatch(quietly(with_databases(rows_written(database_named(name)))), error = function(cnd) "not reached")
  }, "")
}
