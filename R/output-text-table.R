# Tables as lines of text: aligned, no wider than asked, saying what was cut.

# Tables take the width that there is; sentences wider than 100 characters are hard to follow.
table_width <- function() {
  max(40L, cli::console_width())
}

text_width <- function() {
  min(100L, table_width())
}

# A column as text, and whether it is set flush right. Missing values show as a dash.
column_text <- function(x, decimals = NULL) {
  text <- if (inherits(x, "Date")) {
    format(x)
  } else if (is.numeric(x) && !is.null(decimals)) {
    fixed_number_text(x, decimals)
  } else if (is.numeric(x)) {
    ifelse(x == round(x), group_digits(x), people_plain(signif(x, 6)))
  } else {
    as.character(x)
  }
  text <- gsub("[\r\n]", " ", printable(text))
  text[is.na(x)] <- "-"
  list(text = text, right = is.numeric(x))
}

# Lines of text for a table of at most `width` characters: names, rows, and how many more there are. Columns that do
# not fit follow on further pages, each beside the first `keys` columns. `decimals` names the columns that hold money.
# With `last` there is one page only, whose last columns are these. Text that is too long ends in an ellipsis, or with
# `wrap` goes on in the next line. Numbers, and the texts named by `right`, stand flush right.
text_table <- function(x, decimals = list(), width = table_width(), rows = 10, headings = names(x), wrap = FALSE,
                       right = character(), more = 0, keys = 1, last = NULL) {
  shown <- utils::head(as.data.frame(x), rows)
  headings <- even_headings(headings)
  cells <- Map(column_text, shown, decimals[names(shown)])
  for (name in right) cells[[name]]$right <- TRUE
  widths <- vapply(seq_along(cells), function(i) {
    max(cli::ansi_nchar(c(headings[[i]], cells[[i]]$text), "width"), 1L)
  }, 0L)
  widths <- fit_widths(widths, vapply(cells, function(cell) cell$right, NA), width)
  widths <- room_beside(widths, keys, vapply(cells, function(cell) cell$right, NA), width)
  pages <- column_pages(widths, min(keys, length(cells) - 1L), width)
  left <- 0
  if (!is.null(last) && length(pages) > 1) {
    pages <- list(one_page(widths, keys, match(last, names(shown)), width))
    left <- length(cells) - length(pages[[1]])
  }
  bodies <- lapply(pages, function(page) table_lines(cells[page], headings[page], widths[page], wrap))
  body <- unlist(lapply(bodies, function(lines) c("", lines)))[-1]
  c(body, cut_note(nrow(x) - nrow(shown) + more, left))
}

# The columns that fit beside the first `keys`: of the `last` and of the others one at least, the last ones first.
one_page <- function(widths, keys, last, width) {
  first <- seq_len(keys)
  others <- setdiff(seq_along(widths), c(first, last))
  room <- width - sum(widths[first] + 2L) + 2L
  fitting <- function(columns, room) utils::head(columns, max(1L, sum(cumsum(widths[columns] + 2L) <= room)))
  last <- fitting(last, room - sum(widths[others[1]] + 2L, na.rm = TRUE))
  c(first, fitting(others, room - sum(widths[last] + 2L)), last)
}

# The columns that are repeated leave room for the widest of the others.
room_beside <- function(widths, keys, right, width) {
  first <- seq_len(min(keys, length(widths) - 1L))
  room <- width - max(widths[-first], 0L) - 2L
  while (sum(widths[first] + 2L) - 2L > room && any(!right[first] & widths[first] > 14L)) {
    widest <- first[!right[first] & widths[first] > 14L]
    widest <- widest[which.max(widths[widest])]
    widths[widest] <- widths[widest] - 1L
  }
  widths
}

# The columns of each page: as many as fit, one at least, behind the first `keys`.
column_pages <- function(widths, keys, width) {
  first <- seq_len(keys)
  room <- width - sum(widths[first] + 2L) + 2L
  pages <- list()
  page <- integer()
  for (i in setdiff(seq_along(widths), first)) {
    if (length(page) && sum(widths[c(page, i)] + 2L) > room) {
      pages <- c(pages, list(c(first, page)))
      page <- integer()
    }
    page <- c(page, i)
  }
  c(pages, list(c(first, page)))
}

# Headings of one line or several, each with as many lines as the highest has, empty ones above.
even_headings <- function(headings) {
  headings <- lapply(headings, function(heading) gsub("[\r\n]", " ", printable(heading)))
  height <- max(lengths(headings))
  lapply(headings, function(heading) c(rep("", height - length(heading)), heading))
}

# A heading that stands above several columns is written once.
spanning <- function(headings) {
  height <- length(headings[[1]])
  for (level in seq_len(height - 1L)) {
    above <- vapply(headings, function(heading) paste(heading[seq_len(level)], collapse = "\r"), "")
    again <- c(FALSE, above[-1] == above[-length(above)])
    headings[again] <- lapply(headings[again], replace, level, "")
  }
  headings
}

table_lines <- function(cells, headings, widths, wrap) {
  headings <- spanning(headings)
  texts <- Map(function(cell, heading, width) {
    text <- c(heading, cell$text)
    if (wrap) strwrap(text, width + 1L, exdent = 2, simplify = FALSE) else as.list(trimmed_text(text, width))
  }, cells, headings, widths)
  height <- do.call(pmax, lapply(texts, lengths))
  lines <- Map(function(text, cell, width) {
    text <- Map(function(cell_text, height) c(as.character(cell_text), rep("", height - length(cell_text))), text,
                height)
    as.character(cli::ansi_align(unlist(text), width, if (cell$right) "right" else "left"))
  }, texts, cells, widths)
  sub(" +$", "", do.call(paste, c(unname(lines), sep = "  ")))
}

# Text of more than `width` ends in an ellipsis, which would take the place of a text of width 1.
trimmed_text <- function(text, width) {
  ifelse(cli::ansi_nchar(text, "width") > width, cli::ansi_strtrim(text, width), text)
}

# Text columns give way before numbers do, the widest first: down to 14 characters when that makes
# everything fit, else only down to 28, and columns at the end go to further pages.
fit_widths <- function(widths, right, width) {
  gaps <- 2L * (length(widths) - 1L)
  narrowest <- if (sum(ifelse(right, widths, pmin(widths, 14L))) + gaps <= width) 14L else 28L
  repeat {
    over <- sum(widths) + gaps - width
    wide <- which(!right & widths > narrowest)
    if (over <= 0 || length(wide) == 0) {
      return(widths)
    }
    widest <- wide[which.max(widths[wide])]
    next_width <- max(narrowest, widths[setdiff(wide, widest)], widths[widest] - over)
    widths[widest] <- min(widths[widest] - 1L, next_width)
  }
}

# `columns` are the names of those that are left out, or how many they are.
cut_note <- function(rows, columns = 0) {
  named <- if (is.character(columns)) paste0(": ", paste(columns, collapse = ", "))
  columns <- if (is.character(columns)) length(columns) else columns
  phrases <- c(if (rows > 0) count_of(rows, "more row"),
               if (columns > 0) paste0(count_of(columns, "more column"), named))
  if (length(phrases)) text_notes(paste("...", paste(phrases, collapse = "; ")))
}

# Sentences as lines of text; the space between thousands does not break a number apart.
text_notes <- function(notes, width = text_width()) {
  notes <- printable(notes)
  held <- gsub("(?<=[0-9]) (?=[0-9]{3}\\b|%)", "\u00a0", notes, perl = TRUE)
  gsub("\u00a0", " ", unlist(lapply(held, strwrap, width = width, exdent = 2)))
}
