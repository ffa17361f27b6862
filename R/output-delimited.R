# Tables as delimited text (RFC 4180).

write_delimited <- function(x, path, delimiter) {
  rows <- nrow(x)
  exact <- exact_decimals(x)
  given <- names(x)
  x <- formula_safe(as.list(x))
  cells <- Map(function(values, name) cell_texts(values, exact[[name]]), x, given)
  problem <- write_delimited_kernel(path.expand(path), enc2utf8(names(x)), cells, rows, delimiter, threads_wanted())
  if (nzchar(problem)) stop_unwritten(problem)
}

# A column's cells: codes and labels, labels alone where every cell has its own, or amounts and their decimals. Numbers
# are plain decimals: never an exponent, money with all its decimals.
cell_texts <- function(values, decimals = NULL) {
  if (inherits(values, "POSIXct")) {
    return(list(NULL, format(values, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")))
  }
  if (!is.numeric(values) || inherits(values, "Date")) {
    coded <- distinct_codes(values)
    labels <- as.character(if (inherits(values, "Date")) plain_days(coded$labels) else coded$labels)
    return(list(coded$codes, enc2utf8(labels)))
  }
  if (is.null(decimals)) list(NULL, number_text(values)) else list(as.double(values), as.integer(decimals))
}

# A cell that begins like a formula would be run by a spreadsheet, whatever it says; numbers may begin with a sign.
# `x` are the columns.
formula_safe <- function(x) {
  texts <- names(x)[vapply(x, function(column) is.character(column) || is.factor(column), NA)]
  for (name in texts) {
    coded <- distinct_codes(x[[name]])
    risky <- which(like_formula(coded$labels))
    rows <- if (length(risky)) which(coded$codes %in% risky)
    if (length(rows)) {
      text <- as.character(x[[name]])
      say("protected",
          sprintf("%s of `%s` begin like a formula and were written with an apostrophe in front, for example %s.",
                  count_of(length(rows), "text"), name, examples_of(text[rows], 1)))
      x[[name]] <- replace(text, rows, paste0("'", text[rows]))
    }
  }
  heads <- like_formula(names(x))
  names(x)[heads] <- paste0("'", names(x)[heads])
  x
}

like_formula <- function(text) {
  grepl("^[-=+@\t\r]", text) & !grepl("^[-+]?[0-9]*[.]?[0-9]+$", text)
}
