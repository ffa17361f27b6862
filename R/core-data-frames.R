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
  everys <- long_periods(x)
  calendar <- (listing_of(x) %||% answer_of(x))$about$calendar
  Map(function(name, every) period_names(x[[name]], every, calendar), names(everys), everys)
}

# The grains of the columns of periods longer than a day.
long_periods <- function(x) {
  columns <- known_columns(x)
  everys <- lapply(columns[names(columns) %in% names(x)], function(column) column$every)
  Filter(function(every) !is.null(every) && !is_recurring(every) && every != "day", everys)
}
