#' Colours of the figures
#'
#' Five colours for categories, from dark to light so that they stay distinct when printed in grey, and two for change:
#' moss for more and plum for less, with the paper colour between. Both sets can be told apart with the common
#' colour-vision deficiencies, as a test checks by simulation. No figure relies on colour alone.
#'
#' @param n Whole number, 1 to 5: how many category colours.
#' @param ... Passed on to [ggplot2::discrete_scale()] or [ggplot2::scale_fill_gradient2()].
#' @return `category_colours()` and `change_colours()`: text, colours as `#RRGGBB`; the latter named `more`,
#'   `none` and `less`. The scales: ggplot2 scales; those for change are continuous around 0. Of more than five groups
#'   those after the fifth are grey, and a message says so.
#' @section Errors: `hinterfeld_error_argument` for more colours than there are.
#' @export
#' @examples
#' category_colours()
#' change_colours()
category_colours <- function(n = 5) {
  colours <- c("#473278", "#85382F", "#4F717C", "#948025", "#A9B98A")
  if (!rlang::is_integerish(n, n = 1, finite = TRUE) || n < 0 || n > length(colours)) {
    stop_because("argument", sprintf("`n` must be a whole number up to %d.", length(colours)),
                 i = "More than five categories cannot be told apart by colour: use panels or labels.")
  }
  colours[seq_len(n)]
}

#' @rdname category_colours
#' @export
change_colours <- function() {
  c(more = "#6F8A2E", none = "#E6DFD0", less = "#6B2C5F")
}

#' @rdname category_colours
#' @export
scale_colour_category <- function(...) {
  ggplot2::discrete_scale("colour", "hinterfeld_category", few_colours, ...)
}

#' @rdname category_colours
#' @export
scale_fill_category <- function(...) {
  ggplot2::discrete_scale("fill", "hinterfeld_category", few_colours, ...)
}

# More than these nobody tells apart: further members share one grey.
few_colours <- function(n) {
  colours <- category_colours()
  if (n > length(colours)) {
    say("colours", sprintf("There are %d colours for %s: the others are grey.", length(colours), count_of(n, "group")),
        i = "Draw the largest, or put others together.")
  }
  unname(c(colours, rep(faint_ink, max(0, n - length(colours))))[seq_len(n)])
}

#' @rdname category_colours
#' @export
scale_colour_change <- function(...) {
  colours <- change_colours()
  ggplot2::scale_colour_gradient2(low = colours[["less"]], mid = colours[["none"]], high = colours[["more"]], ...)
}

#' @rdname category_colours
#' @export
scale_fill_change <- function(...) {
  colours <- change_colours()
  ggplot2::scale_fill_gradient2(low = colours[["less"]], mid = colours[["none"]], high = colours[["more"]], ...)
}

# The same colours with more ink, for text that must be read on paper.
with_ink <- function(colours) {
  vapply(colours, function(colour) grDevices::colorRampPalette(c(colour, ink))(10)[4], "")
}

paper <- "#FAF7F0"
ink <- "#2B2A33"
faint_ink <- "#6E6A72"
hairline <- "#DED8CB"
bar_ink <- "#4A4063"
quiet_bar <- "#B9B2A6"
