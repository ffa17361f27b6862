# Texts that are periods stand in the order of the calendar: months and quarters as ISO 8601 writes them, names of
# months and weekdays. A column is taken for one only when all of its texts are.

# The place of each label, NULL where the labels are not periods. `used` tells which labels rows have.
text_period_places <- function(labels, used, facts) {
  texts <- labels[used]
  if (!is.character(labels) || length(texts) < 2) {
    return(NULL)
  }
  years <- format(facts$span, "%Y")
  shapes <- c("^[0-9]{4}$", "^[0-9]{4}-(0[1-9]|1[0-2])$", "^[0-9]{4}-Q[1-4]$", "^[0-9]{4}-W[0-5][0-9]$",
              "^[0-9]{4}-[0-9]{2}-[0-9]{2}$")
  # Texts such as 2041 are years only where the days of the data are of these years.
  sound <- substr(texts, 1, 4) >= years[1] & substr(texts, 1, 4) <= years[2]
  if (all(sound) && any(vapply(shapes, function(shape) all(grepl(shape, texts)), NA))) {
    return(replace(integer(length(labels)), used, texts_in_order(texts)))
  }
  for (names in c(list(month.name, month.abb), weekday_names(facts$calendar))) {
    place <- match(tolower(texts), tolower(names))
    if (!anyNA(place)) {
      return(replace(integer(length(labels)), used, place))
    }
  }
}

# Byte by byte, as everywhere.
texts_in_order <- function(texts) {
  match(texts, sort(unique(texts), method = "radix"))
}

weekday_names <- function(calendar) {
  days <- plain_days(4:10)
  days <- days[order(recurring_place(as.integer(days), "weekday", calendar))]
  # 1970-01-05 was a Monday.
  whole <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
  named <- whole[(as.integer(days) - 4L) %% 7L + 1L]
  list(named, substr(named, 1, 3))
}

# Keys of a table of which texts are periods, with the places of these, and which they are.
keys_in_calendar <- function(keys, codes, facts) {
  places <- Map(function(key, code) {
    used <- which(tabulate(code, length(key$labels)) > 0)
    if (length(used) > 1 && length(used) <= 5000) text_period_places(key$labels, used, facts)
  }, keys, codes)
  list(keys = Map(function(key, place) c(key, list(places = place)), keys, places),
       in_calendar = !vapply(places, is.null, NA))
}
