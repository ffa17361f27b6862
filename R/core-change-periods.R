# Two periods of the user's choice.

change_of_periods <- function(step, t, call) {
  answer <- answer_of(t)
  of <- step_names(t, step$args$of)
  plan <- named_plan(step$args$periods, step$args$like_for_like, answer$about)
  span <- plain_days(seq(as.integer(answer$about$span[1]), as.integer(answer$about$span[2])))
  values <- Map(function(days, dropped) {
    values_over(t, of, span >= days[1] & span <= days[2], call, dropped)
  }, plan$days, list(integer(), plan$dropped))
  measure <- answer$measures[[of]]
  now <- replace(values[[1]], rep(plan$unknown[1], nrow(t)), NA)
  rows <- function(x) rep(x, nrow(t))
  open <- if (isTRUE(step$args$per_open_day)) lapply(plan$open, rows)
  columns <- change_values(now, values[[2]], rows(plan$apart), rows(plan$comparable), measure, open)
  shown <- if (is.null(measure$decimals)) now else from_minor(now, measure$decimals)
  shown <- list(values = shown, counts = measure$counts, decimals = measure$decimals)
  summary <- c(plan[c("days", "open", "unfinished", "why")], direction_counts(columns))
  columns <- c(list(now = shown), columns)[names(step$columns)]
  add_columns_of(t, step, columns, step_stats_of(t, summary = summary), call)
}

# Which days of two named periods are compared, and whether they can be: where the later one is not finished, the same
# days of the earlier one.
named_plan <- function(periods, like_for_like, about) {
  last <- about$span[2]
  now <- periods[[1]]
  then <- periods[[2]]
  calendar <- about$calendar
  unfinished <- now[1] <= last && open_days(calendar, last + 1, now[2]) > 0
  if (now[1] <= last) now[2] <- min(now[2], last)
  whole <- then[2]
  if (unfinished && like_for_like) then[2] <- min(then[2], same_day_in(then, now, calendar))
  covered <- cover(about, c(now[1], then[1]), c(now[2], then[2]))
  comparable <- all(covered$whole) && (like_for_like || !unfinished)
  why <- cover_words(about, c(now[1], then[1]), c(now[2], then[2]), names(periods))
  if (unfinished && !like_for_like) why[1] <- sprintf("%s is not complete", names(periods)[1])
  list(
    days = stats::setNames(list(now, then), names(periods)), dropped = days_dropped(then[2], whole),
    open = covered$open, unknown = covered$none, unfinished = unfinished,
    apart = if (any(covered$none)) 1L else if (!comparable && like_for_like) 2L else 0L,
    comparable = if (!comparable) "none" else if (unfinished) "to_date" else "full", why = why[nzchar(why)]
  )
}

# The day of an earlier period up to which as much has passed as of the later one: the same date where both begin on
# the same, otherwise the same number of days; if the calendar has closed days, the same number of open ones.
same_day_in <- function(then, now, calendar) {
  if (length(calendar$closed)) {
    return(day_of_open(calendar, then[1], then[2], open_days(calendar, now[1], now[2])))
  }
  years <- as.POSIXlt(now[1])$year - as.POSIXlt(then[1])$year
  if (years > 0 && identical(years_earlier(now[1], years), then[1])) {
    return(date_earlier(now[2], years))
  }
  then[1] + as.numeric(now[2] - now[1])
}

# Periods named in texts, as pairs of days.
periods_given <- function(periods, calendar, call) {
  if (!is.character(periods)) {
    return(periods)
  }
  pairs <- lapply(stats::setNames(nm = periods), named_period, calendar = calendar)
  unknown <- vapply(pairs, is.null, NA)
  if (any(unknown)) {
    stop_because("period", sprintf("%s cannot be %s.", as_typed("periods"), and_list(quoted(periods[unknown]))),
                 i = period_names_hint, call = call)
  }
  pairs
}

period_names_hint <- "Name periods as 2026, 2026-Q1, 2026-05, \"May 2026\" or 2026-05-31."

# First and last day of the period that a text names; NULL where it names none.
named_period <- function(text, calendar) {
  words <- strsplit(text, " +")[[1]]
  month <- match(substr(words[1], 1, 3), month_names)
  plain <- if (length(words) == 2 && !is.na(month)) sprintf("%s-%02d", words[2], month) else text
  begin <- if (grepl("^[1-9][0-9]{3}", plain)) as.Date(paste0(substr(plain, 1, 4), "-01-01"))
  near <- if (!is.null(begin)) seq(begin - 370, by = 1, length.out = 1110)
  for (every in rev(grains)) {
    at <- if (!is.null(near)) match(plain, period_label(near, every, calendar))
    if (length(at) && !is.na(at)) {
      return(c(period_start(near[at], every, calendar), period_end(near[at], every, calendar)))
    }
  }
}

check_periods <- function(periods, answer, call = caller_env()) {
  pair <- function(x) inherits(x, "Date") && length(x) == 2 && !anyNA(x) && x[1] <= x[2]
  if (!is.list(periods) || length(periods) != 2 || !rlang::is_named(periods) || !all(vapply(periods, pair, NA))) {
    stop_because("period", "`periods` must be a named list of two pairs of dates, the later first.",
                 i = "For example `list(May = as.Date(c(\"2026-05-01\", \"2026-05-31\")), April = ...)`.",
                 i = "Or name them: `periods = c(\"2026-05\", \"2026-04\")`.",
                 call = call)
  }
  if (!is.null(answer$every)) {
    stop_because("period", sprintf("The table is split by %s already.", answer$every),
                 i = sprintf("To compare named periods, make the table without %s.", as_typed("every")), call = call)
  }
}

# The measure of each row over the lines of some days of the span only; 0 or missing where there are none. Days that are
# `dropped` are not covered.
values_over <- function(t, of, days, call, dropped = integer()) {
  answer <- answer_of(t)
  codes <- row_codes(t, call)
  facts <- without_days(codes$facts, dropped)
  none <- fill_empty(answer$measures[[of]], rep(NA_real_, nrow(t)))
  inside <- period_target(facts, ifelse(days, 1L, NA), call)
  rows <- lapply(rowsets_of(facts), function(rowset) which(!is.na(inside[places_in_span(rowset, facts)])))
  if (length(rows[[1]]) == 0) {
    return(none)
  }
  sums <- rows_of_levels(take_rowsets(facts, rows), keys_of_rows(codes$all, rows), answer, of)
  fill_empty(answer$measures[[of]], sums$values[[1]][find_groups(codes$keys, sums$codes, key_sizes(codes$all))])
}
