# Tables as plain data frames.

#' @export
as.data.frame.hinterfeld_totals <- function(x, ...) {
  data <- as.data.frame(as_tibble.hinterfeld_totals(x), ...)
  if (is_for_readers(parent.frame())) replace(data, names(names_of_periods(x)), names_of_periods(x)) else data
}

#' @export
as.data.frame.hinterfeld_crosstab <- as.data.frame.hinterfeld_totals

#' @export
as.data.frame.hinterfeld_listing <- function(x, ...) {
  data <- as.data.frame(tibble::new_tibble(as.list(x), nrow = nrow(x)), ...)
  if (is_for_readers(parent.frame())) replace(data, names(names_of_periods(x)), names_of_periods(x)) else data
}

# kable() asks for a data frame, and shows it to readers.
is_for_readers <- function(caller) {
  identical(environmentName(topenv(caller)), "knitr")
}

# Of each column of periods longer than a day the names of its periods.
names_of_periods <- function(x) {
  columns <- known_columns(x)
  calendar <- (listing_of(x) %||% answer_of(x))$about$calendar
  dated <- Filter(function(name) {
    every <- columns[[name]]$every
    !is.null(every) && !is_recurring(every) && every != "day"
  }, intersect(names(columns), names(x)))
  lapply(stats::setNames(nm = dated), function(name) period_names(x[[name]], columns[[name]]$every, calendar))
}
