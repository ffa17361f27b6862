# Sources that stay open while a command runs: databases and fetched files.

fetched_files <- new.env(parent = emptyenv())

# Whether sources are held open, databases and fetched files.
holding <- new.env(parent = emptyenv())

# While `code` runs, databases stay connected and addresses are fetched once.
with_open_sources <- function(code) {
  outer <- !isTRUE(holding$on)
  holding$on <- TRUE
  on.exit(if (outer) {
    for (name in ls(open_databases)) disconnect_database(open_databases[[name]]$con)
    rm(list = ls(open_databases), envir = open_databases)
    remove_temporary(as.character(as.list(fetched_files)))
    rm(list = ls(fetched_files), envir = fetched_files)
    holding$on <- FALSE
  })
  force(code)
}

# One connection to each database while a brief is checked or run, or a command: all that it reads is of one moment.
open_databases <- new.env(parent = emptyenv())

disconnect_database <- function(con) {
  try(DBI::dbExecute(con, "ROLLBACK"), silent = TRUE)
  try(DBI::dbDisconnect(con), silent = TRUE)
}
