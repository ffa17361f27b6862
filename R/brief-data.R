# From a brief's files to its daybook.

# A file entry is a path, or a path with options for load_table(); or a table of a database, which is known by name.
parse_file_entry <- function(entry, brief) {
  if (is.list(entry) && !is.null(entry$database)) {
    shown <- sprintf("%s of %s", if (is_query(entry$table)) "a query" else entry$table, entry$database)
    return(list(shown = shown, path = paste(entry$database, entry$table, sep = "\r"), database = entry$database,
                table = entry$table, parts = entry$parts,
                changed = entry$changed, options = Filter(Negate(is.null), list(types = unlist(entry$types)))))
  }
  options <- if (is.list(entry)) entry[setdiff(names(entry), "file")] else list()
  shown <- if (is.list(entry)) entry$file else entry
  options$types <- unlist(options$types)
  options$blank <- unlist(options$blank)
  list(shown = shown_path(shown), path = brief_path(brief, shown), options = Filter(Negate(is.null), options))
}

brief_path <- function(brief, path) {
  absolute <- grepl("^(/|~|[A-Za-z]:)", path) || is_address(path)
  if (absolute || brief$folder == ".") path else file.path(brief$folder, path)
}

# `texts` are columns to read as text whatever they look like; types given in the brief take precedence. Of `wanted`
# columns those that are there are read; NULL for all.
load_file <- function(entry, brief, texts = character(), wanted = NULL) {
  read_brief_file(file_with_types(entry, brief, texts, wanted))
}

read_brief_file <- function(file) {
  source <- open_brief_file(file, scan_whole)
  on.exit(close_source(source))
  read_source(source)
}

# The source that an entry names.
open_brief_file <- function(file, scan = scan_parts) {
  columns <- rlang::new_quosure(file$options$columns, rlang::empty_env())
  options <- rlang::exec(checked_options, !!!file$options[setdiff(names(file$options), "columns")])
  if (is.null(file$database)) {
    open_files(file$path, columns, options, scan = scan)
  } else {
    open_database(database_named(file$database), file$table, columns, options)
  }
}

file_with_types <- function(entry, brief, texts, wanted) {
  file <- parse_file_entry(entry, brief)
  columns <- file_columns(file)
  file$options$types <- c(file$options$types, text_types(setdiff(texts, names(file$options$types)), columns))
  if (is.null(wanted) || is.null(columns) || all(columns %in% wanted)) {
    return(file)
  }
  used <- intersect(columns, wanted)
  if (length(setdiff(used, file$options$columns))) {
    say_progress("%s: %s used: %s", file$shown,
                 sprintf("%d of %s %s", length(used), count_of(length(columns), "column"),
                         if (length(used) == 1) "is" else "are"), paste(used, collapse = ", "))
  }
  file$options$columns <- used
  file$options$types <- file$options$types[names(file$options$types) %in% used]
  file
}

text_types <- function(texts, columns) {
  here <- intersect(texts, columns)
  if (length(here)) stats::setNames(rep("text", length(here)), here)
}

# The columns that roles of names, or a day with a format, are taken from, and the keys that are compared with them.
columns_of_names <- function(content) {
  roles <- content$daybook
  texts <- unlist(roles[c("product", "order", if (!is.null(roles$day_format)) "day")])
  pairs <- unlist(lapply(content$data$attach, function(step) {
    theirs <- unlist(step$by)
    ours <- names(theirs) %||% theirs
    Map(c, ifelse(nzchar(ours), ours, theirs), theirs)
  }), recursive = FALSE)
  # A key may be compared with one that was found only later.
  for (pair in c(pairs, pairs)) if (any(pair %in% texts)) texts <- union(texts, pair)
  unname(texts)
}

# Every file that a brief reads, each once: list(shown =, path =, options =).
brief_files <- function(brief) {
  content <- brief$content
  entries <- c(
    list(content$data$lines), lapply(content$data$attach, function(step) step$table),
    lapply(unname(content$tables), function(table) table$unsold$catalogue),
    lapply(c(closed_files(content), target_files(content)), function(file) file[[2]]),
    unlist(lapply(unname(content$figures), function(figure) list(figure$places, figure$outline)), recursive = FALSE),
    content$report[c("catalogue", "targets", "places", "outline")] |> unname()
  )
  files <- lapply(Filter(Negate(is.null), entries), parse_file_entry, brief = brief)
  files[!duplicated(vapply(files, function(file) file$path, ""))]
}

# The brief itself and all files of its sources that can be found.
files_of_brief <- function(brief) {
  files <- tryCatch(quietly(lapply(brief_files(brief), function(file) {
    # An address is not fetched every few seconds.
    if (is.null(file$database) && !is_address(file$path)) {
      tryCatch(source_files(file$path), hinterfeld_error = function(cnd) file$path)
    }
  })), error = function(cnd) NULL)
  c(brief$path, unlist(files))
}

stamps_of_files <- function(brief) {
  files <- files_of_brief(brief)
  stats::setNames(file_stamps(files), files)
}

# The files of targets that steps name, each behind its place in the brief; targets may be written there too.
target_files <- function(content) {
  files <- unlist(unname(Map(function(table, name) {
    lapply(seq_along(table$add), function(i) list(c("tables", name, "add", i, "target", "targets"),
                                                  table$add[[i]]$target$targets))
  }, content$tables, names(content$tables))), recursive = FALSE)
  Filter(function(file) !is.null(file[[2]]) && is_file_entry(file[[2]]), files)
}

# Files of closed days: what names neither a weekday nor a date.
closed_files <- function(content) {
  closed <- closed_entries(content)
  named <- vapply(closed, function(entry) rlang::is_string(entry) && !is_day_or_weekday(entry) || is.list(entry), NA)
  lapply(which(named), function(i) list(c("daybook", "calendar", "closed", i), closed[[i]]))
}

# One may stand alone.
closed_entries <- function(content) {
  closed <- content$daybook$calendar$closed
  if (is.list(closed) && is.null(names(closed))) closed else if (length(closed)) list(closed)
}

is_day_or_weekday <- function(text) {
  tolower(text) %in% weekdays_known || grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
}

# The brief with the days of such files in their place, from their one column of dates.
with_closed_days <- function(brief) {
  files <- closed_files(brief$content)
  if (length(files) == 0) {
    return(brief)
  }
  days <- lapply(files, function(file) {
    table <- quietly(load_file(file[[2]], brief))
    dates <- Filter(function(column) inherits(column, "Date"), as.list(table))
    if (length(dates) != 1) {
      stop_because("column", sprintf("%s has %s of dates, so it does not say which days are closed.",
                                     parse_file_entry(file[[2]], brief)$shown, count_of(length(dates), "column")),
                   i = "Give a file with one column of dates.", call = NULL)
    }
    format(dates[[1]])
  })
  at <- vapply(files, function(file) file[[1]][[4]], "")
  closed <- closed_entries(brief$content)
  brief$content$daybook$calendar$closed <- c(closed[-as.integer(at)], as.list(unlist(days)))
  brief
}

is_file_entry <- function(entry) {
  !is.list(entry) || any(c("file", "database") %in% names(entry))
}

brief_daybook <- function(brief, wanted = columns_used(brief$content)) {
  data <- brief$content$data
  texts <- columns_of_names(brief$content)
  say_progress("Reading %s", parse_file_entry(data$lines, brief)$shown)
  lines <- load_file(data$lines, brief, texts, wanted)
  book_of_lines(lines, attached_tables(brief, texts, wanted), brief)
}

attached_tables <- function(brief, texts, wanted) {
  lapply(brief$content$data$attach, function(step) {
    say_progress("Reading %s", parse_file_entry(step$table, brief)$shown)
    load_file(step$table, brief, texts, wanted)
  })
}

# The spellings of columns are those of all lines, so they are found before lines are read in parts.
with_spellings <- function(brief) {
  names <- unlist(brief$content$data$settle)
  if (length(names)) {
    types <- stats::setNames(rep("text", length(names)), names)
    file <- parse_file_entry(brief$content$data$lines, brief)
    file$options[c("columns", "types")] <- list(names, types)
    table <- quietly(read_brief_file(file))
    brief$spellings <- lapply(stats::setNames(nm = names), function(name) spelling_of(table[[name]], name))
    for (spelling in brief$spellings) say("settle", spelling$words)
  }
  brief
}

# Settles spellings, attaches the tables, makes the daybook, and applies the brief's columns and restrictions.
book_of_lines <- function(lines, tables, brief) {
  if (is.null(brief$spellings)) {
    settle <- unlist(brief$content$data$settle)
    if (length(settle)) lines <- settle_spelling(lines, tidyselect::all_of(settle))
  }
  for (name in names(brief$spellings)) lines <- respell(lines, name, brief$spellings[[name]])
  for (i in seq_along(tables)) {
    step <- brief$content$data$attach[[i]]
    lines <- rlang::exec(attach_table, lines, tables[[i]], by = unlist(step$by),
                         !!!step[intersect(names(step), c("need", "name"))])
  }
  book <- make_daybook(lines, brief$content$daybook)
  columns <- lapply(brief$content$columns, brief_quo)
  if (length(columns)) book <- rlang::inject(extend_lines(book, !!!columns))
  for (rule in brief$content$restrict) book <- restrict_by(book, rule)
  book
}

# Every name that a brief mentions, in keys, texts and expressions: what it does not mention it cannot use. A report
# looks for columns of its own.
columns_used <- function(content) {
  leaves <- unlist(content, use.names = TRUE)
  texts <- unique(c(as.character(leaves), unlist(strsplit(names(leaves), ".", fixed = TRUE)), all_names(content)))
  inside <- lapply(texts, function(text) tryCatch(all.vars(str2lang(text)), error = function(cnd) NULL))
  report <- if ("report" %in% names(content)) c("product", "category", "region")
  # A column found in two tables gets the second table's name as a suffix; also try the plain name.
  plain <- unlist(lapply(content$data$attach, function(step) {
    name <- step$name %||% attached_name(step$table)
    ending <- paste0("_", name)
    sub(ending, "", texts[endsWith(texts, ending)], fixed = TRUE)
  }))
  unique(c(texts, unlist(inside), report, plain))
}

# Of nested lists.
all_names <- function(x) {
  if (is.list(x)) c(names(x), unlist(lapply(unname(x), all_names)))
}

# What attach_table() calls a table of a brief by itself.
attached_name <- function(table) {
  if (is.list(table) && is.null(table$file)) {
    return(table_short_name(table$table))
  }
  sub("([.][[:alnum:]]+)+$", "", basename(if (is.list(table)) table$file else table))
}

make_daybook <- function(lines, roles) {
  given <- roles[setdiff(names(roles), c("revenue", "calendar", "decimals"))]
  if (!is.null(roles$calendar)) given$calendar <- rlang::exec(sales_calendar, !!!roles$calendar)
  if (!is.null(roles$decimals)) given$decimals <- unlist(roles$decimals)
  if (!is.null(roles$covers)) given$covers <- unlist(roles$covers)
  rlang::inject(daybook(lines, revenue = !!brief_quo(roles$revenue), !!!given))
}

restrict_by <- function(book, rule) {
  act <- if (is.null(rule$keep)) leave_out else keep_lines
  rlang::inject(act(book, !!brief_quo(rule$keep %||% rule$leave_out), why = rule$why))
}

say_progress <- function(text, ...) {
  say("progress", sprintf(paste0(text, " ..."), ...))
}

# Columns ----------------------------------------------------------------------------------------------

# The columns that a file or the first file of several has, from its heading alone; none when it cannot be read.
# Columns that hold text in the first lines, and so are text whatever follows; none if these cannot be read cheaply.
text_columns <- function(file) {
  quietly(tryCatch({
    table <- if (is_plain_text(file)) first_lines(file, 200)
    number <- function(x) !is.na(suppressWarnings(as.numeric(gsub("[[:space:],.]", "", x))))
    is_text <- function(x) type_of(x) == "text" && any(!is.na(x)) && !any(number(x[!is.na(x)]))
    as.character(names(table)[vapply(table, is_text, NA)])
  }, error = function(cnd) character(), warning = function(cnd) character()))
}

is_plain_text <- function(file) {
  is.null(file$database) && file.exists(file$path) && !dir.exists(file$path) &&
    grepl("[.](csv|tsv|txt)$", file$path, ignore.case = TRUE)
}

# The first lines of a file of text; all of a small file of another kind, NULL of a large one or of a database.
first_lines <- function(file, n) {
  if (!is.null(file$database)) {
    return(NULL)
  }
  file$path <- source_files(file$path)[1]
  if (!is_plain_text(file) || n == Inf) {
    return(if (file.size(file$path) < 5e6 || n == Inf) read_brief_file(file))
  }
  copy <- temporary_file(paste0(".", file_ending(file$path)), shown_file(file$path))
  on.exit(remove_temporary(copy))
  con <- gzfile(file$path, "rb")
  on.exit(close(con), add = TRUE)
  bytes <- readBin(con, "raw", 1e6)
  ends <- utils::head(grepRaw("\n", bytes, fixed = TRUE, all = TRUE), n)
  writeBin(if (length(ends)) utils::head(bytes, max(ends)) else bytes, copy)
  read_brief_file(replace(file, "path", copy))
}

file_columns <- function(file) {
  quietly(tryCatch(columns_of_file(file), hinterfeld_error = function(cnd) NULL))
}

columns_of_file <- function(file) {
  if (is.null(file$database)) {
    rlang::exec(source_columns, file$path, !!!file$options[setdiff(names(file$options), "types")])
  } else {
    query_columns(database_named(file$database), file$table)
  }
}
