# Files of the web: fetched whole into the folder for temporary files, once as long as somebody reads on.

is_url <- function(path) {
  grepl("^https?://", path, ignore.case = TRUE)
}

# Where the file of an address is, under its own name.
fetched_file <- function(url, call = caller_env()) {
  if (!is.null(fetched_files[[url]])) {
    return(fetched_files[[url]])
  }
  folder <- tempfile("fetched-")
  dir.create(folder)
  file <- file.path(folder, utils::URLdecode(basename(sub("[?#].*$", "", url))))
  say("progress", sprintf("Fetching %s ...", url))
  # A part of a file is not a file: what R only warns of is a failure, too.
  why <- character()
  hear <- function(cnd) why <<- c(why, sub("^.*: ", "", conditionMessage(cnd)))
  withCallingHandlers(
    tryCatch(with_an_hour(utils::download.file(url, file, "libcurl", quiet = TRUE, mode = "wb")), error = hear),
    warning = function(cnd) {
      hear(cnd)
      invokeRestart("muffleWarning")
    }
  )
  if (length(why)) {
    unlink(folder, recursive = TRUE)
    stop_because("file", sprintf("\"%s\" cannot be fetched.", url), x = capital(why[order(!grepl("status", why))][1]),
                 i = "Is the address right, and is it reached from here?", call = call)
  }
  if (isTRUE(holding$on)) assign(url, file, fetched_files)
  file
}

# R gives up after a minute, whatever the size of the file.
with_an_hour <- function(code) {
  old <- options(timeout = max(3600, getOption("timeout")))
  on.exit(options(old))
  code
}
