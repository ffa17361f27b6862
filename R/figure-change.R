#' Figure: change against the earlier period
#'
#' One row per member: this period's value as a bar and, beside it, the percentage change as a distance from zero, both
#' with their numbers written out. A percentage beyond the axis is drawn to the edge with a break, and its true value is
#' given. Members that are new or gone, or have no earlier period, are labelled as such.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_change()], by one or more columns or none. Its latest period is drawn; of a table
#'   of periods alone, each period is a row, in the order of time.
#' @param at Date: the first day of another period to draw.
#' @param order Text: what the rows are ordered and chosen by: `"percent"`, `"amount"` (of the change) or `"value"`.
#' @param n Whole number: how many members to draw at most. These are the members with the largest percentages and
#'   amounts, up or down, the largest amounts, or the largest values, depending on `order`. The caption names the
#'   others. Of periods, the last are drawn.
#' @param only Text: `"all"`, or only the members that went `"up"` or `"down"`; new members count as up, gone ones as
#'   down.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without change columns, without rows, or without the period.
#' @export
#' @examples
#' t <- add_change(totals(demo_daybook(), by = town, every = "year"))
#' figure_change(t)
#' figure_change(t, order = "amount", only = "down")
figure_change <- function(t, at = NULL, order = c("percent", "amount", "value"), n = 20, only = c("all", "up", "down"),
                          title = NULL, subtitle = NULL, caption = NULL) {
  order <- check_choice(order[1], "order", c("percent", "amount", "value"))
  only <- check_choice(only[1], "only", c("all", "up", "down"))
  check_picks(n, NULL, rlang::current_env())
  rows <- figure_rows(t, NULL)
  data <- rows$data
  change <- figure_column(rows$answer, "change", "change")
  of <- names_of(rows$answer, rows$answer$added[[change]]$of)
  if (of %in% names(data)) rows <- drawn_measure(rows, answer_of(rows$t), of)
  data$value <- rows$data$value
  # Of a table of periods only, each is shown.
  each <- is.null(at) && length(rows$answer$by) == 0 && !is.null(rows$answer$every) && nrow(data) > 1
  period <- if (!each) change_period(rows, at)
  days <- if (each) drawn_days(rows$t) else if (!is.null(period)) row_days(rows$t)
  # The rest of a pick has no change.
  if (!is.null(days)) data <- data[if (each) !is.na(days) else days %in% period, ]
  members <- if (each) period_label(days[!is.na(days)], rows$answer$every, rows$answer$about$calendar) else
    member_names(data, rows$answer$by, rows$answer)
  changes <- change_rows(data, rows, change, members, if (each) "time" else order, n, only)
  changes$rows$size <- if (order == "amount") changes$rows$change else changes$rows$pct
  cap <- change_cap(changes$rows$size)
  by <- if (each) grain_kinds[[rows$answer$every]]$name else rows$answer$by
  what <- c(all = "Change in", up = "What rose:", down = "What fell:")[[only]]
  draw_change(changes$rows, cap, rows$of, unit_of(rows$answer, change), order == "amount") +
    figure_words(rows, change_sentences(rows$answer, change),
                 title %||% paste0(what, " ", name_words(rows$of), scope_phrase(by), of_period(period, rows$answer)),
                 subtitle, caption,
                 c(if (any(abs(changes$rows$size) > cap, na.rm = TRUE)) "A break marks bars that go beyond the axis.",
                   if (each && length(changes$rest)) sprintf("Nothing up to %s is drawn.", changes$rest[1]) else
                     not_drawn_note(changes$rest)))
}

# The least telling ones, by name as far as a line holds them.
not_drawn_note <- function(rest) {
  if (length(rest)) sprintf("Not drawn, as they stand out least: %s.", some_names(rest))
}

change_period <- function(rows, at, call = caller_env()) {
  if (is.null(rows$answer$every)) {
    return(NULL)
  }
  days <- drawn_days(rows$t, call)
  if (is.null(at)) {
    return(max(days, na.rm = TRUE))
  }
  if (!inherits(at, "Date") || !any(days %in% at)) {
    stop_figure("`at` must be the first day of a period of the table.",
                sprintf("They run from %s.", days_words(range(days, na.rm = TRUE))), call = call)
  }
  at
}

change_rows <- function(data, rows, change, members, order, n, only, call = caller_env()) {
  output_column <- function(name) {
    column <- added_with(rows$answer, change, name)
    if (is.null(column)) stop_figure(sprintf("The table has lost a column of `add_change()` (%s).", name),
                                     "Keep all of its columns.", call = call)
    data[[column]]
  }
  now <- added_with(rows$answer, change, "now")
  out <- data.frame(
    member = members, now = if (is.null(now)) data$value else data[[now]],
    change = data[[change]],
    before = output_column("before"), pct = output_column("pct"), direction = output_column("direction"),
    comparable = output_column("comparable")
  )
  if (only != "all") out <- out[out$direction %in% list(up = c("up", "new"), down = c("down", "gone"))[[only]], ]
  if (nrow(out) == 0) stop_figure(sprintf("No row went %s.", only), "Draw all of them.", call = call)
  amount <- ifelse(is.na(out$change), abs(out$now), abs(out$change))
  # Of percentages also those that moved most money: the largest of all hardly ever has a large one.
  tells <- switch(order, amount = order(-amount), value = order(-abs(out$now)),
                  percent = order(pmin(rank(-abs(out$pct)), rank(-amount)), -amount), time = rev(seq_along(amount)))
  keep <- utils::head(tells, n)
  rest <- out$member[setdiff(tells, keep)]
  out <- out[keep, ]
  # From the highest; what has no percentage last.
  places <- switch(order, percent = order(is.na(out$pct), -out$pct, -out$now),
                   amount = order(is.na(out$change), -out$change), value = order(-out$now),
                   time = rev(seq_along(keep)))
  out <- out[places, ]
  out$row <- rev(seq_len(nrow(out)))
  list(rows = out, rest = rest)
}

# One huge change must not flatten every other bar: the axis ends where most bars do, at 5 % at least.
change_cap <- function(size) {
  size <- sort(abs(size[!is.na(size)]))
  if (length(size) < 3) {
    return(max(size, 0.1) * 1.0001)
  }
  typical <- stats::quantile(size, 0.75, names = FALSE)
  inside <- size[size <= max(3 * typical, 0.1)]
  max(inside, 0.05) * 1.0001
}

# Names, bars of values with their numbers, and beside them the changes from a zero line of their own: in parts of the
# panel, so that all have the room that their texts need.
draw_change <- function(data, cap, of, unit, amounts) {
  data$end <- pmax(-cap, pmin(cap, data$size))
  data$kind <- ifelse(data$size < 0, "less", "more")
  data$beyond <- !is.na(data$size) & abs(data$size) > cap
  words <- c(new = "new", gone = "gone", level = "0.0\u00a0%", unknown = "no earlier period", none = "not comparable")
  data$label <- ifelse(is.na(data$pct), words[data$direction], signed_percent(data$pct))
  unknown <- data$direction == "unknown" & !is.na(data$before)
  data$label[unknown] <- ifelse(data$before[unknown] < 0 & data$comparable[unknown] != "none", "earlier value below 0",
                              words[["none"]])
  if (amounts) {
    signed <- ifelse(is.na(data$change), "", paste0(ifelse(data$change > 0, "+", ""), bar_money(data$change), "  "))
    data$label <- paste0(signed, data$label)
  }
  data$name <- fitting_names(data$member, 3.6, 1, 0.3)
  data$money <- bar_money(data$now)
  fractions <- vapply(list(data$name, data$money, data$label), text_fraction, 0, size = 3.6)
  room <- if (amounts) 0.18 else 0.26
  values <- axis_of(pmin(data$now, 0), pmax(data$now, 0), fractions[1], fractions[1] + room)
  changes <- axis_of(pmin(data$end, 0), pmax(data$end, cap / 4), fractions[1] + room + 0.04 + fractions[2] +
                       if (any(data$end < 0, na.rm = TRUE)) fractions[3] else 0, 1 - fractions[3])
  heading <- data.frame(x = c(values(0), changes(0)), row = max(data$row, 4) + 0.95,
                        label = c(paste(c(name_words(of), unit), collapse = ", "), "change"))
  data$low <- values(pmin(data$now, 0))
  data$high <- values(pmax(data$now, 0))
  data$from <- changes(pmin(data$end, 0))
  data$to <- changes(pmax(data$end, 0))
  data$at <- changes(ifelse(is.na(data$end), 0, data$end))
  drawn <- data[!is.na(data$size), ]
  beyond <- data[data$beyond, ]
  line <- function(x) ggplot2::annotate("segment", x = x, xend = x, y = min(data$row) - 0.6, yend = max(data$row) + 0.6,
                                        colour = ink, linewidth = 0.4)
  bar <- function(rows, from, to, ...) {
    ggplot2::geom_rect(ggplot2::aes(xmin = .data[[from]], xmax = .data[[to]], ymin = .data$row - 0.32,
                                    ymax = .data$row + 0.32, ...), rows)
  }
  ggplot2::ggplot(data, ggplot2::aes(y = .data$row)) +
    bar(data[!is.na(data$now), ], "low", "high", fill = "value") +
    (if (nrow(drawn)) bar(drawn, "from", "to", fill = .data$kind)) +
    line(values(0)) + line(changes(0)) +
    bar_break(at_break(beyond, changes(0.88 * beyond$end)), 0.008) +
    label_text(ggplot2::aes(x = fractions[1] - 0.012, label = .data$name), hjust = 1) +
    label_text(ggplot2::aes(x = .data$high, label = .data$money), hjust = -0.12, colour = faint_ink) +
    label_text(ggplot2::aes(x = .data$at, label = .data$label,
                            hjust = ifelse(!is.na(.data$end) & .data$end < 0, 1.12, -0.12))) +
    label_text(ggplot2::aes(x = .data$x, label = .data$label), heading, hjust = 0, size = 3.3, colour = faint_ink) +
    ggplot2::scale_fill_manual(values = c(change_colours(), value = quiet_bar)) +
    ggplot2::scale_x_continuous(limits = c(0, 1), expand = ggplot2::expansion(mult = 0)) +
    ggplot2::scale_y_continuous(limits = c(max(data$row) - max(data$row, 4) + 0.3, max(data$row, 4) + 1.2),
                                expand = ggplot2::expansion(mult = 0)) +
    theme_bars() +
    ggplot2::theme(axis.text.y = ggplot2::element_blank())
}

# Values from the lowest to the highest as places between two parts of a panel.
axis_of <- function(lows, highs, from, to) {
  low <- min(0, lows, na.rm = TRUE)
  high <- max(highs, low + 1e-9, na.rm = TRUE)
  function(x) from + (x - low) / (high - low) * (to - from)
}
