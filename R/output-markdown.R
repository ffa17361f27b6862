# Tables as Markdown, for documents and messages.

write_markdown <- function(x, path) {
  write_text(markdown_lines(x), path)
}

# Of the first `n` rows; `heading` is how a title is marked, `names` what the columns are called.
markdown_lines <- function(x, n = nrow(x), heading = c("## ", ""), names = base::names(x)) {
  about <- table_description(x)
  rows <- seq_len(min(n, nrow(x)))
  cells <- Map(function(values, form) markdown_text(shown_text(values[rows], form, calendar_of(x))), as.list(x),
               about$columns)
  right <- vapply(about$columns, function(form) form$kind %in% number_kinds, NA)
  row <- function(cells) paste0("| ", do.call(paste, c(unname(cells), sep = " | ")), " |")
  c(
    if (!is.null(about$title)) {
      c(paste0(heading[1], markdown_text(paste0(about$title, money_note(about$columns, about$unit))), heading[2]), "")
    },
    row(as.list(markdown_text(names))),
    row(as.list(ifelse(right, "---:", "---"))),
    if (length(rows)) row(cells), if (n < nrow(x)) c("", sprintf("... %s", count_of(nrow(x) - n, "more row"))),
    if (length(about$sentences)) c("", paste("-", markdown_text(about$sentences)))
  )
}

#' Tables in knitted documents
#'
#' A totals table, a crosstab and every other table of this package is a table of the document, with its title, its
#' sentences, and names of periods.
#'
#' @param x A totals table, a crosstab, or another table of this package.
#' @param ... Not used.
#' @param n Number: at most this many rows; `options(hinterfeld.knitted_rows = )` gives another default.
#' @return For [knitr::knit_print()]: text that is taken as it is.
#' @name knitted
#' @exportS3Method knitr::knit_print
#' @examples
#' t <- totals(demo_daybook(), by = region)
#' if (requireNamespace("knitr", quietly = TRUE)) cat(knitr::knit_print(t))
knit_print.hinterfeld_totals <- function(x, ..., n = getOption("hinterfeld.knitted_rows", 10)) {
  check_whole_number(n, "n", 0)
  lines <- markdown_lines(x, n, c("**", "**"), name_words(names(x)))
  knitr::asis_output(paste(c("", held_together(lines), "", ""), collapse = "\n"))
}

#' @rdname knitted
#' @exportS3Method knitr::knit_print
knit_print.hinterfeld_crosstab <- knit_print.hinterfeld_totals

#' @rdname knitted
#' @exportS3Method knitr::knit_print
knit_print.hinterfeld_listing <- knit_print.hinterfeld_totals

#' @rdname knitted
#' @exportS3Method knitr::knit_print
knit_print.hinterfeld_findings <- function(x, ...) {
  listing <- listing_of(x)
  said <- markdown_text(x$finding)
  knitr::asis_output(paste(c("",
    sprintf("**%s**", markdown_text(listing_title(listing))), "", sprintf("%d. %s", seq_along(said), said), "",
    sprintf("- %s", markdown_text(listing_sentences(listing))), "", ""
  ), collapse = "\n"))
}

markdown_text <- function(text) {
  gsub("[\r\n]+", " ", gsub("([\\\\|*`<\\[\\]#])", "\\\\\\1", text, perl = TRUE))
}
