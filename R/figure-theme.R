# The look of every figure: quiet paper, one ink, a set of five colours that survives the common
# colour-vision deficiencies and grey print.

paper <- "#FAF7F0"
ink <- "#2B2A33"
faint_ink <- "#6E6A72"
hairline <- "#DED8CB"

# Ordered from dark to light so that grey print keeps them apart.
category_colours <- c("#3B2F63", "#1F6F6B", "#B5542B", "#7C9A3A", "#C98F1F")

# Lato where it is installed, the device's own sans serif elsewhere.
figure_family <- function() {
  if (!any(systemfonts::system_fonts()$family == "Lato")) {
    return("sans")
  }
  # R's own PDF and PostScript devices know no system fonts and would refuse the name.
  if (!"Lato" %in% names(grDevices::pdfFonts())) {
    grDevices::pdfFonts(Lato = grDevices::pdfFonts()$Helvetica)
    grDevices::postscriptFonts(Lato = grDevices::postscriptFonts()$Helvetica)
  }
  "Lato"
}

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
      plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.35)),
      plot.subtitle = ggplot2::element_text(colour = faint_ink, margin = ggplot2::margin(b = 12)),
      plot.caption = ggplot2::element_text(colour = faint_ink, hjust = 0, size = ggplot2::rel(0.75),
                                           margin = ggplot2::margin(t = 12)),
      plot.title.position = "plot",
      plot.caption.position = "plot",
      plot.margin = ggplot2::margin(18, 20, 12, 18)
    )
}

# Axis labels such as "0", "25 k", "1.2 M".
short_money <- function(x) {
  size <- max(abs(x), 0, na.rm = TRUE)
  unit <- if (size >= 1e6) c(1e6, " M") else if (size >= 1e4) c(1e3, " k") else c(1, "")
  text <- format(x / as.numeric(unit[1]), big.mark = " ", trim = TRUE, drop0trailing = TRUE)
  ifelse(is.na(x), NA, ifelse(x == 0, "0", paste0(text, unit[2])))
}

# Heights for labels at the ends of lines: near `y`, in the same order, at least `gap` apart.
spread_labels <- function(y, gap) {
  order <- order(y)
  at <- y[order]
  for (round in seq_len(200)) {
    near <- which(diff(at) < gap * 0.999)
    if (length(near) == 0) break
    for (i in near) {
      push <- (gap - (at[i + 1] - at[i])) / 2
      if (push > 0) at[c(i, i + 1)] <- at[c(i, i + 1)] + c(-push, push)
    }
  }
  at[order(order)]
}

wrap_words <- function(x, width) {
  vapply(x, function(one) paste(strwrap(one, width), collapse = "\n"), "", USE.NAMES = FALSE)
}
