# Recurring periods add the years together: how many years, and how many single periods each of them holds.

# The single periods of the span: how many Mondays, how many Januaries, by label in calendar order.
single_periods <- function(about, every) {
  span <- as.integer(about$span)
  days <- unique(period_bounds_kernel(seq(span[1], span[2]), grain_kinds[[every]]$single, FALSE, about$calendar$rules))
  # A month that began before the span has its first day outside of it.
  key <- key_of_recurring(pmax(days, span[1]), every, about$calendar, about$span)
  codes <- key$lookup[key$codes - key$first + 1L]
  stats::setNames(tabulate(codes, length(key$labels)), as.character(key$labels))
}

# "weekday adds 4 years together, 2023 to 2026; Mon to Wed hold 194 single days each, Thu to Sun 193."
recurring_words <- function(about, every) {
  dated <- every[!vapply(every, is_recurring, NA)]
  every <- every[length(every)]
  kind <- grain_kinds[[every]]
  if (length(dated)) {
    return(sprintf("%s adds the single %ss of each %s together.", kind$name, kind$single,
                   grain_kinds[[dated[length(dated)]]]$name))
  }
  years <- position_kernel(as.integer(about$span), "year", about$calendar$rules)
  names <- unique(year_name(years, about$calendar))
  held <- single_periods(about, every)
  runs <- rle(unname(held))
  last <- cumsum(runs$lengths)
  first <- last - runs$lengths + 1L
  labels <- names(held)
  stretch <- ifelse(runs$lengths > 1, paste(labels[first], "to", labels[last]), labels[first])
  count <- vapply(runs$values, group_digits, "")
  noun <- paste0("single ", grain_kinds[[every]]$single, ifelse(runs$values == 1, "", "s"))
  verb <- ifelse(runs$lengths > 1, "hold", "holds")
  each <- ifelse(runs$lengths > 1, " each", "")
  parts <- paste0(stretch, " ", verb, " ", count, ifelse(seq_along(count) == 1, paste0(" ", noun, each), ""))
  sprintf("%s adds %s together, %s; %s.", grain_kinds[[every]]$name, count_of(years[2] - years[1] + 1, "year"),
          paste(names, collapse = " to "), and_list(parts))
}
