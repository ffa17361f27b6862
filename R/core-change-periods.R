# Two periods of the user's choice.

change_of_periods <- function(step, t, call) {
  answer <- answer_of(t)
  periods <- step$args$periods
  of <- step_names(t, step$args$of)
  values <- lapply(periods, function(days) values_between(t, of, days, call))
  measure <- answer$measures[[of]]
  span <- answer$about$span
  outside <- any(vapply(periods, function(days) days[1] < span[1] || days[2] > span[2], NA))
  comparable <- rep(if (outside) "none" else "full", nrow(t))
  wholly <- periods[[2]][2] < span[1]
  earlier <- if (wholly) rep(NA_real_, nrow(t)) else values[[2]]
  columns <- change_values(values[[1]], earlier, rep(wholly, nrow(t)), comparable, measure)
  now <- if (is.null(measure$decimals)) values[[1]] else from_minor(values[[1]], measure$decimals)
  now <- list(values = now, counts = measure$counts, decimals = measure$decimals)
  add_columns_of(t, step, c(list(now = now), columns), found_on(t, told = list(outside = outside)), call)
}

check_periods <- function(periods, answer, call = caller_env()) {
  pair <- function(x) inherits(x, "Date") && length(x) == 2 && !anyNA(x) && x[1] <= x[2]
  if (!is.list(periods) || length(periods) != 2 || !rlang::is_named(periods) || !all(vapply(periods, pair, NA))) {
    stop_because("period", c(
      "`periods` must be a named list of two pairs of dates, the later first.",
      i = "For example `list(\"May 2026\" = as.Date(c(\"2026-05-01\", \"2026-05-31\")), \"May 2025\" = ...)`."
    ), call = call)
  }
  if (!is.null(answer$every)) {
    stop_because("period", c(
      sprintf("The table is split by %s already.", answer$every),
      i = "Named periods are compared in a table without `every`."
    ), call = call)
  }
}

# The measure of each row over the lines of some days only; 0 or missing where there are none.
values_between <- function(t, of, days, call) {
  answer <- answer_of(t)
  codes <- row_codes(t, call)
  facts <- codes$facts
  none <- nothing_to_zero(answer$measures[[of]], rep(NA_real_, nrow(t)))
  wanted <- plain_days(seq(as.integer(facts$span[1]), as.integer(facts$span[2])))
  inside <- period_target(facts, ifelse(wanted >= days[1] & wanted <= days[2], 1L, NA), call)
  rows <- lapply(parts_of(facts), function(part) which(!is.na(inside[places_in_span(part, facts)])))
  if (length(rows[[1]]) == 0) {
    return(none)
  }
  found <- rows_of_levels(take_parts(facts, rows), keys_of_rows(codes$all, rows), answer, of)
  nothing_to_zero(answer$measures[[of]], found$values[[1]][find_groups(codes$keys, found$codes, key_sizes(codes$all))])
}
