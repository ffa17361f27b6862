#' Deliver: write a table or a figure to a file
#'
#' The file's ending says what is written. The file appears whole or not at all: it is written
#' beside its place and moved there when complete.
#'
#' @param x A totals table or any data frame, for `.csv`; a figure, for `.png`, `.svg` or `.pdf`.
#' @param path Text: where to write. The folder must exist.
#' @param width,height Size of a figure in pixels, of which 144 make an inch.
#' @return `path`, invisibly.
#' @section Files: `.csv` is UTF-8 with commas, a heading, dates as `YYYY-MM-DD`, and plain numbers
#'   with a decimal point; money has all its decimals. Figures of 1280 by 800 pixels
#'   have text that reads well on a screen and on a slide.
#' @section Errors: `hinterfeld_error_file` for an unknown ending or a folder that does not exist,
#'   `hinterfeld_error_argument` when `x` is neither table nor figure.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = product, every = "day")
#' path <- deliver(t, file.path(tempdir(), "daily_product_revenue.csv"))
#' readLines(path, 3)
deliver <- function(x, path, width = 1280, height = 800) {
  check_text(path, "path")
  figure <- inherits(x, "ggplot")
  if (!figure && !is.data.frame(x)) {
    stop_because("argument", c("`x` must be a table or a figure.", i = sprintf("It is %s.", describe(x))))
  }
  if (!figure) check_plain(x)
  writers <- if (figure) figure_writers else table_writers
  ending <- tolower(sub("^.*[.]", "", basename(path)))
  if (!ending %in% names(writers)) {
    stop_because("file", c(
      sprintf("A %s cannot be written as \"%s\".", if (figure) "figure" else "table", basename(path)),
      i = sprintf("Give a file name that ends in %s.", examples_of(paste0(".", names(writers))))
    ))
  }
  if (!dir.exists(dirname(path))) {
    stop_because("file", c(
      sprintf("There is no folder \"%s\".", dirname(path)),
      i = "Make it first: `dir.create()`."
    ))
  }
  write_whole(path, function(part) {
    if (figure) writers[[ending]](x, part, width, height) else writers[[ending]](x, part)
  })
  invisible(path)
}

check_plain <- function(x, call = caller_env()) {
  odd <- names(x)[vapply(x, function(column) is.list(column) || !is.null(dim(column)), NA)]
  if (length(odd)) {
    stop_because("argument", c(
      sprintf("%s cannot be written: a cell must hold one value.", columns_named(odd)),
      i = "Leave the column out, or make it text."
    ), call = call)
  }
}

# Writes beside the place and moves there, so that a failure leaves a former file whole.
write_whole <- function(path, write) {
  part <- tempfile(".part-", tmpdir = dirname(path), fileext = paste0(".", sub("^.*[.]", "", basename(path))))
  on.exit(unlink(part))
  write(part)
  if (!file.rename(part, path)) {
    stop_because("file", c(sprintf("\"%s\" cannot be written.", path), i = "Is it open elsewhere, or protected?"))
  }
}

write_csv_file <- function(x, path) {
  readr::write_csv(plain_columns(x), path, na = "")
}

# Numbers as plain decimals: never an exponent, money with all its decimals.
plain_columns <- function(x) {
  exact <- exact_decimals(x)
  columns <- Map(function(values, name) {
    if (!is.numeric(values) || inherits(values, "Date")) {
      return(values)
    }
    text <- if (name %in% names(exact)) {
      formatC(values, format = "f", digits = exact[[name]])
    } else {
      format(values, digits = 15, scientific = FALSE, trim = TRUE, drop0trailing = TRUE)
    }
    ifelse(is.na(values), NA, text)
  }, as.list(x), names(x))
  tibble::new_tibble(columns, nrow = nrow(x))
}

# Decimals of the columns that hold exact values.
exact_decimals <- function(x) {
  memory <- memory_of(x)
  measures <- if (inherits(x, "hinterfeld_crosstab")) {
    stats::setNames(memory$measures[memory$cells], names(memory$cells))
  } else {
    memory$measures
  }
  exact <- lapply(Filter(function(m) m$kind != "mean", measures), function(m) m$decimals)
  c(exact, Filter(Negate(is.null), lapply(memory$derived, function(d) d$decimals)))
}

write_png_file <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = ragg::agg_png, width = width, height = height, units = "px", dpi = 144)
}

table_writers <- list(csv = write_csv_file)
write_svg_file <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = svglite::svglite, width = width / 144, height = height / 144)
}

write_pdf_file <- function(x, path, width, height) {
  ggplot2::ggsave(path, x, device = grDevices::cairo_pdf, width = width / 144, height = height / 144)
}

figure_writers <- list(png = write_png_file, svg = write_svg_file, pdf = write_pdf_file)
