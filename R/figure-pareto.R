#' Figure: a few members bring in most of the total
#'
#' Members from the highest down: a bar for each member's share and a line for the cumulative share, on one scale from 0
#' to 100 %. The class bounds are marked, with the number of members it takes to reach them.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_pareto()] over the whole table.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without Pareto columns, with a total of 0 or below, or with
#'   several scopes.
#' @export
#' @examples
#' figure_pareto(add_pareto(totals(demo_daybook(), by = product)))
figure_pareto <- function(t, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, NULL)
  data <- pareto_members(rows)
  classes <- pareto_bounds(data)
  sentences <- column_sentence(rows$answer, data$first[1])
  colours <- stats::setNames(grDevices::colorRampPalette(category_colours(3))(nrow(classes)), classes$class)
  named <- data[data$place <= 5 & data$share > 0.02, ]
  named$label_y <- spread_labels(named$cumulative - 0.02, 0.055)
  # Members below 0 let the line rise beyond the total before it comes back.
  top <- max(1, data$cumulative)
  ggplot2::ggplot(data, ggplot2::aes(.data$place, .data$cumulative)) +
    ggplot2::geom_vline(ggplot2::aes(xintercept = .data$to + 0.5), classes[-nrow(classes), ], colour = hairline,
                        linewidth = 0.6) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$place - 0.38, xmax = .data$place + 0.38, ymin = 0, ymax = .data$share,
                                    fill = .data$class)) +
    (if (nrow(data) > 1) ggplot2::geom_line(colour = ink, linewidth = 0.6)) +
    ggplot2::geom_point(ggplot2::aes(colour = .data$class), size = if (nrow(data) > 100) 0.8 else 1.8) +
    line_label(ggplot2::aes(x = .data$place + nrow(data) / 90, y = .data$label_y, label = shorten(.data$member)), named,
               size = 3.3, colour = ink) +
    label_text(ggplot2::aes(x = (.data$from + .data$to) / 2, y = 1.13 * top, label = .data$text), classes, size = 3.6,
               lineheight = 1.05) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_fill_manual(values = colours) +
    ggplot2::scale_y_continuous(labels = percent_axis, breaks = c(0, 0.25, 0.5, 0.8, 0.95, if (top > 1.2) top),
                                limits = c(min(0, data$share), 1.2 * top)) +
    ggplot2::scale_x_continuous(breaks = function(limits) unique(round(pretty(limits, 8))) |>
                                Filter(f = function(x) x >= 1 & x <= nrow(data)),
                                expand = ggplot2::expansion(mult = 0.01)) +
    theme_hinterfeld() +
    figure_words(rows, sentences[["what"]],
                 title %||% pareto_title(rows$answer, sentences), subtitle, caption,
                 sprintf("Bars are the %s from the highest; the line is their cumulative share.",
                         noun_words(rows$answer)))
}

# With subtotals each level has its own sentence, and none of them is the title.
pareto_title <- function(answer, sentences) {
  if (!"top" %in% names(sentences)) {
    return(title_words(answer))
  }
  in_prose(sub("[.]$", "", sentences[["top"]]), names(answer$columns))
}

noun_words <- function(answer) {
  paste0(and_list(c(answer$by, answer$period)), "s")
}

pareto_members <- function(rows, call = caller_env()) {
  data <- rows$data
  column <- figure_column(rows$answer, "pareto", "share", call)
  output_column <- function(name) added_with(rows$answer, column, name) %||%
    stop_figure("The table has lost a column of `add_pareto()`.", "Keep all of its columns.", call = call)
  out <- data.frame(
    member = member_names(data, c(rows$answer$by, rows$answer$period), rows$answer), cumulative = data[[column]],
    members = data[[output_column("members")]], class = data[[output_column("class")]],
    first = output_column("cumulative")
  )
  if (anyNA(out$cumulative)) {
    stop_figure("There are no shares to draw: the total is 0 or below.", "Keep lines whose total is above 0.",
                call = call)
  }
  if (anyDuplicated(out$members)) {
    stop_figure("The table has several scopes, each with a curve of its own.",
                "Keep one of them, or use `add_pareto()` without `within`.", call = call)
  }
  out <- out[order(out$members), ]
  out$place <- seq_len(nrow(out))
  out$share <- diff(c(0, out$cumulative))
  out
}

# Where each class runs from and to, and what it says above the curve.
pareto_bounds <- function(data) {
  classes <- unique(data$class)
  from <- match(classes, data$class)
  to <- c(from[-1] - 1L, nrow(data))
  made <- data$cumulative[to] - c(0, data$cumulative[to[-length(to)]])
  text <- sprintf("%s: %s\n%s", classes, group_digits(to - from + 1L), percent_text(made))
  data.frame(class = classes, from = from, to = to, text = text)
}

percent_axis <- function(x) {
  ifelse(is.na(x), NA, paste0(number_text(round(100 * x, 1)), "\u00a0%"))
}
