# What surveys look like in a terminal.

#' @rdname printing
#' @export
print.hinterfeld_survey <- function(x, ..., n = 20) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_survey <- function(x, ..., n = 20) {
  lines <- count_of(attr(x, "lines"), "line")
  switch(attr(x, "kind"),
    columns = c(text_notes(sprintf("Survey of %s, %s", lines, count_of(nrow(x), "column"))), survey_blocks(x, n)),
    values = c(text_notes(sprintf("Survey of `%s` in %s: %s", names(x)[1], lines,
                                  count_of(sum(!is.na(x[[1]])), "distinct value"))),
               survey_value_lines(x, n)),
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
    facts <- survey_facts(shown[i, ])
    text <- text_notes(facts, text_width() - name_width - 2L)
    name <- formatC(cli::ansi_strtrim(shown$column[i], name_width), width = -name_width)
    paste0(c(paste0(name, "  "), rep(margin, length(text) - 1L)), text)
  })
  c(unlist(blocks), cut_note(0, utils::tail(x$column, -n)))
}

survey_facts <- function(row) {
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
      sprintf("%s without a line", count_of(row$days_without, "day"))
    }
  )
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
  text <- vapply(seq_len(nrow(shown)), function(i) value_text(shown[[1]][i]), "")
  shown[[1]] <- ifelse(is.na(text), "blank", if (is.character(shown[[1]])) quoted(text) else text)
  shown
}
