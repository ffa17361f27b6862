# Briefs whose lines do not fit into memory: lines are read in chunks and tallied, one tally per table.

# The facts that a brief asks: list(all =, table = function(name)). A daybook, or tallies with what each table needs.
brief_facts <- function(brief) {
  if (!is.null(brief$open_store) && can_be_stored(brief)) {
    return(facts_of_tallies(stored_tallies(brief, brief$open_store)))
  }
  large <- is_large(parse_file_entry(brief$content$data$lines, brief))
  # A report shows lines that were set aside, which only lines can.
  tallies <- if (large || is.null(brief$content$report)) grouped_tallies(brief, large)
  if (is.null(tallies) && large) tallies <- brief_tallies(brief)
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

brief_tallies <- function(brief) {
  content <- brief$content
  texts <- columns_of_names(content)
  wanted <- columns_used(content)
  lines <- file_with_types(content$data$lines, brief, texts, wanted)
  say_progress("Reading %s in chunks and tallying each", lines$shown)
  tables <- attached_tables(brief, texts, wanted)
  source <- open_brief_file(lines)
  on.exit(close_source(source))
  needs <- NULL
  tallies <- tallies_of_chunks(source, function(lines) quietly(book_of_lines(lines, tables, brief)), function(book) {
    if (is.null(needs)) needs <<- brief_needs(content, book)
    lapply(needs, function(need) quietly(rlang::exec(tally_of, book, !!!need)))
  })
  say_attached(tallies$report$trail)
  tallies
}

# For each table its columns, period and measures; for the report those that it looks at, and its headline numbers.
brief_needs <- function(content, book) {
  all_columns <- names(book$columns)
  tables <- lapply(content$tables, table_needs, columns = all_columns)
  report <- content$report
  columns <- if (!is.null(report)) c("product", report$category %||% "category", report$region %||% "region",
                                     report$place)
  standing <- list(by = intersect(columns, all_columns), every = "day",
                   measures = as.list(intersect(c("revenue", "units"), names(book$roles))))
  if (length(tables)) names(tables) <- paste("table", names(tables))
  c(list(report = standing), if (!is.null(report)) list(headline = headline_need(book)), tables)
}

# The tally is per day, unless only the table's own periods are used; a change always needs days.
needed_grain <- function(spec, asked) {
  every <- unlist(spec$every)
  whole <- length(every) == 1 && every %in% grains && !"day" %in% asked && length(spec$add) == 0
  if (whole) every else "day"
}

headline_need <- function(book) {
  measures <- headline_measures()
  roles <- c("units", "order")[!c("units", "order") %in% names(book$roles)]
  lacking <- unlist(list(units = "units", order = c("orders", "revenue_per_order"))[roles])
  list(every = "day", measures = c(measures[!names(measures) %in% lacking], list(mean_of_a_day = mean_of_a_day())))
}

table_needs <- function(spec, columns) {
  if (!is.null(spec$unsold)) {
    where <- if (!is.null(spec$unsold$where)) all.vars(str2lang(spec$unsold$where))
    by <- c(spec$unsold$product %||% "product", unlist(spec$unsold$within), where)
    return(list(by = intersect(by, columns), every = "day",
                measures = as.list(intersect(c("revenue", "units"), columns))))
  }
  conditions <- unlist(spec[c("keep", "leave_out")])
  asked <- unlist(lapply(conditions, function(text) all.vars(str2lang(text))))
  causes <- causes_asked(spec)
  by <- union(unlist(spec$by), c(setdiff(asked, "day"), causes$over))
  dated <- !is.null(spec$every) || "day" %in% asked || length(spec$add) || length(spec$pick)
  list(by = intersect(by, columns), every = if (dated) needed_grain(spec, asked),
       measures = c(brief_measures(spec$measures), as.list(setdiff(causes$units, brief_measure_names(spec$measures)))))
}

# The columns that the causes of a table are computed over, and those of its pieces.
causes_asked <- function(spec) {
  steps <- Filter(function(step) names(step) == "causes", spec$add)
  list(over = unlist(lapply(steps, function(step) unlist(step$causes$over) %||% "product")),
       units = unlist(lapply(steps, function(step) step$causes$units %||% "units")))
}

# Reports lines without a match, summed over all chunks.
say_attached <- function(trail) {
  steps <- trail[trail$what == "attach" & trail$unmatched > 0, ]
  for (i in seq_len(nrow(steps))) {
    say("attach", sprintf("%s: %s without a match.", steps$why[i], count_of(steps$unmatched[i], "line")))
  }
}
