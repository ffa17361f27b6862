# Figures as files. They are laid out for 1280 by 800 pixels: in any other size text and lines grow or shrink with the
# picture, so that what fits there fits, and what is longer one way than the other has more room.

figure_dpi <- function(width, height) {
  144 * min(width / 1280, height / 800)
}

# ggplot2 caches how far letters reach below the baseline by device and size, not by resolution, so the first figure of
# a process would affect all later ones. We therefore measure at the standard resolution first.
measure_letters <- function(figure) {
  file <- temporary_file(".png")
  ragg::agg_png(file, 8, 8, res = figure_dpi(1280, 800))
  on.exit({
    grDevices::dev.off()
    remove_temporary(file)
  })
  for (name in names(figure$theme)) {
    element <- ggplot2::calc_element(name, figure$theme)
    text <- inherits(element, c("element_text", "ggplot2::element_text"))
    if (text && is.numeric(element$size)) ggplot2::element_grob(element, label = "a")
  }
}

write_png <- function(x, path, width, height) {
  drawn_or_kept(x, path, "png", width, height, function() {
    measure_letters(x)
    ggplot2::ggsave(path, x, device = ragg::agg_png, width = width, height = height, units = "px",
                    dpi = figure_dpi(width, height))
  })
}

write_svg <- function(x, path, width, height) {
  need_package("svglite", "to draw SVG, as reports do")
  drawn_or_kept(x, path, "svg", width, height, function() save_vectors(path, x, svglite::svglite, width, height))
  write_bytes(charToRaw(readable_svg(path)), path)
}

# The text of a file of SVG, for readers other than the device.
readable_svg <- function(path) {
  text <- rawToChar(readBin(path, "raw", file.size(path)))
  Encoding(text) <- "UTF-8"
  # XML can hold no control characters.
  if (!identical(printable(text), text)) {
    say("visible", "Some text of the figure contains control characters, written as \ufffd.")
  }
  # Whoever looks at it may not have the font.
  gsub("font-family: (\"[^\"]+\");", "font-family: \\1, Helvetica, Arial, sans-serif;", printable(text))
}

# SVG as the address of a picture.
svg_address <- function(text) {
  paste0("data:image/svg+xml;base64,", gsub("[\r\n]", "", jsonlite::base64_enc(charToRaw(text))))
}

write_pdf <- function(x, path, width, height) {
  drawn_or_kept(x, path, "pdf", width, height, function() save_vectors(path, x, grDevices::cairo_pdf, width, height))
}

# Lines scale by themselves; the page is as large as its layout.
save_vectors <- function(path, x, device, width, height) {
  dpi <- figure_dpi(width, height)
  ggplot2::ggsave(path, x, device = device, width = width / dpi, height = height / dpi)
}
