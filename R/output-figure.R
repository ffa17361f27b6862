# Figures as files.

write_png <- function(x, path, width, height, dpi = 144) {
  ggplot2::ggsave(path, x, device = ragg::agg_png, width = width, height = height, units = "px", dpi = dpi)
}

write_svg <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = svglite::svglite, width = width / 144, height = height / 144)
  text <- rawToChar(readBin(path, "raw", file.size(path)))
  Encoding(text) <- "UTF-8"
  # XML can hold no control characters.
  if (!identical(visible(text), text)) {
    say("visible", "Texts of the figure hold control characters, which are written as \ufffd.")
    write_bytes(charToRaw(visible(text)), path)
  }
}

write_pdf <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = grDevices::cairo_pdf, width = width / 144, height = height / 144)
}
