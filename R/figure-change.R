#' Figure: change against the earlier period
#'
#' One row per member: the percentage as a distance from zero and in writing, this period's value beside it.
#' A percentage beyond the axis is drawn to the edge with a break and its true value. Members that are
#' new, gone or have no earlier period say so in words.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_change()], by one or more columns or none. Of its periods, the latest is
#'   drawn; of many members, the 20 whose value changed most.
#' @param at Date: the first day of another period to draw.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without change columns, without rows, or without the period.
#' @export
#' @examples
#' figure_change(add_change(totals(demo_daybook(), by = category, every = "year")))
figure_change <- function(t, at = NULL, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, NULL)
  data <- rows$data
  change <- figure_column(rows$answer, "change", "change")
  of <- names_of(rows$answer, rows$answer$added[[change]]$of)
  if (of %in% names(data)) rows <- drawn_measure(rows, answer_of(rows$t), of)
  data$value <- rows$data$value
  period <- change_period(rows, at)
  if (!is.null(period)) data <- data[row_days(rows$t) %in% period, ]
  found <- change_rows(data, rows, change)
  cap <- change_cap(found$rows$pct)
  named <- if (is.null(period)) "" else paste0(", ",
                                               period_label(period, rows$answer$every, rows$answer$about$calendar))
  draw_change(found$rows, cap, unit_of(rows$answer, change)) +
    figure_words(rows, change_sentences(rows$answer, change),
                 title %||% sprintf("Change of %s%s%s", rows$of,
                                    if (length(rows$answer$by)) paste(" by", and_list(rows$answer$by)) else "", named),
                 subtitle, caption,
                 c(if (any(abs(found$rows$pct) > cap, na.rm = TRUE)) "A break marks bars that go beyond the axis.",
                                      others_note(found$rest)))
}

# What is compared with what; the counts of the whole table are not the figure's.
change_sentences <- function(answer, change) {
  utils::head(column_sentence(answer, change), 2)
}

change_period <- function(rows, at, call = caller_env()) {
  if (is.null(rows$answer$every)) {
    return(NULL)
  }
  days <- row_days(rows$t)
  if (is.null(at)) {
    return(max(days, na.rm = TRUE))
  }
  if (!inherits(at, "Date") || !any(days %in% at)) {
    stop_figure("`at` must be the first day of a period of the table.",
                sprintf("They run from %s.", days_words(range(days))), call = call)
  }
  at
}

change_rows <- function(data, rows, change, most = 20, call = caller_env()) {
  part <- function(name) {
    column <- added_with(rows$answer, change, name)
    if (is.null(column)) stop_figure(sprintf("The table has lost a column of `add_change()` (%s).", name),
                                     "Keep all of its columns.", call = call)
    data[[column]]
  }
  now <- added_with(rows$answer, change, "now")
  out <- data.frame(
    member = member_names(data, rows$answer$by), now = if (is.null(now)) data$value else data[[now]],
    change = data[[change]],
    before = part("before"), pct = part("pct"), direction = part("direction")
  )
  size <- ifelse(is.na(out$change), abs(out$now), abs(out$change))
  keep <- utils::head(order(-size), most)
  rest <- nrow(out) - length(keep)
  out <- out[keep, ]
  # Percentages from the highest, then what has none.
  out <- out[order(is.na(out$pct), -out$pct, -out$now), ]
  out$row <- rev(seq_len(nrow(out)))
  list(rows = out, rest = rest)
}

# One huge change must not flatten every other bar: the axis ends where most bars do.
change_cap <- function(pct) {
  size <- sort(abs(pct[!is.na(pct)]))
  if (length(size) < 3) {
    return(max(size, 0.1) * 1.0001)
  }
  typical <- stats::quantile(size, 0.75, names = FALSE)
  inside <- size[size <= max(3 * typical, 0.1)]
  max(inside, 0.05) * 1.0001
}

draw_change <- function(data, cap, unit) {
  heading <- paste(c("now", unit), collapse = ", ")
  data$end <- pmax(-cap, pmin(cap, data$pct))
  data$kind <- ifelse(data$pct < 0, "less", "more")
  data$beyond <- !is.na(data$pct) & abs(data$pct) > cap
  words <- c(new = "new", gone = "gone", level = "0.0\u00a0%", unknown = "no earlier period")
  data$label <- ifelse(is.na(data$pct), words[data$direction], signed_percent(data$pct))
  data$label[data$direction == "unknown" & !is.na(data$before)] <- "earlier value below 0"
  drawn <- data[!is.na(data$pct), ]
  # Room for names on the left, for labels beside the longest bars, for values on the right.
  low <- min(0, drawn$end)
  high <- max(0, drawn$end, cap / 4)
  names <- shorten(data$member, 34)
  parts <- c(text_part(names, 3.6), text_part(data$label, 3.6), text_part(c(heading, bar_money(data$now)), 3.6))
  label_left <- if (low < 0) parts[2] else 0.01
  whole <- (high - low) / (1 - parts[1] - label_left - parts[2] - parts[3])
  left <- low - (parts[1] + label_left) * whole
  right <- left + whole
  ggplot2::ggplot(data, ggplot2::aes(y = .data$row)) +
    ggplot2::annotate("segment", x = 0, xend = 0, y = 0.4, yend = nrow(data) + 0.6, colour = ink, linewidth = 0.4) +
    (if (nrow(drawn)) {
      ggplot2::geom_rect(ggplot2::aes(xmin = pmin(0, .data$end), xmax = pmax(0, .data$end), ymin = .data$row - 0.32,
                                      ymax = .data$row + 0.32,
                                      fill = .data$kind), drawn)
    }) +
    bar_break(at_break(data[data$beyond, ], 0.88 * sign(data$end[data$beyond]) * cap), cap * 0.05) +
    label_text(ggplot2::aes(x = ifelse(is.na(.data$end), 0, .data$end), label = .data$label,
                            hjust = ifelse(!is.na(.data$end) & .data$end < 0, 1.12, -0.12))) +
    label_text(ggplot2::aes(x = left, label = names), hjust = 0) +
    label_text(ggplot2::aes(x = right, label = bar_money(.data$now)), hjust = 1, colour = faint_ink) +
    ggplot2::annotate("text", x = right, y = nrow(data) + 0.95, label = heading, hjust = 1,
                      size = 3.3, colour = faint_ink, family = figure_family()) +
    ggplot2::scale_fill_manual(values = change_colours()) +
    ggplot2::scale_x_continuous(limits = c(left, right), expand = ggplot2::expansion(mult = 0)) +
    ggplot2::scale_y_continuous(limits = c(0.3, nrow(data) + 1.2), expand = ggplot2::expansion(mult = 0)) +
    theme_bars() +
    ggplot2::theme(axis.text.y = ggplot2::element_blank())
}
