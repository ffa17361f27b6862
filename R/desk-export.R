# The ways out: R code, lines of a brief, files.

# The calls that give the answer's table from the desk's facts.
state_code <- function(answer) {
  restricted <- vapply(state_rules(answer$state), function(rule) {
    verb <- if (is.null(rule$keep)) "leave_out" else "keep_lines"
    expression_source(rlang::call2(verb, quote(book), str2lang(rule[[1]])), 90L)
  }, "")
  table <- answer$table
  code <- if (is.null(listing_of(table))) unclass(as_code(inquiry_of(table))) else
    "# There is no R code for best_of_each() here; use the lines of a brief below."
  c(if (length(restricted)) paste("book <-", restricted), code)
}

# The same as an entry of a brief.
state_brief <- function(state, name = "table") {
  table_yaml(state$table, name)
}

# Puts the entry among the tables of a brief, all of whose other lines stay as they are.
add_to_brief <- function(path, state, name, replace = FALSE, call = NULL) {
  brief <- parse_brief(path, call)
  if (name %in% names(brief$content$tables) && !replace) {
    stop_because("brief", sprintf("%s has a table `%s` already.", basename(path), name),
                 i = "Give it another name, or tick the box that replaces it.", call = call)
  }
  lines <- readLines(path, encoding = "UTF-8", warn = FALSE)
  entry <- state_brief(state, name)[-1]
  made <- insert_table_lines(lines, brief, entry, name)
  # The brief is written only if only this table has changed in it.
  check <- temporary_file(".yaml", beside = dirname(path))
  on.exit(remove_temporary(check))
  write_text(made, check)
  after <- parse_brief(check, call)
  expected <- brief$content
  expected$tables[[name]] <- state$table
  problems <- form_problems(after)
  same <- identical(state_text(after$content$tables[[name]]), state_text(state$table)) &&
    identical(after$content[setdiff(names(after$content), "tables")], expected[setdiff(names(expected), "tables")])
  if (nrow(problems) || !same) {
    stop_because("brief", sprintf("A table cannot safely be added to %s as it is laid out.", basename(path)),
                 i = "Copy the lines and put them in by hand.", call = call)
  }
  write_whole(path, function(draft) write_text(made, draft))
  invisible(path)
}

# An entry at the end of the tables, or in place of the one of that name.
insert_table_lines <- function(lines, brief, entry, name) {
  keys <- yaml_lines(brief$text)
  top <- keys[!grepl(" > ", keys$path), ]
  start <- top$line[top$path == "tables"]
  if (length(start) == 0) {
    return(c(lines, "", "tables:", entry))
  }
  after <- top$line[top$line > start]
  end <- if (length(after)) min(after) - 1L else length(lines)
  # Comments and empty lines before the next part belong to it.
  while (end > start && grepl("^\\s*(#.*)?$", lines[end])) end <- end - 1L
  own <- keys$line[keys$path == paste0("tables > ", name)]
  indent <- sub("\\S.*$", "", lines[keys$line[grepl("^tables > [^>]*$", keys$path)][1]])
  if (length(indent) && !is.na(indent)) entry <- paste0(indent, sub("^  ", "", entry))
  if (length(own)) {
    others <- keys$line[grepl("^tables > [^>]*$", keys$path) & keys$line > own]
    last <- if (length(others)) min(others) - 1L else end
    return(append(lines[-seq(own, last)], entry, own - 1L))
  }
  append(lines, entry, end)
}

# The files that a reader can take: what each is called, and how it is written.
desk_files <- list(
  csv = function(me, path) deliver(me$answer$table, path), xlsx = function(me, path) deliver(me$answer$table, path),
  parquet = function(me, path) deliver(me$answer$table, path),
  png = function(me, path) deliver(answer_figure(me$answer), path),
  svg = function(me, path) deliver(answer_figure(me$answer), path),
  lines = function(me, path) deliver(me$lines$lines, path)
)

ending_of_kind <- function(kind) {
  if (kind == "lines") "csv" else kind
}

# A brief that a table can be added to: not that of the demo, which is the package's.
is_own_brief <- function(brief) {
  !is.null(brief) && !startsWith(normalizePath(brief$path), normalizePath(system.file(package = "hinterfeld")))
}

# "revenue of all lines by product.csv": the name of a file says its inquiry.
file_name_of <- function(me, kind) {
  words <- if (kind == "lines") "lines" else sub("[.]$", "", sentence_text(me$answer$state, me$desk))
  plain <- trimws(gsub("[^[:alnum:]]+", " ", words))
  paste0(trimws(substr(plain, 1, 80)), ".", ending_of_kind(kind))
}

# Where the code has its facts from.
book_comment <- function(desk) {
  if (is.null(desk$brief)) "# `book` is what open_desk() was given." else
    sprintf("# `book` is the daybook of the lines that %s names, with its restrictions.", basename(desk$brief$path))
}

ways_out_tags <- function(answer, desk) {
  tags <- htmltools::tags
  brief <- desk$brief
  list(
    tags$h2("Code and brief"),
    tags$h3("R code"), tags$pre(id = "code", tabindex = "0", printable(paste(c(book_comment(desk), state_code(answer)),
                                                                          collapse = "\n"))),
    tags$button(type = "button", `data-act` = "copy", `data-from` = "code", "Copy the code"),
    tags$h3("Lines of a brief"),
    tags$pre(id = "brief-lines", tabindex = "0", printable(paste(state_brief(answer$state), collapse = "\n"))),
    tags$button(type = "button", `data-act` = "copy", `data-from` = "brief-lines", "Copy the lines"),
    if (is_own_brief(brief)) tags$form(
      `data-part` = "add-to-brief", tags$h3("Add it to ", printable(basename(brief$path))),
      tags$label("as table ", tags$input(type = "text", name = "name", value = "from_the_desk")), " ",
      tags$label(tags$input(type = "checkbox", name = "replace", value = "true"), " replace the table of that name"),
      " ",
      tags$button(type = "button", `data-act` = "add-to-brief", "Add"), tags$p(id = "added", role = "status")
    )
  )
}
