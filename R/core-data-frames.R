# Tables as plain data frames.

#' @export
as.data.frame.hinterfeld_totals <- function(x, ...) {
  for_caller(as.data.frame(as_tibble.hinterfeld_totals(x), ...), x, parent.frame())
}

#' @export
as.data.frame.hinterfeld_crosstab <- as.data.frame.hinterfeld_totals

#' @export
as.data.frame.hinterfeld_listing <- function(x, ...) {
  for_caller(as.data.frame(tibble::new_tibble(as.list(x), nrow = nrow(x)), ...), x, parent.frame())
}

# kable() asks for a data frame, and shows it to readers: it gets the names of periods.
for_caller <- function(data, x, caller) {
  names <- if (identical(environmentName(topenv(caller)), "knitr")) names_of_periods(x)
  replace(data, names(names), names)
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
