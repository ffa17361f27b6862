# From a brief's files to its daybook.

# A file entry is a path, or a path with options for load_table().
file_entry <- function(entry, brief) {
  options <- if (is.list(entry)) entry[setdiff(names(entry), "file")] else list()
  shown <- if (is.list(entry)) entry$file else entry
  options$types <- unlist(options$types)
  options$blank <- unlist(options$blank)
  list(shown = shown, path = brief_path(brief, shown), options = Filter(Negate(is.null), options))
}

brief_path <- function(brief, path) {
  absolute <- grepl("^(/|~|[A-Za-z]:)", path)
  if (absolute) path else file.path(brief$folder, path)
}

# `texts` are columns that name something, whatever they look like; types that the brief gives count more.
load_file <- function(entry, brief, texts = character()) {
  file <- file_entry(entry, brief)
  found <- text_types(setdiff(texts, names(file$options$types)), file_columns(file))
  file$options$types <- c(file$options$types, found)
  rlang::exec(load_table, file$path, !!!file$options)
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
    unlist(lapply(unname(content$figures), function(figure) list(figure$places, figure$outline)), recursive = FALSE),
    content$report[c("catalogue", "places", "outline")] |> unname()
  )
  files <- lapply(Filter(Negate(is.null), entries), file_entry, brief = brief)
  files[!duplicated(vapply(files, function(file) file$path, ""))]
}

brief_daybook <- function(brief) {
  content <- brief$content
  say_progress("Reading %s", file_entry(content$data$lines, brief)$shown)
  texts <- columns_of_names(content)
  lines <- load_file(content$data$lines, brief, texts)
  for (step in content$data$attach) {
    say_progress("Attaching %s", file_entry(step$table, brief)$shown)
    lines <- rlang::exec(attach_table, lines, load_file(step$table, brief, texts), by = unlist(step$by),
                         !!!step[intersect(names(step), c("need", "name"))])
  }
  book <- make_daybook(lines, content$daybook)
  for (rule in content$restrict) book <- restrict_by(book, rule)
  book
}

make_daybook <- function(lines, roles) {
  given <- roles[setdiff(names(roles), c("revenue", "calendar", "decimals"))]
  if (!is.null(roles$calendar)) given$calendar <- rlang::exec(sales_calendar, !!!roles$calendar)
  if (!is.null(roles$decimals)) given$decimals <- unlist(roles$decimals)
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
file_columns <- function(file) {
  quietly(tryCatch(
    rlang::exec(source_columns, file$path, !!!file$options[setdiff(names(file$options), "types")]),
    hinterfeld_error = function(cnd) NULL
  ))
}
