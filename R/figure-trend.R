#' Figure: a measure over time
#'
#' One line per group over the periods, labelled at its end. If the daybook ends before the last period does, that
#' period's point is hollow and the line to it is dashed. Only the five largest groups are drawn. A group that is five
#' times as large as every other one has a panel of its own, because beside it the others would be flat.
#'
#' @param t A totals table with a period and at most one `by` column.
#' @param of One to three measures, bare names or text; by default the table's first. Each of several has a panel and a
#'   scale of its own.
#' @param title,subtitle,caption Text instead of the figure's own.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without a period or with a recurring one, with several
#'   `by` columns, without rows, or for more than three measures.
#' @export
#' @examples
#' figure_trend(totals(demo_daybook(), by = category, every = "month"))
#' figure_trend(totals(demo_daybook(), every = "month", measures = c("revenue", "units")), of = c(revenue, units))
figure_trend <- function(t, of = NULL, title = NULL, subtitle = NULL, caption = NULL) {
  of <- figure_measure(enquo(of), t)
  if (length(of) > 3) stop_figure("A trend has room for three measures.", "Name fewer as `of`.")
  rows <- figure_rows(t, of[1])
  check_time(rows$answer, "A trend")
  lines <- time_lines(rows, rows$of)
  if (length(of) > 1) {
    each <- lapply(of, function(name) figure_rows(t, name))
    lines <- measure_panels(lines, each)
    rows$answer$measures <- do.call(c, lapply(each, function(own) own$answer$measures))
  }
  draw_lines(lines, rows) +
    figure_words(rows, NULL, title, subtitle, caption, lines_notes(lines), dashed = several_periods(lines))
}

# The same groups by several measures, below each other; a scale is of one of them.
measure_panels <- function(lines, each) {
  heads <- vapply(each, function(own) {
    paste(c(capital(name_words(own$of)), unit_of(own$answer, own$of)), collapse = ", ")
  }, "")
  parts <- Map(function(own, head) {
    data <- time_lines(own, own$of, levels(lines$data$group))$data
    data$panel <- factor(head, heads)
    data
  }, each, heads)
  replace(lines, c("data", "measures"), list(do.call(rbind, parts), TRUE))
}

# What is not drawn, and what is drawn apart.
lines_notes <- function(lines) {
  apart <- levels(lines$data$panel)
  c(if (length(apart) > 1 && is.null(lines$measures)) sprintf("%s has a panel and a scale of its own.", apart[1]),
    others_note(lines$rest, names = lines$left))
}

check_time <- function(answer, what, call = caller_env()) {
  if (is.null(answer$every)) {
    stop_figure(sprintf("%s needs a period.", what), sprintf("Total with %s.", as_typed("every = \"month\"")),
                call = call)
  }
  if (is_recurring(answer$every)) {
    stop_figure(sprintf("`%s` comes again every year and has no trend.", answer$every),
                "Draw it with `figure_weekdays()`.", call = call)
  }
  if (length(answer$by) > 1) {
    stop_figure(sprintf("%s can show only one `by` column; the table has %s.", what, columns_named(answer$by)),
                "Total with one of them.",
                call = call)
  }
}

# One row per group and period, groups from the largest. A period that the data cover and that has no line is what the
# measure is of no lines, 0 or a gap; any other without a row is a gap. `groups` are those to draw, if not the largest.
time_lines <- function(rows, column, groups = NULL) {
  rows <- filled_rows(rows)
  answer <- rows$answer
  members <- named_members(rows$data, answer$by, answer)
  period <- as.integer(drawn_days(rows$t))
  size <- stats::setNames(rowsum(abs(rows$data$value), members$codes, na.rm = TRUE)[, 1], members$names)
  # What has no group is not a group to compare with: it stands last, in grey.
  blank <- intersect(names(size), answer$labels$not_given)
  drawn <- largest_members(size[setdiff(sort(names(size)), blank)], length(category_colours()))
  if (drawn$rest > 0) blank <- character()
  groups <- groups %||% c(drawn$names, blank)
  grid <- expand.grid(period = periods_drawn(answer, period), group = groups, stringsAsFactors = FALSE)
  # Of many members few are drawn.
  place <- match(members$names, groups)[members$codes]
  seen <- which(!is.na(place))
  code <- function(group, period) group * 1e6 + period
  at <- seen[match(code(match(grid$group, groups), as.integer(grid$period)), code(place[seen], period[seen]))]
  grid$value <- rows$data[[column]][at]
  if (answer$cut && column == rows$of) grid$value[is.na(at) & without_lines(grid, rows$t)] <-
    measure_kinds[[answer$measures[[column]]$kind]]$empty
  grid$group <- factor(grid$group, groups)
  last <- unfinished_period(answer)
  grid$unfinished <- if (is.null(last)) FALSE else grid$period == last
  grid$stretch <- 1
  grid$panel <- line_panels(grid)
  colours <- stats::setNames(c(category_colours(length(drawn$names)), rep(faint_ink, length(blank))), groups)
  list(data = grid, colours = colours, rest = drawn$rest, left = drawn$left)
}

# One panel, or two if the largest group would flatten the others.
line_panels <- function(grid) {
  highest <- vapply(split(abs(grid$value), grid$group), max, 0, 0, na.rm = TRUE)
  largest <- which.max(highest)
  if (length(highest) < 3 || highest[largest] < 5 * max(highest[-largest])) {
    return(factor(rep("", nrow(grid))))
  }
  name <- names(highest)[largest]
  factor(ifelse(grid$group == name, name, "the others"), c(name, "the others"))
}

# The first day of each row's period, NA for the rest of a pick. That rest alone cannot be drawn over time.
drawn_days <- function(t, call = caller_env()) {
  days <- row_days(t)
  if (all(is.na(days))) {
    stop_figure("The table has no period left, only the rest of a pick.", "Pick more rows.", call = call)
  }
  days
}

# The table with every group in every covered period, its steps computed again, as long as none of its rows is gone and
# its lines are available.
filled_rows <- function(rows) {
  answer <- answer_of(rows$t)
  if (answer$cut || answer$inquiry$fill || is.null(handle_value_kernel(answer$facts))) {
    return(rows)
  }
  t <- restore_names(replay(retotal(answer, ids_of(answer, answer$keys), fill = TRUE), answer$inquiry$steps), answer)
  drawn_measure(list(t = t, data = as_tibble.hinterfeld_totals(t)), answer_of(t), rows$of)
}

# Rows that a table which was cut does not have because there is no line for them, and not because they were left out.
without_lines <- function(grid, t) {
  answer <- answer_of(t)
  if (is.null(handle_value_kernel(answer$facts))) {
    return(FALSE)
  }
  whole <- retotal(answer, ids_of(answer, answer$keys))
  members <- named_members(as_tibble.hinterfeld_totals(whole), answer_of(whole)$by, answer)
  row <- function(period, name) paste(as.integer(period), name)
  covered <- !cover_of_periods(answer$about, grid$period, answer$every)$none
  covered & !row(grid$period, grid$group) %in% row(row_days(whole), members$names[members$codes])
}

# From the first to the last period that is shown: of a whole table, all that the data have. The rest of a pick has no
# period.
periods_drawn <- function(answer, period) {
  period <- period[!is.na(period)]
  all <- periods_of(answer$about$span, answer$every, answer$about$calendar)
  if (answer$cut) all[all >= min(period) & all <= max(period)] else all
}

draw_lines <- function(lines, rows, marks = NULL) {
  data <- lines$data
  alone <- length(levels(data$group)) == 1
  drawn <- data[!is.na(data$value), ]
  ends <- drawn[!duplicated(drawn[c("group", "panel")], fromLast = TRUE), ]
  several <- nlevels(data$panel) > 1
  ends <- do.call(rbind, lapply(split(ends, ends$panel), function(part) {
    gap <- diff(range(c(0, data$value[data$panel %in% part$panel]), na.rm = TRUE)) / if (several) 8 else 17
    part$label_y <- spread_labels(part$value, gap)
    part$moved <- abs(part$label_y - part$value) > gap / 4
    part
  }))
  moved <- ends[!alone & ends$moved, ]
  ends$label <- shorten(as.character(ends$group), 26)
  room <- if (alone) 0.03 else text_fraction(ends$label, 3.8)
  ggplot2::ggplot(data, ggplot2::aes(.data$period, .data$value, colour = .data$group,
                                     group = paste(.data$group, .data$stretch))) +
    marks +
    ggplot2::annotate("segment", x = min(data$period), xend = max(data$period), y = 0, yend = 0, colour = ink,
                      linewidth = 0.4) +
    line_layers(data) +
    # A label that had to make room for others is led back to its line, up to the point that ends it.
    ggplot2::geom_segment(ggplot2::aes(x = .data$period + end_nudge(data$period) * 0.4,
                                       xend = .data$period + end_nudge(data$period), y = .data$value,
                                       yend = .data$label_y), moved, linewidth = 0.3) +
    (if (!alone) {
      line_label(ggplot2::aes(y = .data$label_y, label = .data$label), ends, nudge_x = end_nudge(data$period),
                 colour = with_ink(lines$colours[as.character(ends$group)]))
    }) +
    ggplot2::scale_colour_manual(values = lines$colours, guide = "none") +
    time_axis(data$period, rows$answer, ggplot2::expansion(mult = c(0.01, room / (1 - room) * 1.15))) +
    ggplot2::scale_y_continuous(labels = axis_money(if (is.null(lines$measures)) unit_of(rows$answer, rows$of))) +
    (if (several) ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1, scales = "free_y")) +
    ggplot2::coord_cartesian(clip = "off") +
    theme_hinterfeld()
}

# A single period has no line to draw: points represent it. An unfinished one is hollow, and reached by a dashed step.
line_layers <- function(data) {
  last <- data[data$period %in% utils::tail(sort(unique(data$period)), 2) & any(data$unfinished), ]
  lines_of <- function(rows) longer_lines(rows, paste(rows$group, rows$stretch))
  lines <- list(
    ggplot2::geom_line(data = lines_of(data[!data$unfinished, ]), linewidth = 0.8, lineend = "round", na.rm = TRUE),
    ggplot2::geom_line(data = lines_of(last), linewidth = 0.8, linetype = "22", na.rm = TRUE)
  )
  single <- length(unique(data$period)) == 1
  c(if (!single) lines, list(
    ggplot2::geom_point(data = data[data$unfinished, ], shape = 21, fill = paper, size = 2.2, stroke = 0.9,
                        na.rm = TRUE),
    ggplot2::geom_point(data = data[between_gaps(data), ], size = if (single) 2.2 else 1.2)
  ))
}

several_periods <- function(lines) {
  length(unique(lines$data$period)) > 1
}

# A value between two gaps makes no line.
between_gaps <- function(data) {
  drawn <- !is.na(data$value)
  line <- paste(data$group, data$stretch)
  same <- line[-1] == line[-length(line)]
  drawn & !c(FALSE, drawn[-length(drawn)] & same) & !c(drawn[-1] & same, FALSE) & !data$unfinished
}

# Few periods all have their name. Of many, years are marked, or quarters, months and days as the span gets shorter.
time_axis <- function(period, answer, expand) {
  starts <- sort(unique(period))
  most <- max(layout_width() %/% 150, 2)
  if (answer$every == "year" || length(starts) <= most) {
    breaks <- starts[seq(1, length(starts), by = ceiling(length(starts) / most))]
    labels <- period_label(breaks, answer$every, answer$about$calendar)
  } else {
    breaks <- date_breaks(period)
    labels <- date_labels(breaks)
  }
  # A single period keeps its labels beside it.
  ggplot2::scale_x_date(breaks = breaks, labels = labels, expand = expand,
                        limits = if (length(starts) == 1) starts + c(-20, 40))
}

# Only within the data.
date_breaks <- function(period) {
  days <- as.numeric(diff(range(period)))
  step <- if (days > 900) "1 year" else if (days > 270) "3 months" else if (days > 60) "1 month" else "1 week"
  first <- as.Date(format(min(period), if (days > 900) "%Y-01-01" else "%Y-%m-01"))
  breaks <- seq(first, max(period), by = step)
  breaks <- breaks[breaks >= min(period)]
  if (length(breaks)) breaks else min(period)
}

date_labels <- function(x) {
  years <- all(format(x, "%m-%d") == "01-01")
  format(x, if (years) "%Y" else if (all(format(x, "%d") == "01")) "%Y-%m" else "%Y-%m-%d")
}

end_nudge <- function(period) {
  max(1, as.numeric(diff(range(period))) * 0.02)
}
