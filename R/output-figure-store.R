# Figures that were drawn before: while a store is open, what is drawn is kept there. The same table and arguments, of
# the same lines, make the same figure, which is taken from it, byte for byte.

figure_store <- new.env(parent = emptyenv())

# `lines` gives what all figures depend on, once the lines were read; NULL if it is not known.
with_figure_store <- function(folder, lines, code) {
  former <- as.list(figure_store)
  list2env(list(folder = folder, lines = lines, used = character()), figure_store)
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
  made_of <- attr(x, "made_of", exact = TRUE)
  lines <- if (!is.null(folder) && !is.null(made_of)) figure_store$lines()
  if (is.null(lines)) {
    return(draw())
  }
  key <- figure_key(list(lines, made_of, lapply(x$labels, as.character), ending, width, height))
  for (held in whole_files(folder, list.files(folder, sprintf("^%s-[0-9a-f]{16}[.]%s$", key, ending)))) {
    bytes <- readBin(held, "raw", file.size(held))
    file <- basename(held)
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

# The packages that draw and the marks of numbers belong to a figure as well.
figure_key <- function(about) {
  code <- file.info(system.file("R", package = "hinterfeld"), extra_cols = FALSE)
  drawn_by <- Filter(has_package, c("ggplot2", "ragg", "svglite", "systemfonts"))
  versions <- vapply(drawn_by, function(name) as.character(utils::packageVersion(name)), "")
  rlang::hash(list(about, versions, as.character(getRversion()), format(as.numeric(code$mtime), digits = 17),
                   options()[c("hinterfeld.decimal_mark", "hinterfeld.group_mark")]))
}
