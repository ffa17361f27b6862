# A brief that runs again whenever a part of its data arrives or changes.

# `run(again)` runs it, `tell` is given lines to show. Its files are looked at every few `seconds`, and right after a
# run, because a part may have come meanwhile. Ends on an interrupt, or when `go_on` says so.
watch_brief <- function(path, folder, run, tell, seconds = 2, go_on = function() TRUE) {
  tryCatch({
    seen <- watched_stamps(path)
    tryCatch(tell(run_lines(run(FALSE), folder)), hinterfeld_error = function(cnd) {
      # What changed during the run is run again; any other mistake will still be there.
      if (identical(watched_stamps(path), seen)) rlang::cnd_signal(cnd)
      tell(paste("hinterfeld:", problem_with_causes(cnd)))
    })
    tell(sprintf("Watching %s; press Ctrl+C to stop.", basename(path)))
    while (go_on()) {
      if (identical(watched_stamps(path), seen)) {
        Sys.sleep(seconds)
        next
      }
      rerun_watched(folder, tell, function() {
        wait_for_rest(watched_files(path))
        seen <<- watched_stamps(path)
        run(FALSE)
      })
    }
  }, interrupt = function(cnd) tell("Stopped."))
  invisible()
}

# A run that fails says why, and the next change is waited for.
rerun_watched <- function(folder, tell, run) {
  former <- temporary_folder()
  on.exit(remove_temporary(former))
  made <- vapply(record_in(folder)$outputs, function(output) output$file, "")
  file.copy(whole_files(folder, c("run.json", grep("[.](json|csv|tsv|parquet)$", made, value = TRUE))), former)
  tryCatch({
    run()
    changed <- what_changed(former, folder)
    about <- attr(changed, "about")
    tell(c(paste0(format(Sys.time(), "%H:%M:%S"), "  ", change_headline(about)), input_lines(about$inputs),
           found_lines(about$found)))
  }, hinterfeld_error = function(cnd) tell(paste("hinterfeld:", problem_with_causes(cnd))))
}

# How every file that the brief reads stands, and the brief itself.
watched_stamps <- function(path) {
  brief_stamps(watched_brief(path))
}

brief_stamps <- function(brief) {
  c(stamps_of_files(brief), database_stamps(brief))
}

watched_files <- function(path) {
  files_of_brief(watched_brief(path))
}

# With a mistake in it a brief is at least a file.
watched_brief <- function(path) {
  tryCatch(quietly(read_brief(path)), hinterfeld_error = function(cnd) list(path = path))
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
    tryCatch(quietly(with_open_sources(rows_written(database_named(name)))), error = function(cnd) "not reached")
  }, "")
}
