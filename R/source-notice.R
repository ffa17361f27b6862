# Waiting until something happens to files: where the system tells, it is heard at once, else they are looked at again
# and again.

# list(told =, wait =, stop =): whether the system tells of these files and folders; a wait until it did, or until some
# seconds have passed; the end of it. What is told is only a reason to look.
notice_of <- function(paths) {
  heard <- FALSE
  watch <- started_watch(paths[file.exists(paths)], function(paths) heard <<- TRUE)
  if (is.null(watch)) {
    return(list(told = FALSE, wait = Sys.sleep, stop = function() invisible()))
  }
  wait <- function(seconds) {
    until <- Sys.time() + seconds
    while (!heard && Sys.time() < until) later::run_now(as.numeric(until - Sys.time(), units = "secs"))
    heard <<- FALSE
  }
  list(told = TRUE, wait = wait, stop = function() invisible(watch$stop()))
}

# NULL where the package is not installed, or the system refuses.
started_watch <- function(paths, hear) {
  if (length(paths) == 0 || !requireNamespace("watcher", quietly = TRUE)) {
    return(NULL)
  }
  tryCatch({
    watch <- watcher::watcher(normalizePath(paths), hear, latency = 0.2)
    if (isTRUE(watch$start())) watch
  }, error = function(cnd) NULL)
}
