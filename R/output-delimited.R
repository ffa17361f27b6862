# Tables as delimited text (RFC 4180).

# Every cell is text before it is written, so the writer has nothing to decide but quotes.
write_delimited <- function(x, path, delimiter) {
  cells <- cell_texts(x)
  tryCatch(
    data.table::fwrite(cells$columns, path, sep = delimiter, quote = "auto", qmethod = "double", eol = "\n", na = "",
                       dateTimeAs = "ISO", showProgress = FALSE, nThread = threads_wanted()),
    error = function(cnd) stop_unwritten(conditionMessage(cnd)),
    warning = function(cnd) stop_unwritten(conditionMessage(cnd))
  )
  # Not every version of the writer notices a full disk: each line must be there.
  if (line_feeds_kernel(path) != nrow(x) + (length(x) > 0) + cells$feeds) {
    stop_unwritten("It was cut short. Is the disk full?")
  }
}

# The columns as texts, and how many line feeds these hold. Numbers are plain decimals: never an exponent, money with
# all its decimals. Amounts and texts that come again become text once, and are written by their codes; plain days are
# the writer's own.
cell_texts <- function(x) {
  exact <- exact_decimals(x)
  rows <- nrow(x)
  given <- names(x)
  x <- formula_safe(as.list(x))
  feeds <- text_feeds_kernel(names(x))
  of_labels <- function(values) {
    coded <- distinct_codes(values)
    labels <- enc2utf8(as.character(if (inherits(values, "Date")) plain_days(coded$labels) else coded$labels))
    if (any(grepl("\n", labels, fixed = TRUE))) feeds <<- feeds + text_feeds_kernel(labels[as.integer(coded$codes)])
    given_labels(list(codes = coded$codes, labels = labels), !is.na(labels) & labels != "")
  }
  of_money <- function(values, decimals) {
    coded <- fixed_codes(values, decimals)
    factor_kernel(coded$codes, coded$labels)
  }
  columns <- Map(function(values, name) {
    if (is_plain_days(values)) {
      plain_days(values)
    } else if (inherits(values, "POSIXct")) {
      format(values, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
    } else if (!is.numeric(values) || inherits(values, "Date")) {
      of_labels(values)
    } else if (name %in% names(exact)) {
      of_money(values, exact[[name]])
    } else {
      number_text(values)
    }
  }, x, given)
  names(columns) <- names(x)
  # An empty line would not be read back as a row.
  if (length(columns) == 1) columns[[1]] <- replace(as.character(columns[[1]]), is.na(columns[[1]]), "")
  list(columns = structure(columns, class = "data.frame", row.names = .set_row_names(rows)), feeds = feeds)
}

# Days that the writer writes as they are: whole ones, none missing, with a year of four digits.
is_plain_days <- function(x) {
  days <- if (inherits(x, "Date")) day_codes_kernel(as.double(x), 1L)
  !is.null(days) && days$first >= -354285 && days$last <= 2932896
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
