#' The theme of the figures
#'
#' A pale background, one ink colour, and hairlines only where they help reading. Text is set in Lato if it is
#' installed, otherwise in the device's own sans serif.
#'
#' @param base_size Size of the text in points.
#' @return A ggplot2 theme.
#' @export
#' @examples
#' figure_trend(totals(demo_daybook(), every = "month")) + theme_hinterfeld(base_size = 14)
theme_hinterfeld <- function(base_size = 12) {
  ggplot2::theme_minimal(base_size = base_size, base_family = figure_family()) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = ink),
      plot.background = ggplot2::element_rect(fill = paper, colour = NA),
      panel.background = ggplot2::element_rect(fill = paper, colour = NA),
      panel.grid.major = ggplot2::element_line(colour = hairline, linewidth = 0.3),
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_blank(),
      axis.text = ggplot2::element_text(colour = faint_ink),
      axis.title = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(face = "bold", hjust = 0, colour = ink),
      plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.35)),
      plot.subtitle = ggplot2::element_text(colour = faint_ink, size = ggplot2::rel(0.95),
                                            margin = ggplot2::margin(b = 12)),
      plot.caption = ggplot2::element_text(colour = faint_ink, hjust = 0, size = ggplot2::rel(0.75),
                                           margin = ggplot2::margin(t = 12)),
      plot.title.position = "plot",
      plot.caption.position = "plot",
      plot.margin = ggplot2::margin(18, 20, 12, 18),
      legend.position = "none"
    )
}

# The system is asked for its fonts once: all of them are listed, for every figure.
system_has <- new.env(parent = emptyenv())

figure_family <- function() {
  if (is.null(system_has$lato)) system_has$lato <- any(systemfonts::system_fonts()$family == "Lato")
  if (!system_has$lato) {
    return("sans")
  }
  # R's own PDF and PostScript devices know no system fonts and would refuse the name.
  if (!"Lato" %in% names(grDevices::pdfFonts())) {
    grDevices::pdfFonts(Lato = grDevices::pdfFonts()$Helvetica)
    grDevices::postscriptFonts(Lato = grDevices::postscriptFonts()$Helvetica)
  }
  "Lato"
}

# For values without an axis to read them from: bars with their numbers beside them.
theme_bars <- function() {
  theme_hinterfeld() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(), axis.text.x = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink, size = ggplot2::rel(0.85)),
      panel.spacing = grid::unit(14, "pt")
    )
}
