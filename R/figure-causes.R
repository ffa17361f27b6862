#' Figure: what a change is made of
#'
#' A panel for each row: from the earlier value, which is the zero line, the causes of the change one after the other to
#' the value of now. Each has its signed amount beside it.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_causes()].
#' @param at Date: first day of the period to draw, by default the last one.
#' @param n Number: at most this many rows, those that changed most, on several pages if need be; the others are named
#'   in the caption.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without causes, or none of whose rows has any.
#' @export
#' @examples
#' t <- add_causes(add_change(totals(demo_daybook(), by = region, every = "year")))
#' figure_causes(t)
figure_causes <- function(t, at = NULL, n = 6, title = NULL, subtitle = NULL, caption = NULL) {
  check_whole_number(n, "n", 1)
  rows <- figure_rows(t, NULL)
  first <- figure_column(rows$answer, "causes", "volume")
  of <- names_of(rows$answer, rows$answer$added[[first]]$of)
  period <- change_period(rows, at)
  data <- if (is.null(period)) rows$data else rows$data[row_days(rows$t) %in% period, ]
  parts <- cause_parts(data, rows$answer, first, of)
  shown <- utils::head(order(-abs(parts$total)), n)
  shown <- shown[!is.na(parts$total[shown])]
  if (length(shown) == 0) {
    stop_figure("No row has causes to draw.", "Compare periods that the data cover.")
  }
  named <- of_period(period, rows$answer)
  left <- setdiff(which(!is.na(parts$total)), shown)
  # A heading has two lines.
  pages <- even_pages(shown, panels_of_page(length(parts$names) + 2))
  paged(lapply(pages, function(page) {
    draw_causes(cause_steps(parts, page), length(page), parts$names) +
      figure_words(rows, c(causes_of_figure(rows$answer, first), change_of_causes(rows$answer, of),
                           whole_change_words(t, period, of)),
                   title %||% sprintf("Why %s changed%s%s", name_words(of), scope_phrase(rows$answer$by), named),
                   subtitle, caption, c(not_drawn_note(parts$member[left]), scale_note(page)))
  }), lapply(pages, function(page) parts$member[page]))
}

whole_change_words <- function(t, period, of) {
  row <- whole_row(t, period)
  if (length(row) == 1) {
    change <- change_columns_of(answer_of(t), of)
    pct <- t[[change[["pct"]]]][row]
    sprintf("All together: %s to %s%s.", bar_money(t[[change[["before"]]]][row]), bar_money(t[[of]][row]),
            if (is.na(pct)) "" else sprintf(" (%s)", signed_percent(pct)))
  }
}

causes_of_figure <- function(answer, first) {
  args <- answer$inquiry$steps[[answer$added[[first]]$step]]$args
  paste0(
    sprintf(paste("The zero line is the earlier value. Volume: more or fewer %s at the earlier prices; mix: the shift",
                  "between cheaper and dearer %ss; price: the same %s at the%s prices of now; "), args$units, args$over,
            args$units, if (is.null(args$list_price)) "" else " list"),
    if (!is.null(args$list_price)) "discount: other discounts; ",
    sprintf("new and gone: %ss that have a price in one of the periods only", args$over),
    if (isTRUE(args$returns)) "; returns: what came back", "."
  )
}

# The causes of each row, its earlier value, the change and its percentage.
cause_parts <- function(data, answer, first, of) {
  output <- function(name) data[[added_with(answer, first, name)]]
  change <- change_columns_of(answer, of)
  names <- setdiff(names(answer$inquiry$steps[[answer$added[[first]]$step]]$columns), "causes")
  causes <- vapply(names, output, numeric(nrow(data)))
  member <- if (length(answer$by)) member_names(data, answer$by, answer) else rep_len("", nrow(data))
  list(member = member, names = names, causes = matrix(causes, nrow(data)),
       before = data[[change[["before"]]]], total = rowSums(matrix(causes, nrow(data))), pct = data[[change[["pct"]]]])
}

# The columns of the last change of a measure, by output.
change_columns_of <- function(answer, of) {
  columns <- Filter(function(about) about$kind == "change" && names_of(answer, about$of) == of, answer$added)
  last <- max(vapply(columns, function(about) about$step, 0))
  columns <- Filter(function(about) about$step == last, columns)
  stats::setNames(names(columns), vapply(columns, function(about) about$output, ""))
}

change_of_causes <- function(answer, of) {
  compared <- change_sentences(answer, change_columns_of(answer, of)[["before"]])
  compared[names(compared) == "compared"]
}

# A row for each step of each panel: where its bar starts and ends, in the amounts of its panel.
cause_steps <- function(parts, shown) {
  causes <- parts$causes[shown, , drop = FALSE]
  ends <- t(apply(causes, 1, cumsum))
  bars <- ncol(causes) + 1
  from <- cbind(0, ends[, -ncol(causes), drop = FALSE], 0)
  to <- cbind(ends, parts$total[shown])
  signed <- function(x) paste0(ifelse(x > 0, "+", ""), bar_money(x))
  member <- parts$member[shown]
  name <- ifelse(nzchar(member), paste0(distinct_names(member, shorten(member)), "\n"), "")
  heading <- sprintf("%s%s to %s%s", name, bar_money(parts$before[shown]),
                     bar_money(parts$before[shown] + parts$total[shown]),
                     ifelse(is.na(parts$pct[shown]), "", sprintf(" (%s)", signed_percent(parts$pct[shown]))))
  steps <- data.frame(
    panel = factor(rep(seq_along(shown), bars), labels = make.unique(heading, " ")),
    place = rep(bars:1, each = length(shown)), from = as.vector(from), to = as.vector(to),
    amount = as.vector(cbind(causes, parts$total[shown]))
  )
  steps$kind <- ifelse(steps$amount < 0, "less", ifelse(steps$amount > 0, "more", "none"))
  steps$label <- signed(steps$amount)
  # Beside the bar, on the side where no zero line is.
  gap <- stats::ave(pmax(abs(steps$from), abs(steps$to)), steps$panel, FUN = max) * 0.04
  steps$left <- pmax(steps$from, steps$to) < 0
  steps$at <- ifelse(steps$left, pmin(steps$from, steps$to) - gap, pmax(steps$from, steps$to) + gap)
  steps
}

draw_causes <- function(steps, panels, names) {
  ggplot2::ggplot(steps, ggplot2::aes(y = .data$place)) +
    ggplot2::geom_vline(xintercept = 0, colour = ink, linewidth = 0.4) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$to, xend = .data$to, y = .data$place, yend = .data$place - 1),
                          steps[steps$place > 2, ], colour = hairline, linewidth = 0.5) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = .data$place - 0.34,
                                    ymax = .data$place + 0.34, fill = .data$kind)) +
    label_text(ggplot2::aes(x = .data$at, label = .data$label, hjust = as.numeric(.data$left)), size = 3.3) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x",
                        ncol = min(max(panels_beside()), if (panels == 4) 2 else panels)) +
    ggplot2::scale_fill_manual(values = change_colours()) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(if (any(steps$left)) 0.42 else 0.05, 0.4))) +
    ggplot2::scale_y_continuous(breaks = (length(names) + 1):1, labels = c(names, "change")) +
    theme_bars()
}
