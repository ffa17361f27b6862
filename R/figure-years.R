#' Figure: years compared
#'
#' One line for each year of the daybook's calendar, drawn over its months (or weeks or quarters), with the latest year
#' emphasised. A year of which there is only one period is a point, hollow if the period is not complete.
#'
#' @inheritParams figure_trend
#' @param of The measure, a bare name or text; by default the table's first.
#' @param t A totals table by month, week or quarter without `by` columns.
#' @param cumulative Logical: add up from the start of each year.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table with `by` columns, or without a period shorter than a year.
#' @export
#' @examples
#' monthly <- totals(demo_daybook(), every = "month")
#' figure_years(monthly)
#' figure_years(monthly, cumulative = TRUE)
figure_years <- function(t, of = NULL, cumulative = FALSE, title = NULL, subtitle = NULL, caption = NULL) {
  check_flag(cumulative, "cumulative")
  rows <- figure_rows(t, figure_measure(enquo(of), t))
  answer <- rows$answer
  if (!isTRUE(answer$every %in% c("week", "month", "quarter")) || length(answer$by)) {
    stop_figure("This figure needs months, weeks or quarters, without a `by` column.",
                "Total with `every = \"month\"` and without `by`.")
  }
  if (cumulative) check_adds_up(rows$t, rows$of, "A running year")
  rows <- filled_rows(rows)
  data <- year_lines(rows, cumulative)
  years <- levels(data$year)
  latest <- data[data$year == years[length(years)], ]
  drawn <- data[!is.na(data$value), ]
  ends <- drawn[!duplicated(drawn$year, fromLast = TRUE), ]
  ends$label_y <- spread_labels(ends$value, diff(range(0, drawn$value)) / 16)
  earlier <- data[data$year != years[length(years)], ]
  finished <- latest[!latest$unfinished, ]
  dashed <- nrow(latest) > 1 && any(latest$unfinished)
  sentence <- if (cumulative) sprintf("Each line adds up its year from the first %s.", answer$every) else NULL
  ggplot2::ggplot(data, ggplot2::aes(.data$place, .data$value, group = .data$year)) +
    ggplot2::geom_line(ggplot2::aes(colour = .data$year), longer_lines(earlier, earlier$year), linewidth = 0.7,
                       na.rm = TRUE) +
    ggplot2::geom_line(data = longer_lines(finished, finished$year), colour = category_colours(1), linewidth = 1.4,
                       lineend = "round", na.rm = TRUE) +
    (if (dashed) {
      ggplot2::geom_line(data = longer_lines(utils::tail(latest, 2), utils::tail(latest$year, 2)),
                         colour = category_colours(1), linewidth = 1, linetype = "22", na.rm = TRUE)
    }) +
    ggplot2::geom_point(ggplot2::aes(colour = .data$year), single_points(earlier, earlier$year), size = 2,
                        na.rm = TRUE) +
    ggplot2::geom_point(data = single_points(finished, finished$year), colour = category_colours(1), size = 2.6,
                        na.rm = TRUE) +
    ggplot2::geom_point(data = latest[latest$unfinished, ], shape = 21, fill = paper, colour = category_colours(1),
                        size = 2.6, stroke = 1, na.rm = TRUE) +
    year_labels(ends, years) +
    ggplot2::scale_colour_manual(values = faint_years(years[-length(years)])) +
    ggplot2::scale_x_continuous(breaks = year_breaks(data, answer), labels = year_break_labels(data, answer),
                                expand = ggplot2::expansion(mult = c(0.02, 0.1)),
                                limits = if (max(data$place) == 1) c(0.5, 4)) +
    ggplot2::scale_y_continuous(labels = axis_money(unit_of(answer, rows$of)),
                                limits = range(0, drawn$value, ends$label_y)) +
    ggplot2::coord_cartesian(clip = "off") +
    theme_hinterfeld() +
    figure_words(rows, sentence,
                 title %||% paste0(title_words(answer), if (cumulative) ", year to date" else ", year by year"),
                 subtitle, caption, dashed = dashed)
}

year_lines <- function(rows, cumulative) {
  calendar <- rows$answer$about$calendar
  # What the data do not cover is a gap.
  days <- drawn_days(rows$t)
  start <- periods_drawn(answer_of(rows$t), days)
  code <- year_place(start, rows$answer$every, calendar)
  value <- rows$data$value[match(start, days)]
  data <- data.frame(start = start, year = code %/% 1000, place = code %% 1000, value = value)
  data <- data[data$year %in% data$year[!is.na(data$value)], ]
  # A single week at either end that the data do not cover whole is not a year.
  if (rows$answer$every == "week") {
    stray <- stats::ave(data$place, data$year, FUN = length) == 1 &
      !cover_of_periods(rows$answer$about, data$start, "week")$complete
    if (!all(stray)) data <- data[!stray, ]
  }
  if (cumulative) data$value <- unlist(lapply(split(data$value, data$year), cumsum), use.names = FALSE)
  last <- unfinished_period(rows$answer)
  data$unfinished <- if (is.null(last)) FALSE else data$start == last
  data$year <- factor(data$year,
                      labels = if (rows$answer$every == "week") unique(data$year) else year_name(
                        as.integer(unique(data$year)), calendar
                      ))
  data
}

year_labels <- function(ends, years) {
  ends$latest <- ends$year == years[length(years)]
  list(
    line_label(ggplot2::aes(y = .data$label_y, label = .data$year), ends[!ends$latest, ], colour = faint_ink,
               nudge_x = 0.12),
    line_label(ggplot2::aes(y = .data$label_y, label = .data$year), ends[ends$latest, ], colour = category_colours(1),
               fontface = "bold",
               size = 4.6, nudge_x = 0.12)
  )
}

year_breaks <- function(data, answer) {
  places <- sort(unique(data$place))
  if (answer$every == "week") places[places %% 4 == 1] else places
}

year_break_labels <- function(data, answer) {
  places <- year_breaks(data, answer)
  starts <- data$start[match(places, data$place)]
  switch(answer$every,
    month = period_label(starts, "month_of_year", answer$about$calendar),
    week = sprintf("W%02d", as.integer(places)),
    quarter = sprintf("Q%d", as.integer(places))
  )
}

# Fainter the longer ago.
faint_years <- function(years) {
  colours <- grDevices::colorRampPalette(c("#CFC8BA", "#8F8891"))(max(1, length(years)))
  stats::setNames(colours[seq_along(years)], years)
}
