# The facts that a brief asks, and what its tables need of them.

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
       measures = c(brief_measures(spec$measures), causes$measures))
}

# The columns that the causes of a table are computed over, and what they are computed from.
causes_asked <- function(spec) {
  steps <- Filter(function(step) names(step) == "causes", spec$add)
  asked <- lapply(steps, function(step) utils::modifyList(list(of = "revenue", over = "product", units = "units"),
                                                          as.list(step$causes)))
  own <- brief_measures(spec$measures)
  named <- brief_measure_names(spec$measures)
  measures <- unlist(lapply(asked, function(args) {
    of <- as.list(own)[[match(args$of, named, 1L)]]
    cause_measures(if (is.character(of)) new_measure("sum", brief_quo(of)) else of, args)
  }), recursive = FALSE)
  if (length(measures)) names(measures) <- make.unique(paste("causes:", names(measures)))
  list(over = unlist(lapply(asked, function(args) args$over)), measures = measures,
       of_lines = any(vapply(asked, function(args) isTRUE(args$returns) || !is.null(args$list_price), NA)))
}

# Needs by what they hold, each once; the tables that share one share its tally.
by_need <- function(needs) {
  names <- vapply(needs, need_name, "")
  stats::setNames(needs, names)[!duplicated(names)]
}

need_name <- function(need) {
  flat <- rapply(need, function(x) {
    if (rlang::is_quosure(x)) expression_source(rlang::quo_get_expr(x)) else as.character(x)
  }, how = "unlist")
  sha256_text(paste(names(flat), flat, collapse = "\n"))
}

needs_of_part <- function(kept, content) {
  brief_needs(content, list(columns = stats::setNames(nm = kept$columns), roles = stats::setNames(nm = kept$roles)))
}
