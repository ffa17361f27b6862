# Recurring periods add the years together: how many years, and how many single periods each of them holds.

# The single periods of the span: how many Mondays, how many Januaries, by label in calendar order.
single_periods <- function(book, every) {
  days <- seq(as.integer(book$span[1]), as.integer(book$span[2]))
  if (every == "month_of_year") days <- unique(period_bounds_kernel(days, "month", FALSE, book$calendar$rules))
  # A month that began before the span has its first day outside of it.
  inside <- pmax(days, as.integer(book$span[1]))
  key <- key_of_recurring(inside, every, book$calendar, book$span)
  codes <- key$lookup[key$codes - key$first + 1L]
  stats::setNames(tabulate(codes, length(key$labels)), as.character(key$labels))
}

single_noun <- function(every) {
  c(weekday = "day", month_of_year = "month")[[every]]
}

# "weekday adds 4 years together, 2023 to 2026; Mon to Wed hold 194 single days each, Thu to Sun 193."
recurring_words <- function(book, every) {
  years <- position_kernel(as.integer(book$span), "year", book$calendar$rules)
  names <- unique(year_name(years, book$calendar))
  held <- single_periods(book, every)
  runs <- rle(unname(held))
  last <- cumsum(runs$lengths)
  first <- last - runs$lengths + 1L
  labels <- names(held)
  stretch <- ifelse(runs$lengths > 1, paste(labels[first], "to", labels[last]), labels[first])
  count <- vapply(runs$values, group_digits, "")
  noun <- paste0("single ", single_noun(every), ifelse(runs$values == 1, "", "s"))
  verb <- ifelse(runs$lengths > 1, "hold", "holds")
  each <- ifelse(runs$lengths > 1, " each", "")
  parts <- paste0(stretch, " ", verb, " ", count, ifelse(seq_along(count) == 1, paste0(" ", noun, each), ""))
  sprintf("%s adds %s together, %s; %s.", grain_name(every), count_of(years[2] - years[1] + 1, "year"), paste(names, collapse = " to "), and_list(parts))
}
