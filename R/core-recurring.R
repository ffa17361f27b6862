# Recurring periods add the years together: how many years, and how many single periods each of them holds.

# The keys of a table's periods over all days that it is about, and the codes that its rows have in them.
period_keys <- function(answer) {
  about <- answer$about
  by_week <- weeks_decide_year(answer$everys, about$calendar)
  lapply(answer$everys, function(every) key_of_time(NULL, every, about$calendar, about$span, by_week))
}

period_codes <- function(answer, keys, data) {
  Map(function(key, name) label_codes(key, data[[name]], answer$labels), keys, answer$periods)
}

# The single periods of the span that are covered whole: the first day of each as days from the first of the span, from
# 1; and the first days of those that are not.
single_places <- function(about, single) {
  starts <- periods_of(about$span, single, about$calendar)
  covered <- cover_of_periods(about, starts, single)
  first <- as.integer(about$span[1])
  # A month that began before the span has its first day outside of it.
  list(whole = pmax(as.integer(starts[covered$complete]), first) - first + 1L,
       incomplete = starts[!covered$complete & !covered$none])
}

# How many whole single periods each row adds together: its Mondays, its Januaries; of a subtotal all that it holds.
count_single_periods <- function(answer, data) {
  keys <- period_keys(answer)
  codes <- period_codes(answer, keys, data)
  at <- single_places(answer$about, grain_kinds[[answer$every]]$single)$whole
  held <- lapply(keys, function(key) key$lookup[at])
  groups <- group_lines(nrow(data), Map(function(key, code) new_key(key$name, code, key$labels), keys, codes))
  counts <- vapply(seq_len(groups$count), function(i) {
    sum(Reduce(`&`, Map(function(own, codes_of) codes_of[i] == total_code | own == codes_of[i], held, groups$parts)))
  }, 0L)
  counts[groups$codes]
}

# The same as a column of the table.
with_singles <- function(t) {
  answer <- answer_of(t)
  name <- single_counts_name(answer$everys)
  columns <- c(as.list(t), stats::setNames(list(count_single_periods(answer, as_tibble.hinterfeld_totals(t))), name))
  plain <- attr(t, "answer", exact = TRUE)
  plain$columns[[name]] <- new_column(name, "singles", decimals = 0L)
  new_totals(columns, plain)
}

single_counts_name <- function(every) {
  paste0("single_", grain_kinds[[every[length(every)]]]$single, "s")
}

# The whole single periods of the span: how many Mondays, how many Januaries, by label in calendar order.
single_periods <- function(about, every) {
  key <- key_of_recurring(NULL, every, about$calendar, about$span)
  codes <- key$lookup[single_places(about, grain_kinds[[every]]$single)$whole]
  stats::setNames(tabulate(codes, length(key$labels)), as.character(key$labels))
}

# "Each weekday adds up 4 years, 2023 to 2026: Mon to Wed have 194 days each and Thu to Sun have 193."
recurring_words <- function(about, every) {
  dated <- every[!vapply(every, is_recurring, NA)]
  every <- every[length(every)]
  kind <- grain_kinds[[every]]
  if (length(dated)) {
    return(sprintf("Within each %3$s, the %2$ss of the same %1$s are added up.", kind$name, kind$single,
                   grain_kinds[[dated[length(dated)]]]$name))
  }
  years <- position_kernel(as.integer(about$span), "year", about$calendar$rules)
  names <- unique(year_name(years, about$calendar))
  held <- single_periods(about, every)
  runs <- rle(unname(held))
  last <- cumsum(runs$lengths)
  first <- last - runs$lengths + 1L
  labels <- names(held)
  joined <- ifelse(runs$lengths == 2, "and", "to")
  stretch <- ifelse(runs$lengths > 1, paste(labels[first], joined, labels[last]), labels[first])
  count <- vapply(runs$values, group_digits, "")
  incomplete <- single_places(about, kind$single)$incomplete
  noun <- paste0(if (length(incomplete)) "whole ", kind$single, ifelse(runs$values == 1, "", "s"))
  verb <- ifelse(runs$lengths > 1, "have", "has")
  each <- ifelse(runs$lengths > 1, " each", "")
  phrases <- paste0(stretch, " ", verb, " ", count, ifelse(seq_along(count) == 1, paste0(" ", noun, each), ""))
  left_out <- if (length(incomplete)) {
    sprintf("; %s %s not complete", and_list(period_label(incomplete, kind$single, about$calendar)),
            if (length(incomplete) == 1) "is" else "are")
  } else {
    ""
  }
  sprintf("Each %s adds up %s, %s: %s%s.", kind$name, count_of(years[2] - years[1] + 1, "year"),
          paste(names, collapse = " to "), and_list(phrases), left_out)
}
