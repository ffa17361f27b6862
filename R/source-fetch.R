# Files of the web: fetched whole into a temporary file, once as long as somebody reads on.

# The file that an address was fetched into. Messages call it by the name that ends the address.
fetched_file <- function(url, call = caller_env()) {
  if (!grepl("^https?://", url, ignore.case = TRUE)) {
    stop_because("file", sprintf("\"%s\" cannot be fetched.", shown_address(url)),
                 i = "Give an address that begins with http:// or https://, or the path of a file.", call = call)
  }
  key <- rlang::hash(url)
  if (!is.null(fetched_files[[key]])) {
    return(fetched_files[[key]])
  }
  need_package("curl", "to fetch an address", call)
  file <- temporary_file(shown = name_in_address(url))
  done <- FALSE
  on.exit(if (!done) remove_temporary(file))
  problem <- fetch_problem(url, file)
  if (!is.null(problem)) {
    stop_because("file", sprintf("\"%s\" cannot be fetched.", shown_address(url)), x = problem[1],
                 i = if (length(problem) > 1) problem[2] else
                   "Check that the address is right and can be reached from here.",
                 call = call)
  }
  done <- TRUE
  if (isTRUE(holding$on)) assign(key, file, fetched_files)
  file
}

# The last step of an address, decoded; it names a file to readers, and never to the system.
name_in_address <- function(url) {
  last <- sub("^.*/(?=.)", "", shown_address(url), perl = TRUE)
  name <- if (grepl("%(?![0-9A-Fa-f]{2})|%00", last, perl = TRUE)) last else curl::curl_unescape(last)
  name <- gsub("^.*/|[[:cntrl:]]", "", if (validUTF8(name)) name else last)
  substr(printable(name), 1, 100)
}

# Fetches an address into a file: NULL, or why that failed and perhaps what to do.
fetch_problem <- function(url, file) {
  limit <- getOption("hinterfeld.unpacked_limit", 8e9)
  seconds <- max(3600, getOption("timeout"))
  handle <- curl::new_handle(url = url, connecttimeout = 30, low_speed_limit = 1, low_speed_time = 60,
                             timeout = seconds, maxredirs = 10)
  into <- file(file, "wb")
  on.exit(close(into))
  say("progress", sprintf("Fetching %s ...", shown_address(url)))
  answer <- NULL
  hear <- function(said) answer <<- said
  bytes <- 0
  take <- function(piece, last) {
    bytes <<- bytes + length(piece)
    if (bytes <= limit) writeBin(piece, into)
  }
  pool <- curl::new_pool()
  curl::multi_add(handle, hear, hear, take, pool)
  on.exit(if (is.null(answer)) curl::multi_cancel(handle), add = TRUE)
  while (is.null(answer) && bytes <= limit) {
    said <- bytes
    curl::multi_run(5, pool = pool)
    if (is.null(answer) && bytes > said) {
      say("progress", sprintf("Fetching %s: %s MB ...", shown_address(url), group_digits(bytes / 1e6)))
    }
  }
  if (bytes > limit) {
    c(sprintf("It has more than %s bytes.", group_digits(limit)),
      "Allow more with `options(hinterfeld.unpacked_limit = )`.")
  } else if (is.character(answer)) {
    transfer_problem(answer, seconds)
  } else if (answer$status_code != 200) {
    what <- c(`204` = "it has no content", `206` = "it sends only a part of the file", `401` = "it asks for a password",
              `403` = "it does not allow it", `404` = "it has no such file", `410` = "it has no such file any more",
              `429` = "it is asked too often", `500` = "it failed", `503` = "it is not available now")
    code <- as.character(answer$status_code)
    sprintf("The server answers with status %s%s.", code, if (code %in% names(what)) paste0(": ", what[[code]]) else "")
  }
}

# What a transfer ended by, in words of our own: those of the library may hold the address.
transfer_problem <- function(words, seconds) {
  reasons <- list(
    "resolve host" = "Its host is not known.",
    "connect to|refused" = "Nothing answers there.",
    "Operation too slow|less than 1 byte" = "The server sent nothing for 60 seconds.",
    "timed out|[Tt]imeout" = c(sprintf("It takes longer than %s.", count_of(ceiling(seconds / 60), "minute")),
                               "Allow more with `options(timeout = )`, in seconds."),
    "closed with|partial|outstanding" = "The connection ended before the file was complete.",
    "SSL|certificate|TLS" = "The server's certificate is not accepted.",
    "redirect" = "The server sends on more than 10 times.",
    "URL|[Mm]alformed|bad/illegal" = c("It is not an address.",
                                       "Write %20 for a space, for example `https://host/may%20sales.csv`."),
    "[Ff]ailed writing|write" = "It could not be written to the folder for temporary files."
  )
  found <- which(vapply(names(reasons), grepl, NA, x = words))
  if (length(found)) reasons[[found[1]]] else "The server did not answer as a server of the web does."
}
