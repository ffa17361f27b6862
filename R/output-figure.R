# Figures as files.

write_png <- function(x, path, width, height, dpi = 144) {
  ggplot2::ggsave(path, x, device = ragg::agg_png, width = width, height = height, units = "px", dpi = dpi)
}

write_svg <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = svglite::svglite, width = width / 144, height = height / 144)
  bytes <- readBin(path, "raw", file.size(path))
  # XML can hold no control characters.
  odd <- bytes %in% as.raw(c(1:8, 11, 12, 14:31))
  if (any(odd)) {
    say("visible", "Texts of the figure hold control characters, which are written as ?.")
    write_bytes(replace(bytes, odd, charToRaw("?")), path)
  }
}

write_pdf <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = grDevices::cairo_pdf, width = width / 144, height = height / 144)
}
