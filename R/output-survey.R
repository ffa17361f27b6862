# What surveys look like in a terminal.

#' @rdname printing
#' @export
print.hinterfeld_survey <- function(x, ..., n = 20, spellings = FALSE) {
  check_flag(spellings, "spellings")
  writeLines(format(x, n = n, spellings = spellings))
  invisible(x)
}

#' @export
format.hinterfeld_survey <- function(x, ..., n = 20, spellings = FALSE) {
  lines <- count_of(attr(x, "lines"), "line")
  switch(attr(x, "kind"),
    columns = c(text_notes(sprintf("Survey of %s, %s", lines, count_of(nrow(x), "column"))), survey_blocks(x, n)),
    values = c(text_notes(sprintf("Survey of `%s` in %s: %s", names(x)[1], lines,
                                  count_of(sum(!is.na(x[[1]])), "distinct value"))),
               if (spellings) survey_value_lines(x, n) else survey_meaning_lines(x, n)),
    several = c(text_notes(sprintf("Survey of `%s` in %s", names(x)[1], lines)),
                text_table(quoted_values(x), list(revenue = attr(x, "decimals")), rows = n))
  )
}

# Two or three lines for each column: there are too many facts for a table.
survey_blocks <- function(x, n) {
  shown <- utils::head(x, n)
  if (nrow(shown) == 0) {
    return(character())
  }
  name_width <- min(32L, max(nchar(shown$column)))
  margin <- strrep(" ", name_width + 2L)
  blocks <- lapply(seq_len(nrow(shown)), function(i) {
    notes <- survey_notes(shown[i, ])
    text <- text_notes(notes, text_width() - name_width - 2L)
    name <- formatC(cli::ansi_strtrim(shown$column[i], name_width), width = -name_width)
    paste0(c(paste0(name, "  "), rep(margin, length(text) - 1L)), text)
  })
  c(unlist(blocks), cut_note(0, utils::tail(x$column, -n)))
}

survey_notes <- function(row) {
  count <- function(x, noun, plural = paste0(noun, "s")) if (!is.na(x) && x > 0) count_of(x, noun, plural)
  filled <- !is.na(row$distinct) && row$distinct > 0
  ends <- if (filled) sprintf("%s to %s", row$smallest, row$largest)
  c(
    paste(c(row$type, count(row$blanks, "blank"), count(row$distinct, "distinct value"), ends), collapse = ", "),
    if (filled && row$distinct < row$lines - row$blanks) paste("commonest", row$commonest),
    if (!is.na(row$variants) && row$variants > 0) {
      sprintf("%s only by case or spaces from another", count_of(row$variants, "value differs", "values differ"))
    },
    if (!is.na(row$unreadable) && row$unreadable > 0) {
      sprintf("%s no %s", count_of(row$unreadable, "line holds", "lines hold"), sub("^.* (.*)s$", "\\1", row$type))
    },
    if (!is.na(row$days_without) && row$days_without > 0) {
      sprintf("%s without a line%s", count_of(row$days_without, "day"),
              if (is.na(row$longest_without)) "" else paste0(", the longest stretches ", row$longest_without))
    }
  )
}

# One row for each meaning: values that differ by case or spaces only are one, and how they are written stands below.
survey_meaning_lines <- function(x, n) {
  first <- !duplicated(x$reads_as)
  if (all(first)) {
    return(survey_value_lines(x, n))
  }
  shown <- quoted_values(x)[first, ]
  shown$share <- percent_text(x$together[first] / attr(x, "lines"))
  shown$lines <- x$together[first]
  groups <- split(seq_len(nrow(x)), factor(match(x$reads_as, x$reads_as[first]), seq_len(sum(first))))
  if (!is.null(shown$revenue)) {
    shown$revenue <- vapply(groups, function(rows) sum(x$revenue[rows]), 0)
  }
  shown$spellings <- lengths(groups)
  shown[c("reads_as", "together")] <- NULL
  several <- Filter(function(rows) length(rows) > 1, utils::head(groups, n))
  ways <- vapply(several, function(rows) {
    most <- utils::head(rows, 4)
    ways <- sprintf("%s (%s)", quoted(x[[1]][most]), group_digits(x$lines[most]))
    more <- length(rows) - length(most)
    sprintf("%s is written %s.", quoted(x[[1]][rows[1]]), and_list(c(ways, if (more > 0) sprintf(
      "%s more ways", group_digits(more)))))
  }, "")
  c(text_table(shown, list(revenue = attr(x, "decimals")), rows = n, right = "share"), text_notes(ways),
    text_notes(sprintf("%s has a row for each spelling.", as_typed("print(x, spellings = TRUE)"))))
}

# Variants of one value stand indented below it.
survey_value_lines <- function(x, n) {
  shown <- quoted_values(x)
  if (is.character(x[[1]])) {
    variant <- !is.na(x$reads_as) & duplicated(x$reads_as)
    shown[[1]] <- paste0(ifelse(variant, "  ", ""), shown[[1]])
  }
  shown$share <- percent_text(x$share)
  shown$reads_as <- NULL
  shown$together <- if (anyDuplicated(x$reads_as)) ifelse(duplicated(x$reads_as), "", group_digits(x$together))
  right <- intersect(c("share", "together"), names(shown))
  text_table(shown, list(revenue = attr(x, "decimals")), rows = n, right = right)
}

# Texts stand in quotes, so that a blank, which does not, is none of them.
quoted_values <- function(x) {
  shown <- as.data.frame(x)
  text <- vapply(seq_len(nrow(shown)), function(i) value_text(shown[[1]][i], names(shown)[1]), "")
  shown[[1]] <- ifelse(is.na(text), "blank", if (is.character(shown[[1]])) quoted(text) else text)
  shown
}
