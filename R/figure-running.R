#' Figure: running totals
#'
#' One line per group, with a mark wherever a running total starts again.
#'
#' @inheritParams figure_trend
#' @param t A totals table with [add_running_total()] or [add_moving()], with at most one `by` column.
#' @return A ggplot, which can be extended.
#' @section Errors: As for [figure_trend()]; `hinterfeld_error_figure` also for a table without a column that runs along
#'   a period.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = region, every = "month")
#' figure_running(add_running_total(t, restart = "year"))
figure_running <- function(t, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, NULL)
  check_time(rows$answer, "A running total")
  column <- running_columns(rows$answer)
  if (length(column) == 0) {
    stop_figure("The table holds nothing that runs along a period.",
                "Add it first with `add_running_total()` or `add_moving()`.")
  }
  column <- column[length(column)]
  of <- names_of(rows$answer, rows$answer$added[[column]]$of)
  if (of %in% names(rows$data)) rows <- drawn_measure(rows, answer_of(rows$t), of)
  lines <- time_lines(rows, column)
  marks <- restart_marks(lines$data$period, rows$answer$added[[column]]$restart, rows$answer$about$calendar)
  lines$data$stretch <- findInterval(lines$data$period, marks)
  draw_lines(lines, rows, if (length(marks)) {
    ggplot2::annotate("segment", x = marks, xend = marks, y = 0, yend = Inf, colour = hairline, linewidth = 0.5)
  }) + figure_words(rows, column_sentence(rows$answer, column), title %||% running_title(column, rows), subtitle,
                    caption,
                    lines_notes(lines), dashed = several_periods(lines))
}

running_title <- function(column, rows) {
  about <- rows$answer$added[[column]]
  of <- names_of(rows$answer, about$of)
  usual <- column == paste0(of, "_running")
  paste0(if (usual) paste("Running total of", name_words(of)) else capital(name_words(column)),
         scope_phrase(rows$answer$by))
}

# Columns that run along the table's period.
running_columns <- function(answer) {
  names(Filter(function(about) !is.null(about$along), answer$added))
}

# The first periods after each new start. Lines do not join across them.
restart_marks <- function(period, restart, calendar) {
  if (is.null(restart)) {
    return(period[0])
  }
  periods <- sort(unique(period))
  turn <- period_start(periods, restart, calendar)
  periods[-1][turn[-1] != turn[-length(turn)]]
}
