# Text compared the way people mean it: without regard to case and outer spaces.

# Outer spaces off, inner runs of spaces made one, lower case, letters with their marks as one (normal form C of
# Unicode Standard Annex 15).
plain_text <- function(x) {
  tolower(composed(gsub(blanks, " ", gsub(sprintf("^%1$s|%1$s$", blanks), "", x))))
}

# Spaces, those that do not break among them.
blanks <- "[[:space:]\u00a0\u2007\u202f]+"

# A letter and its mark may be two characters that look like one.
composed <- function(x) {
  apart <- grep("[\u0300-\u036f]", x, perl = TRUE)
  if (length(apart) && has_package("stringi")) x[apart] <- stringi::stri_trans_nfc(x[apart])
  x
}

# Labels that look alike as a reader can tell them apart: spaces around them are shown by quotes, and letters that are
# written with separate marks are named.
distinguishable <- function(labels) {
  spaced <- grepl(sprintf("^%1$s|%1$s$", blanks), labels)
  apart <- composed(labels) != labels & composed(labels) %in% labels
  labels <- ifelse(spaced %in% TRUE, quoted(labels), labels)
  ifelse(apart %in% TRUE, paste(labels, "(letters and marks apart)"), labels)
}

#' Does text read as one of these values?
#'
#' Compares text, ignoring case, leading and trailing spaces, and the number of spaces between words: `"Paid "`,
#' `"PAID"` and `"paid"` all read as `"paid"`. It is meant for the conditions of [keep_lines()] and [leave_out()].
#'
#' @param x Text: a column.
#' @param ... Text: the values to compare with.
#' @return A logical vector of the same length as `x`; missing where `x` is missing.
#' @section Errors: `hinterfeld_error_argument` when `x` or a value is not text.
#' @export
#' @examples
#' reads_as(c("delivered", " Delivered", "open", NA), "delivered", "collected")
reads_as <- function(x, ...) {
  values <- c(...)
  if (!(is.character(x) || is.factor(x) || all(is.na(x))) || !is.character(values)) {
    stop_because("argument", "`reads_as()` compares text with text.",
                 i = sprintf("`x` is %s, the values are %s.", describe(x), describe(values)))
  }
  ifelse(is.na(x), NA, plain_text(as.character(x)) %in% plain_text(values))
}
