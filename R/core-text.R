# Text compared the way people mean it: without regard to case and outer spaces.

# Outer spaces off, inner runs of spaces made one, lower case.
plain_text <- function(x) {
  tolower(gsub("[[:space:]]+", " ", gsub("^[[:space:]]+|[[:space:]]+$", "", x)))
}

#' Does text read as one of these values?
#'
#' Compares text without regard to case, to spaces before and after it, and to how many spaces
#' stand between its words: `"Paid "`, `"PAID"` and `"paid"` all read as `"paid"`. Made for the
#' conditions of [keep_lines()] and [leave_out()].
#'
#' @param x Text: a column.
#' @param ... Text: the values to compare with.
#' @return Logical, as long as `x`; missing where `x` is.
#' @section Errors: `hinterfeld_error_argument` when `x` or a value is not text.
#' @export
#' @examples
#' reads_as(c("delivered", " Delivered", "open", NA), "delivered", "collected")
reads_as <- function(x, ...) {
  values <- c(...)
  if (!(is.character(x) || is.factor(x) || all(is.na(x))) || !is.character(values)) {
    stop_because("argument", c(
      "`reads_as()` compares text with text.",
      i = sprintf("`x` is %s, the values are %s.", describe(x), describe(values))
    ))
  }
  ifelse(is.na(x), NA, plain_text(as.character(x)) %in% plain_text(values))
}
