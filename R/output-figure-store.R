# Figures that were drawn before: while a store is open, what is drawn is kept there, and a figure that comes out the
# same is taken from it, byte for byte.

figure_store <- new.env(parent = emptyenv())

with_figure_store <- function(folder, code) {
  former <- as.list(figure_store)
  assign("folder", folder, figure_store)
  assign("used", character(), figure_store)
  on.exit({
    rm(list = ls(figure_store), envir = figure_store)
    list2env(former, figure_store)
  })
  force(code)
}

# The figures that were asked for since the store was opened.
figures_used <- function() {
  figure_store$used
}

# Draws figures side by side. Which of them came from the store, or went there, is known in this process afterwards.
draw_side_by_side <- function(jobs) {
  done <- side_by_side(lapply(jobs, function(draw) function() list(made = draw(), used = figures_used())))
  figure_store$used <- unique(c(figure_store$used, unlist(lapply(done, function(process) process$used))))
  lapply(done, function(process) process$made)
}

# Draws a figure into `path`, or copies it there. A kept file has the hash of what it holds.
drawn_or_kept <- function(x, path, ending, width, height, draw) {
  folder <- figure_store$folder
  if (is.null(folder)) {
    return(draw())
  }
  key <- substr(figure_key(x, ending, width, height), 1, 32)
  kept <- list.files(folder, sprintf("^%s-[0-9a-f]{16}[.]%s$", key, ending))
  for (file in kept) {
    bytes <- readBin(file.path(folder, file), "raw", file.size(file.path(folder, file)))
    if (identical(file, kept_figure(key, bytes, ending))) {
      figure_store$used <- c(figure_store$used, file)
      return(write_bytes(bytes, path))
    }
  }
  draw()
  bytes <- readBin(path, "raw", file.size(path))
  file <- kept_figure(key, bytes, ending)
  # What cannot be kept is drawn again.
  tryCatch(write_whole(file.path(folder, file), function(draft) write_bytes(bytes, draft)),
           hinterfeld_error_file = function(cnd) NULL)
  figure_store$used <- c(figure_store$used, file)
}

kept_figure <- function(key, bytes, ending) {
  sprintf("%s-%s.%s", key, substr(rlang::hash(bytes), 1, 16), ending)
}

# All that a figure shows: its data as they are drawn, its words, axes and panels, and the code that draws it.
figure_key <- function(x, ending, width, height) {
  built <- ggplot2::ggplot_build(x)
  layers <- lapply(x$layers, function(layer) {
    list(class(layer$geom)[-1], plain_parameters(layer$aes_params), plain_parameters(layer$geom_params))
  })
  panels <- lapply(built$layout$panel_params, function(panel) {
    lapply(c("x", "y"), function(side) {
      view <- panel[[side]]
      if (is.environment(view)) {
        list(view$continuous_range, view$get_breaks(), as.character(unlist(view$get_labels())))
      }
    })
  })
  scales <- lapply(built$plot$scales$scales, function(scale) {
    list(scale$aesthetics, if (!is.environment(scale$name)) as.character(scale$name),
         tryCatch(scale$get_limits(), error = function(cnd) NULL),
         tryCatch(as.character(unlist(scale$get_labels())), error = function(cnd) NULL))
  })
  code <- file.info(system.file("R", package = "hinterfeld"), extra_cols = FALSE)
  shown <- list(
    data = lapply(built$data, as.list), words = lapply(x$labels, as.character), layers = layers, panels = panels,
    scales = scales, theme = unclass(x$theme), facet = plain_parameters(x$facet$params),
    layout = as.list(built$layout$layout), size = c(width, height), ending = ending,
    drawn_with = c(as.character(utils::packageVersion("ggplot2")), as.character(getRversion()),
                   format(as.numeric(code$mtime), digits = 17))
  )
  rlang::hash(shown)
}

# Parameters without functions and environments, which have no bytes of their own.
plain_parameters <- function(x) {
  Filter(function(parameter) is.atomic(parameter) || is.list(parameter) && all(vapply(parameter, is.atomic, NA)),
         as.list(x))
}
