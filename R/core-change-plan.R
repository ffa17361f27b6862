# Which earlier day is compared with which period of the table.

# The plans for all single periods that the table's levels are split by, concatenated, the table's own first. `grain`
# names that of each level, NA for none; `after` tells how many periods stand before those of a grain.
plan_of_table <- function(answer, how) {
  grain <- vapply(answer$levels, level_grain, "", answer = answer)
  plans <- lapply(stats::setNames(nm = unique(c(answer$every, grain[!is.na(grain)]))), change_plan,
                  about = answer$about, how = how)
  periods <- vapply(plans, function(plan) length(plan$starts), 0L)
  after <- cumsum(periods) - periods
  joined <- function(part) do.call(c, unname(lapply(plans, function(plan) plan[[part]])))
  list(
    grain = grain, after = after, periods = periods, starts = joined("starts"), ends = joined("ends"),
    earlier = list(start = do.call(c, unname(lapply(plans, function(plan) plan$earlier$start))),
                   end = do.call(c, unname(lapply(plans, function(plan) plan$earlier$end)))),
    open = joined("open"), open_before = joined("open_before"), why = joined("why"), held = joined("held"),
    apart = joined("apart"), comparable = joined("comparable"),
    later = unlist(Map(function(plan, after) plan$later + after, plans, after), use.names = FALSE),
    target = Map(function(plan, after) plan$target + after, plans, after),
    cut = Map(function(plan, after) plan$cut + after, plans, after),
    dropped = lapply(plans, function(plan) plan$dropped)
  )
}

# The single period of a level's rows; NA where it has none, or where weeks tell the longer ones.
level_grain <- function(level, answer) {
  grain <- single_grain(answer$everys[answer$periods %in% level$columns]) %||% NA_character_
  if (weeks_decide_year(answer$everys, answer$about$calendar) && !grain %in% answer$every) NA_character_ else grain
}

# For the periods of the span: whether any day of them is covered (`held`) and whether the earlier one can be compared;
# and `later`, the period that is compared with the whole of it (NA for none). For each day of the span: `target`, the
# period that it is an earlier day of.
change_plan <- function(every, about, how) {
  calendar <- about$calendar
  span <- about$span
  starts <- periods_of(span, every, calendar)
  earlier <- earlier_period(starts, every, how, calendar)
  now <- cover_of_periods(about, starts, every)
  ends <- period_end(starts, every, calendar)
  cut <- now$unfinished & how$like_for_like & every != "day"
  whole <- earlier$end
  earlier$end[cut] <- cut_day(starts[cut], earlier$start[cut], earlier$end[cut], span[2], every, how, calendar)
  before <- cover(about, earlier$start, earlier$end)

  days <- plain_days(seq(as.integer(span[1]), as.integer(span[2])))
  target <- rep(NA_integer_, length(days))
  for (p in which(!is.na(earlier$start))) {
    from <- as.integer(earlier$start[p]) - as.integer(span[1]) + 1L
    to <- as.integer(earlier$end[p]) - as.integer(span[1]) + 1L
    if (to >= 1 && from <= length(days)) target[max(1L, from):min(length(days), to)] <- p
  }
  # All lines of a period are compared where the earlier one starts with it and goes to its end, or to the data's.
  same <- match(as.integer(starts), as.integer(earlier$start))
  to_the_end <- !is.na(same) & earlier$end[same] >= pmin(ends, span[2]) & earlier$end[same] <= ends
  later <- ifelse(to_the_end, same, NA_integer_)
  comparable <- now$whole & before$whole & (how$like_for_like | !now$unfinished)
  list(
    starts = starts, ends = pmin(ends, span[2]), earlier = earlier, held = !now$none, open = now$open,
    open_before = before$open,
    # Of 1 the earlier value is unknown, 2 cannot be compared.
    apart = ifelse(before$none, 1L, ifelse(!comparable & how$like_for_like, 2L, 0L)),
    comparable = ifelse(!comparable, "none", ifelse(now$unfinished, "to_date", "full")),
    why = not_comparable(starts, earlier, every, about, now$unfinished & !how$like_for_like),
    later = later, target = target, cut = which(cut & !is.na(earlier$start)),
    dropped = days_dropped(earlier$end[cut], whole[cut])
  )
}

# Days that a cut leaves out of an earlier period, as whole numbers.
days_dropped <- function(last, whole) {
  dropped <- Map(function(last, whole) if (!is.na(last) && last < whole) seq(last + 1, whole), as.integer(last),
                 as.integer(whole))
  as.integer(unlist(dropped))
}

# Why a period is not comparable; "" where it is, and where its earlier one lies before the data.
not_comparable <- function(starts, earlier, every, about, unfinished) {
  calendar <- about$calendar
  own <- period_label(starts, every, calendar)
  ends <- pmin(period_end(starts, every, calendar), about$span[2])
  why <- cover_words(about, starts, ends, own)
  before <- cover_words(about, earlier$start, earlier$end, period_label(earlier$start, every, calendar))
  why <- ifelse(nzchar(why), why, ifelse(unfinished, sprintf("%s is not complete", own), before))
  replace(why, is.na(earlier$start) | earlier$end < about$span[1], "")
}

# First and last day of the earlier period of each period; missing where there is none.
earlier_period <- function(starts, every, how, calendar) {
  if (how$versus == "period_before") {
    last <- starts - 1
    return(list(start = period_start(last, every, calendar), end = last))
  }
  if (how$align == "weekday") {
    return(list(start = starts - 364, end = period_end(starts, every, calendar) - 364))
  }
  if (every == "day") {
    same <- years_earlier(starts)
    return(list(start = same, end = same))
  }
  wanted <- year_place(starts, every, calendar) - 1000
  # The same place in the year before starts 51 to 54 weeks earlier.
  start <- plain_days(vapply(seq_along(starts), function(i) {
    near <- period_start(starts[i] - (350:385), every, calendar)
    as.numeric(near[match(wanted[i], year_place(near, every, calendar))])
  }, 0))
  list(start = start, end = period_end(start, every, calendar))
}

# Year and place in it as one number: 2026038 for the 38th week of 2026.
year_place <- function(starts, every, calendar) {
  rules <- calendar$rules
  # Weeks have places in years of whole weeks, as ISO 8601 has them.
  if (every == "week" && calendar$weeks != "445") rules <- c(1L, 1L, rules[3], 1L)
  days <- as.integer(starts)
  place <- if (every == "year") 1L else position_kernel(days, every, rules)
  position_kernel(days, "year", rules) * 1000 + place
}

# The same date some years earlier; missing for 29 February where there is none.
years_earlier <- function(days, years = 1L) {
  fields <- as.POSIXlt(days)
  text <- sprintf("%04d-%02d-%02d", as.integer(fields$year + 1900L - years), fields$mon + 1L, fields$mday)
  plain_days(read_iso_days_kernel(text))
}

# Up to which day is compared with some years earlier: 29 February with 28 February.
date_earlier <- function(day, years = 1L) {
  same <- years_earlier(day, years)
  if (is.na(same)) years_earlier(day - 1, years) else same
}

# Where the earlier period ends when the later one has only come to `now`: after as many open days if the calendar has
# closed ones.
cut_day <- function(start, earlier_start, earlier_end, now, every, how, calendar) {
  if (length(calendar$closed)) {
    return(day_of_open(calendar, earlier_start, earlier_end, open_days(calendar, start, rep(now, length(start)))))
  }
  same_date <- how$versus == "year_before" && how$align == "date" && calendar$weeks != "445" && every != "week"
  day <- if (how$versus == "year_before" && how$align == "weekday") {
    rep(now - 364, length(start))
  } else if (same_date) {
    rep(date_earlier(now), length(start))
  } else {
    earlier_start + as.numeric(now - start)
  }
  pmin(day, earlier_end)
}
