key_of <- function(figure, ...) figure_key(figure, "png", ...)

test_that("figures that show the same have one key in any session, others have others", {
  book <- kilnmoor_book()
  draw <- function(book) {
    t <- totals(book, by = region, every = "month")
    list(figure_trend(t), figure_ranking(totals(book, by = c(region, product))),
         figure_change(add_change(totals(book, by = region, every = "year"))),
         figure_crosstab(crosstab(totals(book, by = c(category, region)), category, region)),
         figure_pareto(add_pareto(totals(book, by = product))), figure_weekdays(totals(book, every = "weekday")))
  }
  keys <- function(figures) vapply(figures, key_of, "", width = 1280, height = 800)
  first <- quiet(keys(draw(book)))
  expect_identical(anyDuplicated(first), 0L)
  expect_identical(quiet(keys(draw(book))), first)
  # One line less, another currency, other words, another size.
  fewer <- quiet(keys(draw(leave_out(book, region == "Vale" & day == as.Date("2026-03-02")))))
  expect_false(any(fewer == first))
  figure <- figure_trend(totals(book, by = region, every = "month"))
  changed <- list(figure + ggplot2::labs(title = "Other"), figure + ggplot2::theme(legend.position = "top"),
                  figure + ggplot2::geom_hline(yintercept = 5))
  expect_identical(anyDuplicated(c(key_of(figure, 1280, 800), keys(changed), key_of(figure, 640, 400))), 0L)
})

test_that("a figure that was kept is copied, one that was damaged drawn again", {
  folder <- withr::local_tempdir()
  figure <- figure_ranking(totals(kilnmoor_book(), by = region))
  bytes <- function(path) readBin(path, "raw", file.size(path))
  plain <- bytes(deliver(figure, file.path(folder, "a.png")))
  with_figure_store(folder, {
    first <- bytes(deliver(figure, file.path(folder, "b.png")))
    kept <- list.files(folder, "^[0-9a-f]{32}-[0-9a-f]{16}[.]png$", full.names = TRUE)
    expect_length(kept, 1)
    Sys.setFileTime(kept, as.POSIXct("2020-01-01"))
    again <- bytes(deliver(figure, file.path(folder, "c.png")))
    expect_identical(as.numeric(file.mtime(kept)), as.numeric(as.POSIXct("2020-01-01")))
    writeBin(rev(bytes(kept)), kept)
    mended <- bytes(deliver(figure, file.path(folder, "d.png")))
    expect_identical(unique(figures_used()), basename(kept))
  })
  expect_identical(list(first, again, mended), list(plain, plain, plain))
  expect_null(figure_store$folder)
})
