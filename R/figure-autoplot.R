#' The figure that suits a table
#'
#' Looks at a totals table's period, columns and steps and draws the figure made for them: Pareto,
#' change, targets, running totals, best sellers, shares, a profile of the week, a trend, or a ranking.
#'
#' @param object A totals table, a crosstab, or what [best_of_each()], [unsold()] or [coverage()] gives.
#' @param ... Passed on to the figure.
#' @return A ggplot.
#' @section Errors: Those of the figure.
#' @export
#' @examples
#' autoplot(totals(demo_daybook(), by = category, every = "month"))
#' autoplot(add_pareto(totals(demo_daybook(), by = product)))
autoplot <- function(object, ...) {
  ggplot2::autoplot(object, ...)
}

#' @rdname autoplot
#' @exportS3Method ggplot2::autoplot
autoplot.hinterfeld_totals <- function(object, ...) {
  default_figure(object)(object, ...)
}

#' @rdname autoplot
#' @exportS3Method ggplot2::autoplot
autoplot.hinterfeld_crosstab <- function(object, ...) {
  figure_crosstab(object, ...)
}

default_figure <- function(t) {
  answer <- answer_of(t)
  if (length(answer$keys) == 0) {
    stop_figure("A single total has nothing to be compared with.", "Split the table by a column or a period.",
                call = NULL)
  }
  has <- function(step) any(vapply(answer$added, function(column) column$kind == step, NA))
  running <- length(running_columns(answer)) > 0
  timed <- has_course(t) && length(answer$by) <= 1
  # A figure of changes shows one period; rows that were picked together can be of several.
  scope <- picked_within(answer)
  across <- !is.null(scope) && has_course(t) && !any(answer$periods %in% scope)
  if (has("pareto")) {
    figure_pareto
  } else if (has("causes")) {
    figure_causes
  } else if (has("target")) {
    figure_target
  } else if (has("change") && !across) {
    figure_change
  } else if (running && timed) {
    figure_running
  } else if (length(picked_sentences(answer)) || has("rank")) {
    figure_ranking
  } else if (has("share")) {
    figure_share
  } else if (is_recurring(answer$every) && length(answer$by) <= 1) {
    figure_weekdays
  } else if (timed) {
    figure_trend
  } else {
    figure_ranking
  }
}

# Several periods, one after the other. A single period is drawn as bars.
has_course <- function(t) {
  answer <- answer_of(t)
  !is.null(answer$every) && !is_recurring(answer$every) && length(unique(stats::na.omit(row_days(t)))) > 1
}

#' @rdname autoplot
#' @exportS3Method ggplot2::autoplot
autoplot.hinterfeld_listing <- function(object, ...) {
  figure_ranking(object, ...)
}
