# What a layer of a figure draws.
drawn <- function(figure, layer) {
  ggplot2::layer_data(figure, layer)
}

# The number of the first layer with this geometry.
layer_of <- function(figure, geom) {
  which(vapply(figure$layers, function(layer) inherits(layer$geom, geom), NA))[1]
}

labels_of <- function(figure) {
  unlist(lapply(ggplot2::ggplot_build(figure)$data, function(layer) as.character(layer$label)))
}

# 300 products with long names, over 30 months.
many_products <- function() {
  withr::local_seed(7)
  daybook(tibble::tibble(
    day = as.Date("2024-01-01") + sample(0:900, 6000, replace = TRUE),
    product = sprintf("A product with a long and descriptive name, number %03d", sample(300, 6000, replace = TRUE)),
    revenue = round(stats::rexp(6000, 1 / 50), 2)
  ), day, revenue, product)
}

# Each figure must also be drawn, not only built.
expect_drawn <- function(figure) {
  path <- withr::local_tempfile(fileext = ".svg")
  testthat::expect_no_warning(deliver(figure, path))
  text <- paste(readLines(path), collapse = "")
  testthat::expect_match(text, "</svg>", fixed = TRUE)
  invisible(text)
}
