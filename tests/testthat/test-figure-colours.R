# Colour-vision deficiencies at full severity: G. M. Machado, M. M. Oliveira and L. A. F. Fernandes, "A
# physiologically-based model for simulation of color vision deficiency", IEEE TVCG 15(6), 2009.
deficiencies <- list(
  none = diag(3),
  protan = matrix(c(0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998), 3,
                  byrow = TRUE),
  deutan = matrix(c(0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881), 3,
                  byrow = TRUE),
  tritan = matrix(c(1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900), 3,
                  byrow = TRUE)
)

seen_with <- function(colours, deficiency) {
  rgb <- grDevices::col2rgb(colours) / 255
  linear <- ifelse(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055)^2.4)
  seen <- deficiency %*% linear
  seen[] <- pmin(1, pmax(0, seen))
  255 * t(ifelse(seen <= 0.0031308, 12.92 * seen, 1.055 * seen^(1 / 2.4) - 0.055))
}

closest <- function(colours, deficiency) {
  seen <- seen_with(colours, deficiency)
  distance <- farver::compare_colour(seen, seen, "rgb", "rgb", "cie2000")
  min(distance[upper.tri(distance) | lower.tri(distance)])
}

lightness <- function(colours) {
  farver::convert_colour(t(grDevices::col2rgb(colours)), "rgb", "lab")[, 1]
}

test_that("category colours stay apart for every kind of colour vision and in grey print", {
  for (deficiency in deficiencies) expect_gt(closest(category_colours(), deficiency), 15)
  expect_true(all(diff(lightness(category_colours())) > 5))
})

test_that("the pair for change stays apart, and is neither red nor green to anybody's loss", {
  for (deficiency in deficiencies) expect_gt(closest(change_colours(), deficiency), 25)
  expect_gt(abs(diff(lightness(change_colours()[c("more", "less")]))), 15)
})

test_that("scales use the palettes", {
  data <- data.frame(x = 1:3, g = c("a", "b", "c"), d = c(-1, 0, 1))
  bars <- ggplot2::ggplot(data, ggplot2::aes(x, 1, fill = g, colour = g)) + ggplot2::geom_col() +
    scale_fill_category() + scale_colour_category()
  expect_identical(drawn(bars, 1)$fill, category_colours(3))
  expect_identical(drawn(bars, 1)$colour, category_colours(3))
  change <- ggplot2::ggplot(data, ggplot2::aes(x, 1, fill = d, colour = d)) + ggplot2::geom_col() +
    scale_fill_change() + scale_colour_change()
  expect_identical(drawn(change, 1)$fill, unname(change_colours()[c("less", "none", "more")]))
  expect_identical(drawn(change, 1)$colour, unname(change_colours()[c("less", "none", "more")]))
  expect_snapshot(error = TRUE, category_colours(6))
})

test_that("members beyond the colours are grey, and a message says so", {
  drawn_with <- function(n) {
    data <- data.frame(x = seq_len(n), group = letters[seq_len(n)])
    figure <- ggplot2::ggplot(data, ggplot2::aes(.data$x, .data$x, fill = .data$group, colour = .data$group)) +
      ggplot2::geom_col() + scale_fill_category() + scale_colour_category()
    ggplot2::ggplot_build(figure)$data[[1]]
  }
  expect_identical(drawn_with(3)$fill, unname(category_colours()[1:3]))
  expect_message(many <- drawn_with(7), "There are 5 colours for 7 groups: the others are grey.")
  expect_identical(many$fill, unname(c(category_colours(), faint_ink, faint_ink)))
  expect_identical(many$colour, many$fill)
})
