#' Figure: what was reached of the targets
#'
#' A bar for each row and, across it, a dark mark at what is due by now; a light mark is at the whole target. Beside the
#' bar: the percentage reached, and how far the value is above or below what is due.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_target()]. Of a table by one or more columns its latest period is drawn, otherwise
#'   its periods.
#' @param at Date: the first day of another period to draw.
#' @param n Whole number: how many rows to draw at most: those with the largest targets, or the latest periods.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without targets, or none of whose rows has one.
#' @export
#' @examples
#' plan <- load_table(demo_files()[["targets"]])
#' figure_target(add_target(totals(demo_daybook(), by = region, every = "year"), plan))
figure_target <- function(t, at = NULL, n = 18, title = NULL, subtitle = NULL, caption = NULL) {
  check_whole_number(n, "n", 1)
  rows <- figure_rows(t, NULL)
  first <- figure_column(rows$answer, "target", "target")
  of <- names_of(rows$answer, rows$answer$added[[first]]$of)
  if (of %in% names(rows$data)) rows <- drawn_measure(rows, answer_of(rows$t), of)
  by <- rows$answer$by
  period <- if (length(by) || !is.null(at)) change_period(rows, at)
  data <- if (is.null(period)) rows$data else rows$data[row_days(rows$t) %in% period, ]
  drawn <- target_bars(data, rows$answer, first, n)
  draw_targets(drawn$rows) +
    figure_words(rows, c(targets_of_figure(rows$answer, first), whole_target_words(t, period, first, rows$of)),
                 title %||% sprintf("%s against its target%s%s", capital(name_words(rows$of)), scope_phrase(by),
                                    of_period(period, rows$answer)),
                 subtitle, caption, not_drawn_note(drawn$rest))
}

whole_target_words <- function(t, period, first, of) {
  row <- whole_row(t, period)
  target <- t[[first]][row]
  if (length(row) == 1 && !is.na(target) && of %in% names(t)) {
    sprintf("All together: %s of a target of %s.", bar_money(t[[of]][row]), bar_money(target))
  }
}

targets_of_figure <- function(answer, first) {
  about <- about_step(answer, answer$added[[first]]$step)
  sprintf(paste0("The dark mark is what is due%s, the light one the whole target. Beside each bar: the percentage ",
                 "reached of what is due, and how far above or below it %s is."),
          due_words(about), about$args$of)
}

# The rows that have a target, from the top: those with the largest ones, or the latest periods in order of time.
target_bars <- function(data, answer, first, n, call = caller_env()) {
  output <- function(name) {
    column <- added_with(answer, first, name)
    if (is.null(column)) rep(NA_real_, nrow(data)) else data[[column]]
  }
  timed <- length(answer$by) == 0 && length(answer$period)
  bars <- data.frame(
    member = member_names(data, if (timed) answer$periods else answer$by, answer),
    value = data$value, target = data[[first]], due = output("due"), reached = output("reached"),
    difference = output("difference")
  )
  bars <- bars[!is.na(bars$target) & !is.na(bars$value), ]
  if (nrow(bars) == 0) {
    stop_figure("No row has a target to draw.", "Draw another period with `at`, or give targets for this one.",
                call = call)
  }
  order <- if (timed) rev(seq_len(nrow(bars))) else order(-bars$target)
  shown <- utils::head(order, n)
  bars$row <- NA
  bars$row[if (timed) rev(shown) else shown] <- rev(seq_along(shown))
  rest <- bars$member[is.na(bars$row)]
  bars <- bars[!is.na(bars$row), ]
  bars$kind <- ifelse(is.na(bars$difference) | bars$difference >= 0, "more", "less")
  reached <- ifelse(is.na(bars$reached), "", paste0(held_together(percent_text(bars$reached)), "   "))
  sign <- ifelse(!is.na(bars$difference) & bars$difference > 0, "+", "")
  bars$label <- paste0(reached, sign, bar_money(bars$difference))
  list(rows = bars, rest = rest)
}

draw_targets <- function(bars) {
  end <- pmax(bars$value, bars$target, bars$due, 0, na.rm = TRUE)
  mark <- function(at, ...) {
    ggplot2::geom_segment(ggplot2::aes(x = .data[[at]], xend = .data[[at]], y = .data$row - 0.46,
                                       yend = .data$row + 0.46), bars[!is.na(bars[[at]]), ], ...)
  }
  bars$end <- end + max(end) * 0.02
  ggplot2::ggplot(bars, ggplot2::aes(y = .data$row)) +
    mark("target", colour = hairline, linewidth = 1.2) +
    ggplot2::geom_rect(ggplot2::aes(xmin = 0, xmax = .data$value, ymin = .data$row - 0.3, ymax = .data$row + 0.3,
                                    fill = .data$kind)) +
    mark("due", colour = ink, linewidth = 1.2) +
    ggplot2::geom_vline(xintercept = 0, colour = ink, linewidth = 0.4) +
    label_text(ggplot2::aes(x = .data$end, label = .data$label), hjust = 0) +
    ggplot2::scale_fill_manual(values = change_colours()) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0.01, 0.35))) +
    ggplot2::scale_y_continuous(breaks = bars$row, labels = distinct_names(bars$member, shorten(bars$member))) +
    theme_bars()
}
