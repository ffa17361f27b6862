#' Figure: the profile of the week or the year
#'
#' One bar per weekday or month of the year, with the best named. A `by` column gives one panel per value.
#'
#' @inheritParams figure_trend
#' @param of The measure, a bare name or text; by default the table's first.
#' @param t A totals table by `"weekday"` or `"month_of_year"`, with at most one `by` column.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without a recurring period, with several `by` columns, or
#'   without rows.
#' @export
#' @examples
#' figure_weekdays(totals(demo_daybook(), every = "weekday"))
figure_weekdays <- function(t, of = NULL, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, figure_measure(enquo(of), t))
  answer <- rows$answer
  if (!is_recurring(answer$every) || length(answer$by) > 1) {
    stop_figure("This figure draws a recurring period, with at most one `by` column.",
                "Total with `every = \"weekday\"` or `\"month_of_year\"`.")
  }
  data <- rows$data
  # With unequal numbers of single periods, sums mostly reflect how many there were; means show which is best.
  even <- is.null(mean_single(rows$t, rows$of, NULL))
  if (!even) data$value <- single_means(rows$t, rows$of) / 10^answer$measures[[rows$of]]$decimals
  data$panel <- member_names(data, answer$by, answer)
  # The axis names those that have no value.
  data <- data[!is.na(data$value), ]
  if (nrow(data) == 0) stop_figure("No bar has a value to draw.", "Draw periods that the data cover whole.")
  kept <- largest_members(vapply(split(data$value, data$panel), sum, 0), 9)
  data <- data[data$panel %in% kept$names, ]
  data$panel <- factor(data$panel, panel_order(data$panel, data$value, data[intersect(answer$by, answer$periods)]))
  data$period <- data[[answer$period]]
  # Where all are equal none is best.
  highest <- function(x) x == max(x) & max(x) > min(x)
  data$best <- as.logical(stats::ave(data$value, data$panel, FUN = highest))
  digits <- if (max(data$value) >= 1e4) -2 else 0
  crowded <- length(kept$names) > 1 && answer$every == "month_of_year"
  ggplot2::ggplot(data, ggplot2::aes(.data$period, .data$value)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$best), width = 0.7) +
    label_text(ggplot2::aes(label = short_money(round(.data$value, digits)), colour = .data$best), vjust = -0.5,
               size = if (length(kept$names) > 1) 2.8 else 3.6, data = if (crowded) data[data$best, ] else data) +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y") +
    ggplot2::scale_fill_manual(values = c("TRUE" = bar_ink, "FALSE" = quiet_bar)) +
    ggplot2::scale_x_discrete(drop = FALSE, labels = function(x) if (crowded) substr(x, 1, 1) else x) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0.02, 0.14))) +
    theme_hinterfeld() +
    ggplot2::theme(axis.text.y = ggplot2::element_blank(), panel.grid.major = ggplot2::element_blank(),
                   axis.text.x = ggplot2::element_text(colour = ink),
                   strip.text = if (length(answer$by)) ggplot2::element_text() else ggplot2::element_blank()) +
    figure_words(rows, c(if (!even) sprintf("Bars show the mean per %s.", grain_kinds[[answer$every]]$single),
                         capital(recurring_words(answer$about, answer$everys))),
                 title %||% weekday_title(data, answer, rows$of, even), subtitle, caption,
                 c(others_note(kept$rest, "panels", kept$left), scale_note(kept$names)))
}

# "Revenue by weekday: Fri is best", or where means of whole single periods are drawn "Mean revenue per single month by
# month of the year: Oct is best"
weekday_title <- function(data, answer, of, even) {
  title <- if (even) {
    title_words(answer)
  } else {
    sprintf("Mean %s per %s,%s", name_words(of), grain_kinds[[answer$every]]$single,
            scope_phrase(c(grain_kinds[[answer$every]]$name, answer$by)))
  }
  best <- as.character(data$period[data$best])
  if (length(answer$by) || length(best) == 0) {
    return(title)
  }
  sprintf("%s: %s %s best", title, and_list(best), if (length(best) == 1) "is" else "are")
}
