# Figures as files.

write_png <- function(x, path, width, height, dpi = 144) {
  ggplot2::ggsave(path, x, device = ragg::agg_png, width = width, height = height, units = "px", dpi = dpi)
}

write_svg <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = svglite::svglite, width = width / 144, height = height / 144)
}

write_pdf <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = grDevices::cairo_pdf, width = width / 144, height = height / 144)
}
