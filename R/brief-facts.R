# The facts that a brief asks.

# The facts that a brief asks: list(all =, table = function(name)). A daybook, or tallies with what each table needs.
brief_facts <- function(brief) {
  brief <- with_closed_days(brief)
  if (!is.null(brief$open_store) && !can_be_stored(brief)) brief["open_store"] <- list(NULL)
  if (!is.null(brief$open_store)) {
    return(facts_of_tallies(brief_tallies(brief)))
  }
  large <- is_large(parse_file_entry(brief$content$data$lines, brief))
  # A report shows lines that were set aside, which only lines can.
  tallies <- if (large || is.null(brief$content$report)) grouped_tallies(brief, large)
  if (is.null(tallies) && (large || !is.null(workers_of(brief)))) tallies <- brief_tallies(brief)
  if (is.null(tallies)) {
    book <- brief_daybook(brief)
    return(list(all = book, headline = book, table = function(name) book))
  }
  facts_of_tallies(tallies)
}

facts_of_tallies <- function(tallies) {
  list(all = tallies[["report"]], headline = tallies[["headline"]],
       table = function(name) tallies[[paste("table", name)]])
}

# More bytes than are read into memory at once; a row of a database is taken for a hundred bytes, and Parquet for five
# times what its file is.
is_large <- function(file) {
  limit <- getOption("hinterfeld.in_memory", 2e9)
  if (!is.null(file$database)) {
    return(100 * open_brief_file(file)$rows > limit)
  }
  files <- quietly(tryCatch(source_files(file$path), hinterfeld_error = function(cnd) character()))
  packed <- grepl("[.]gz$", files, ignore.case = TRUE)
  parquet <- grepl("[.]parquet$", files, ignore.case = TRUE)
  bytes <- file.size(files) * ifelse(parquet, 5, 1)
  bytes[packed] <- vapply(files[packed], unpacked_bytes, 0)
  sum(bytes) > limit
}
