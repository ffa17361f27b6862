#' Figure: revenue over time
#'
#' One line per group over the months or days, labelled at its end. The last period is drawn hollow
#' and its step dashed when the daybook ends before the period does.
#'
#' @param t A totals table with a period and at most one `by` column of at most five groups.
#' @param title,subtitle,caption Text instead of the figure's own.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without a period, with several `by`
#'   columns, with more than five groups, or without rows.
#' @export
#' @examples
#' figure_trend(totals(demo_daybook(), by = category, every = "month"))
figure_trend <- function(t, title = NULL, subtitle = NULL, caption = NULL) {
  check_totals(t)
  memory <- memory_of(t)
  check_trend(t, memory)
  data <- trend_data(t, memory)
  ends <- data[data$period == max(data$period), ]
  ends$label_y <- spread_labels(ends$revenue, diff(range(c(0, data$revenue))) / 17)
  unfinished <- data[data$unfinished, ]
  last_step <- data[data$period %in% utils::tail(sort(unique(data$period)), 2) & any(data$unfinished), ]

  ggplot2::ggplot(data, ggplot2::aes(.data$period, .data$revenue, colour = .data$group)) +
    ggplot2::annotate("segment", x = min(data$period), xend = max(data$period), y = 0, yend = 0,
                      colour = ink, linewidth = 0.4) +
    trend_lines(data, last_step) +
    ggplot2::geom_point(data = unfinished, shape = 21, fill = paper, size = 2.2, stroke = 0.9) +
    ggplot2::geom_label(ggplot2::aes(y = .data$label_y, label = .data$group), ends, hjust = 0, size = 3.8,
                        family = figure_family(), nudge_x = trend_nudge(data$period), fill = paper, label.size = NA,
                        label.padding = grid::unit(0.1, "lines")) +
    ggplot2::scale_colour_manual(values = trend_colours(levels(data$group)), guide = "none") +
    ggplot2::scale_x_date(breaks = date_breaks(data$period), labels = date_labels,
                          expand = ggplot2::expansion(mult = c(0.01, 0.2))) +
    ggplot2::scale_y_continuous(labels = short_money, limits = range(0, data$revenue, ends$label_y)) +
    ggplot2::coord_cartesian(clip = "off") +
    ggplot2::labs(
      title = title %||% title_words(memory),
      subtitle = wrap_words(subtitle %||% trend_subtitle(memory), 110),
      caption = wrap_words(caption %||% figure_caption(memory, any(data$unfinished)), 150)
    ) +
    theme_hinterfeld()
}

# A single period has no line to draw: points stand for it.
trend_lines <- function(data, last_step) {
  if (length(unique(data$period)) == 1) {
    return(list(ggplot2::geom_point(size = 2.2)))
  }
  list(
    ggplot2::geom_line(data = data[!data$unfinished, ], linewidth = 0.8, lineend = "round"),
    ggplot2::geom_line(data = last_step, linewidth = 0.8, linetype = "22")
  )
}

check_trend <- function(t, memory, call = caller_env()) {
  most <- length(category_colours)
  problem <- if (is.null(memory$every)) {
    c("A trend needs a period.", i = "Total with `every = \"month\"`.")
  } else if (memory$every %in% recurring_grains) {
    c(sprintf("`%s` comes again every year and has no trend.", memory$every), i = "Total with `every = \"month\"`.")
  } else if (length(memory$levels) > 1) {
    c("A trend is drawn without subtotals.", i = "Total without `subtotals`.")
  } else if (!"revenue" %in% names(memory$measures)) {
    c("A trend shows `revenue`, which the table does not hold.", i = "Total with `measures = \"revenue\"`.")
  } else if (length(memory$by) > 1) {
    c(sprintf("A trend shows one group column, and the table has %s.", columns_named(memory$by)),
      i = "Total with one of them.")
  } else if (nrow(t) == 0) {
    c("The table has no rows to draw.", i = "Look at the conditions that led to it with `audit()`.")
  } else if (length(memory$by) == 1 && length(unique(t[[memory$by]])) > most + 1) {
    c(sprintf("A trend keeps %d lines apart, and `%s` has %d groups.", most, memory$by, length(unique(t[[memory$by]]))),
      i = "Keep fewer groups with `keep_lines()`, or total by a coarser column.")
  }
  if (!is.null(problem)) {
    stop_because("figure", problem, call = call)
  }
}

# One row per group and period, 0 where a group sold nothing, groups from the largest.
trend_data <- function(t, memory) {
  group <- if (length(memory$by)) as.character(t[[memory$by]]) else rep("all", nrow(t))
  size <- sort(vapply(split(t$revenue, group), sum, 0), decreasing = TRUE)
  groups <- names(size)
  # What has no group is not a group to compare with: it stands last, in grey.
  groups <- c(setdiff(groups, not_given), intersect(groups, not_given))
  periods <- sort(unique(t[[memory$every]]))
  grid <- expand.grid(period = periods, group = groups, stringsAsFactors = FALSE)
  at <- match(paste(grid$group, grid$period), paste(group, t[[memory$every]]))
  grid$revenue <- ifelse(is.na(at), 0, t$revenue[at])
  grid$group <- factor(grid$group, groups)
  last <- memory$book$span[2]
  grid$unfinished <- grid$period == max(periods) & last < period_end(max(periods), memory$every, memory$book$calendar)
  grid
}

trend_colours <- function(groups) {
  named <- setdiff(groups, not_given)
  colours <- stats::setNames(rep_len(category_colours, length(named)), named)
  if (not_given %in% groups) c(colours, stats::setNames(faint_ink, not_given)) else colours
}

# Years, or quarters, months and days as the span gets shorter; only within the data.
date_breaks <- function(period) {
  days <- as.numeric(diff(range(period)))
  step <- if (days > 900) "1 year" else if (days > 270) "3 months" else if (days > 60) "1 month" else "1 week"
  first <- as.Date(format(min(period), if (days > 900) "%Y-01-01" else "%Y-%m-01"))
  breaks <- seq(first, max(period), by = step)
  breaks[breaks >= min(period)]
}

date_labels <- function(x) {
  x <- x[!is.na(x)]
  whole <- all(format(x, "%m-%d") == "01-01")
  if (whole) format(x, "%Y") else if (all(format(x, "%d") == "01")) format(x, "%Y-%m") else format(x)
}

trend_nudge <- function(period) {
  max(1, as.numeric(diff(range(period))) * 0.012)
}

trend_subtitle <- function(memory) {
  sprintf("Revenue per %s%s, %s.", memory$every,
          if (length(memory$by)) paste(" and", memory$by) else "", span_words(memory$book))
}

figure_caption <- function(memory, unfinished) {
  c(paste(left_out_words(memory$book), collapse = " "),
    if (unfinished) sprintf("Dashed: the %s is not finished; the data end on %s.", memory$every,
                            format(memory$book$span[2]))) |>
    paste(collapse = " ")
}
