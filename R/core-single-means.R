# Means per single period, by which recurring periods are compared.

# The mean of a measure of each row over its whole single periods, in minor units; missing where it has none. What
# incomplete ones hold is left out.
single_means <- function(t, of, call = caller_env()) {
  answer <- answer_of(t)
  held <- count_single_periods(answer, as_tibble.hinterfeld_totals(t))
  single <- grain_kinds[[answer$every]]$single
  left_out <- single_places(answer$about, single)$incomplete
  values <- if (length(left_out)) {
    days <- plain_days(seq(as.integer(answer$about$span[1]), as.integer(answer$about$span[2])))
    values_over(t, of, !period_start(days, single, answer$about$calendar) %in% left_out, call)
  } else {
    exact_values(t, of, call)$values
  }
  ifelse(held > 0, values / held, NA_real_)
}

# Is a row of its own recurring period, or a total over all?
row_is_dated <- function(t) {
  answer <- answer_of(t)
  dated <- vapply(answer$levels, function(level) all(answer$periods %in% level$columns), NA)
  if (length(dated) == 1) rep(dated, nrow(t)) else dated[as.integer(t[[answer$level]])]
}

# Recurring periods that hold unequally many single ones, or incomplete ones, are compared by the mean of a whole one:
# the single period, NULL where that is not needed.
mean_single <- function(t, of, within) {
  answer <- answer_of(t)
  if (is.null(answer$every) || !is_recurring(answer$every) || all(answer$periods %in% within) ||
      !isTRUE(answer$measures[[of]]$adds_up)) {
    return(NULL)
  }
  single <- grain_kinds[[answer$every]]$single
  held <- count_single_periods(answer, as_tibble.hinterfeld_totals(t))
  if (length(unique(held)) > 1 || length(single_places(answer$about, single)$incomplete)) single
}
