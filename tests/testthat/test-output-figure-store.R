bytes_of <- function(path) readBin(path, "raw", file.size(path))
stored_in <- function(folder) list.files(folder, "^[0-9a-f]{32}-[0-9a-f]{16}[.](png|svg)$", full.names = TRUE)

test_that("a figure that was kept is copied, one that was damaged drawn again", {
  folder <- withr::local_tempdir()
  figure <- made_figure("ranking", totals(kilnmoor_book(), by = region))
  plain <- bytes_of(deliver(figure, file.path(folder, "a.png")))
  with_figure_store(folder, function() "lines", {
    first <- bytes_of(deliver(figure, file.path(folder, "b.png")))
    kept <- stored_in(folder)
    expect_length(kept, 1)
    Sys.setFileTime(kept, as.POSIXct("2020-01-01"))
    again <- bytes_of(deliver(figure, file.path(folder, "c.png")))
    expect_identical(as.numeric(file.mtime(kept)), as.numeric(as.POSIXct("2020-01-01")))
    writeBin(rev(bytes_of(kept)), kept)
    mended <- bytes_of(deliver(figure, file.path(folder, "d.png")))
    expect_identical(unique(figures_used()), basename(kept))
  })
  expect_identical(list(first, again, mended), list(plain, plain, plain))
  expect_null(figure_store$folder)
})

test_that("figures of another table, other arguments, lines, words or marks are others; what is not known is drawn", {
  folder <- withr::local_tempdir()
  book <- kilnmoor_book()
  t <- totals(book, by = region)
  path <- file.path(folder, "a.svg")
  # How many figures more are kept.
  kept <- function(figure, lines = "lines") {
    before <- length(stored_in(folder))
    with_figure_store(folder, function() lines, deliver(figure, path))
    drawn <- bytes_of(path)
    deliver(figure, path)
    expect_identical(drawn, bytes_of(path))
    length(stored_in(folder)) - before
  }
  expect_identical(kept(made_figure("ranking", t)), 1L)
  expect_identical(kept(made_figure("ranking", totals(book, by = region))), 0L)
  fewer <- totals(leave_out(book, region == "Vale" & day == as.Date("2026-03-02")), by = region)
  expect_identical(kept(made_figure("ranking", fewer)), 1L)
  expect_identical(kept(made_figure("ranking", t, n = 3)), 1L)
  expect_identical(kept(made_figure("ranking", t), "other lines"), 1L)
  expect_identical(kept(made_figure("ranking", t) + ggplot2::labs(caption = NULL)), 1L)
  withr::with_options(list(hinterfeld.group_mark = "'"), expect_identical(kept(made_figure("ranking", t)), 1L))
  pages <- made_figure("ranking", totals(book, by = c(region, product)))
  expect_identical(kept(pages), length(figure_pages(pages)))
  expect_identical(kept(figure_trend(totals(book, every = "month"))), 0L)
  expect_identical(kept(made_figure("ranking", t, n = 2), NULL), 0L)
})
