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
  list(told = TRUE, wait = wait, stop = function() let_go(watch))
}

# NULL where the package is not installed, or the system refuses.
started_watch <- function(paths, hear) {
  if (length(paths) == 0 || !has_package("watcher")) {
    return(NULL)
  }
  tryCatch({
    watch <- watcher::watcher(normalizePath(paths), hear, latency = 0.2)
    if (isTRUE(watch$start())) {
      held_watches$all <- c(held_watches$all, list(list(watch = watch, hear = hear)))
      watch
    }
  }, error = function(cnd) NULL)
}

# What the system has told is on its way to a watch even when that was stopped, which must be there for it: each is held
# for a minute more.
held_watches <- new.env(parent = emptyenv())

let_go <- function(watch) {
  watch$stop()
  now <- proc.time()[["elapsed"]]
  held_watches$all <- Filter(function(held) is.null(held$stopped) || now - held$stopped < 60, lapply(
    held_watches$all, function(held) if (identical(held$watch, watch)) c(held, list(stopped = now)) else held
  ))
  invisible()
}
