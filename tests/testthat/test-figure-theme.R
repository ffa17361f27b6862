test_that("the theme can be added to any plot, and figures draw on R's own PDF device", {
  plot <- ggplot2::ggplot(mtcars, ggplot2::aes(wt, mpg)) + ggplot2::geom_point() + theme_hinterfeld(base_size = 14)
  expect_identical(plot$theme$text$size, 14)
  path <- withr::local_tempfile(fileext = ".pdf")
  grDevices::pdf(path)
  print(figure_trend(totals(a_book(), every = "month")))
  grDevices::dev.off()
  expect_gt(file.size(path), 1000)
})
