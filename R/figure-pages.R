# Figures that take several pages.

#' The pages of a figure
#'
#' A figure with more panels or rows than fit in one picture has several pages. Printing shows the first; [deliver()]
#' writes all of them, to numbered files.
#'
#' @param figure A figure, such as [figure_ranking()] gives.
#' @return A list of ggplots, one per page.
#' @section Errors: `hinterfeld_error_argument` for what is not a figure.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(town, product))
#' pages <- figure_pages(figure_ranking(t, n = 3))
#' length(pages)
#' pages[[2]]
figure_pages <- function(figure) {
  check_made(inherits(figure, "ggplot"), figure, "figure", "a figure")
  attr(figure, "pages", exact = TRUE) %||% list(figure)
}

# One figure of several: the first, with all of them available. `holds` names what stands on each.
paged <- function(pages, holds) {
  if (length(pages) == 1) {
    return(pages[[1]])
  }
  pages <- lapply(seq_along(pages), function(i) {
    pages[[i]] + ggplot2::labs(title = sprintf("%s (%d of %d)", pages[[i]]$labels$title, i, length(pages)))
  })
  structure(pages[[1]], pages = unname(pages), holds = unname(holds))
}
