# Work done by copies of this process: drawing, by as many as there are processors; and what may end its process.

# What each job, a function without arguments, returns. Messages and warnings of all jobs, and the first error, are
# signalled in the order of the jobs.
side_by_side <- function(jobs) {
  workers <- min(threads_wanted(), length(jobs))
  if (workers < 2 || !can_fork()) {
    return(lapply(jobs, function(job) job()))
  }
  clear_messages()
  done <- parallel::mclapply(jobs, heard_job, mc.cores = workers, mc.set.seed = FALSE)
  lapply(done, function(result) {
    if (!is.list(result)) stop_because("run", "A process that was drawing ended early. Is there enough memory?")
    for (cnd in result$said) if (inherits(cnd, "warning")) warning(cnd) else message(cnd)
    if (!is.null(result$error)) rlang::cnd_signal(result$error)
    result$value
  })
}

# What a job returns that may end its process, as a reader of damaged bytes may: a copy does it, while this process
# evaluates `meanwhile`. NULL if the copy ended.
in_a_copy <- function(job, meanwhile = NULL) {
  if (!can_fork()) {
    force(meanwhile)
    return(job())
  }
  copy <- start_copy(job)
  tryCatch(meanwhile, finally = done <- suppressWarnings(parallel::mccollect(copy)))
  value_of_copy(done[[1]])
}

# A copy of this process that does a job.
start_copy <- function(job) {
  clear_messages()
  parallel::mcparallel({
    silence_kernel()
    heard_job(job)
  }, mc.set.seed = FALSE, silent = TRUE)
}

value_of_copy <- function(done) {
  if (!is.null(done$error)) rlang::cnd_signal(done$error)
  done$value
}

# What is left of messages to workers or pages is freed here: a copy that freed it would wait for threads that only this
# process has, or end.
clear_messages <- function() {
  serves <- isNamespaceLoaded("httpuv") && length(httpuv::listServers()) > 0
  if (serves || isNamespaceLoaded("nanonext")) gc()
}

# A copy of this process is safe on Linux, outside of programs that draw windows of their own.
can_fork <- function() {
  Sys.info()[["sysname"]] == "Linux" && .Platform$GUI %in% c("X11", "unknown")
}

heard_job <- function(job) {
  # The threads of the process that was copied are not in the copy.
  options(hinterfeld.threads = 1)
  said <- list()
  hear <- function(restart) function(cnd) {
    said <<- c(said, list(cnd))
    invokeRestart(restart)
  }
  done <- withCallingHandlers(
    tryCatch(list(value = job()), error = function(cnd) list(error = cnd)),
    message = hear("muffleMessage"), warning = hear("muffleWarning")
  )
  c(done, list(said = said))
}
