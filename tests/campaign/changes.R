# Changes by the independent way: for each period the days that it is compared with, and SQLite's totals of these days.

# One row per period of the span: its start, first and last earlier day, and what is comparable.
earlier_days <- function(o, every, p) {
  calendar <- o$made$calendar
  now <- o$span[2]
  starts <- periods_between(o$span[1], now, every, calendar)
  nexts <- next_starts(starts, every, calendar)
  unfinished <- open_from(calendar, rep(now + 1, length(starts)), nexts - 1) > 0
  before <- period_before_or_year(starts, nexts, every, p, calendar)
  cut <- unfinished & p$like & every != "day"
  passed <- as.integer(now - starts)
  last <- if (p$versus == "year_before" && p$align == "weekday") {
    rep(now - 364, length(starts))
  } else if (p$versus == "year_before" && !calendar_rules(calendar)$weeks_445 && every != "week") {
    rep(same_date_before(now, leap = TRUE), length(starts))
  } else {
    before$from + passed
  }
  to <- before$to
  to[cut] <- pmin(to[cut], last[cut])
  if (length(calendar$closed)) for (i in which(cut & !is.na(before$from))) {
    to[i] <- open_until(calendar, before$from[i], before$to[i], open_from(calendar, starts[i], now))
  }
  held <- cover_of(o, starts, pmin(nexts - 1, now))
  earlier <- cover_of(o, before$from, to)
  none <- held != "whole" | earlier != "whole" | unfinished & !p$like
  data.frame(start = starts, from = before$from, to = to, whole = before$to, unknown = earlier == "none",
             open = open_covered(o, starts, pmin(nexts - 1, now)), open_before = open_covered(o, before$from, to),
             held = held != "none", comparable = ifelse(none, "none", ifelse(unfinished, "to_date", "full")))
}

# Covered days of stretches that are open.
open_covered <- function(o, from, to) {
  counted <- c(o$covered, o$early)
  counted <- counted[!closed_on(o$made$calendar, counted)]
  vapply(seq_along(from), function(i) {
    if (is.na(from[i]) || is.na(to[i])) 0L else sum(counted >= from[i] & counted <= to[i])
  }, 0L)
}

# Earlier values per open day, times the open days of now, rounded once.
per_open_day <- function(earlier, open, before) {
  scaled <- round(abs(earlier) * open / before, 6)
  replace(sign(earlier) * floor(scaled + 0.5), before == 0, NA)
}

next_starts <- function(starts, every, calendar) {
  all <- periods_between(min(starts), max(starts) + 800, every, calendar)
  all[match(starts, all) + 1]
}

# The same date a year before; of 29 February none, or with `leap` the 28th.
same_date_before <- function(days, leap = FALSE) {
  at <- as.POSIXlt(days)
  text <- sprintf("%04d-%02d-%02d", at$year + 1899L, at$mon + 1L, at$mday)
  if (leap) text <- sub("^([0-9]{4})-02-29$", "\\1-02-28", text)
  as.Date(text, optional = TRUE, format = "%Y-%m-%d")
}

period_before_or_year <- function(starts, nexts, every, p, calendar) {
  if (p$versus == "period_before") {
    return(list(from = period_starts(starts - 1, every, calendar), to = starts - 1))
  }
  if (p$align == "weekday") {
    return(list(from = starts - 364, to = nexts - 1 - 364))
  }
  if (every == "day") {
    same <- same_date_before(starts)
    return(list(from = same, to = same))
  }
  all <- periods_between(min(starts) - 800, max(starts), every, calendar)
  place <- place_in_year(all, every, calendar)
  at <- vapply(place[match(starts, all)], function(here) {
    found <- which(place == sprintf("%d/%s", as.integer(sub("/.*", "", here)) - 1L, sub(".*/", "", here)))
    if (length(found)) found[1] else NA_integer_
  }, 0L)
  from <- all[at]
  list(from = from, to = next_starts_or_na(from, all, starts, nexts))
}

next_starts_or_na <- function(from, all, starts, nexts) {
  following <- c(all[-1], nexts[length(nexts)])
  following[match(from, all)] - 1
}

# "2025/38": the year and the place in it of periods that start on these days.
place_in_year <- function(starts, every, calendar) {
  if (every == "week" && !calendar_rules(calendar)$weeks_445) {
    # The year of a week holds the fourth day of it, whatever day weeks start on.
    middle <- starts + 3
    year <- as.POSIXlt(middle)$year + 1900
    return(sprintf("%d/%d", year, (as.POSIXlt(middle)$yday) %/% 7 + 1L))
  }
  year <- period_starts(starts, "year", calendar)
  named <- as.POSIXlt(year + 20)$year + 1900
  place <- if (every == "year") 1L else stats::ave(as.integer(starts), year, FUN = rank)
  if (every %in% c("month", "quarter", "week")) {
    inside <- periods_between(min(year), max(starts), every, calendar)
    of <- period_starts(inside, "year", calendar)
    place <- stats::ave(as.integer(inside), of, FUN = rank)[match(starts, inside)]
  }
  sprintf("%d/%d", as.integer(named), as.integer(place))
}

# The rows of a table with their earlier values, and rows for members that are gone unless the table was cut.
oracle_change <- function(o, rows, shape, p) {
  plan <- earlier_days(o, shape$every, p)
  all <- c(shape$every, shape$by)
  known <- plan[!is.na(plan$from), ]
  days <- data.frame(day_ = character(), period = character(), month_start = character(), month_whole = numeric())
  whole <- whole_periods(o, "month")
  for (i in seq_len(nrow(known))) {
    span <- seq(known$from[i], known$to[i], length.out = max(0, as.integer(known$to[i] - known$from[i]) + 1))
    if (known$to[i] >= known$from[i]) {
      months <- period_starts(span, "month", o$made$calendar)
      # A month that is cut is not whole.
      left <- if (known$whole[i] > known$to[i]) seq(known$to[i] + 1, known$whole[i], by = 1)
      left <- period_starts(left[left %in% seq(o$span[1], o$span[2], by = 1)], "month", o$made$calendar)
      days <- rbind(days, data.frame(day_ = format(span), period = format(known$start[i]), month_start = format(months),
                                     month_whole = as.numeric(months %in% whole & !months %in% left)))
    }
  }
  put_table(o$db, "earlier", days)
  from <- "(SELECT * FROM kept JOIN earlier ON day = day_)"
  m <- shape$measures[p$of]
  before <- do.call(rbind, lapply(seq_along(shape$splits), function(i) {
    if (!shape$every %in% shape$splits[[i]]) return(NULL)
    level <- level_rows(o, shape$splits[[i]], shape$names, m, from)
    level$lvl <- rep(i, nrow(level))
    for (k in seq_along(all)) if (is.null(level[[paste0("k", k)]])) level[[paste0("k", k)]] <- rep(NA, nrow(level))
    level[c("lvl", paste0("k", seq_along(all)), p$of)]
  }))
  keys <- c("lvl", paste0("k", seq_along(all)))
  at <- match(row_ids(rows[keys]), row_ids(before[keys]))
  earlier <- before[[p$of]][at]
  if (!shape$cut && !is.null(before)) {
    gone <- before[!seq_len(nrow(before)) %in% at & !before[[p$of]] %in% c(NA, 0) &
                     before$k1 %in% format(plan$start[plan$held]), ]
    if (nrow(gone)) {
      extra <- rows[rep(NA_integer_, nrow(gone)), ]
      extra[keys] <- gone[keys]
      for (name in names(shape$measures)) if (
        shape$measures[[name]]$kind %in% c("sum", "lines", "distinct")
      ) extra[[name]] <- 0
      rows <- rbind(rows, extra)
      earlier <- c(earlier, gone[[p$of]])
    }
  }
  period <- match(rows$k1, format(plan$start))
  if (m[[1]]$kind %in% c("sum", "lines", "distinct")) earlier[is.na(earlier)] <- 0
  unknown <- is.na(period) | plan$unknown[period]
  open <- NULL
  if (p$open) {
    open <- data.frame(plan$open[period], plan$open_before[period])
    unknown <- unknown | (open[[1]] == 0 | open[[2]] == 0) %in% TRUE
    earlier <- per_open_day(earlier, open[[1]], open[[2]])
    open[[2]][unknown] <- NA
    names(open) <- paste0(p$name, c("_open_days", "_open_days_before"))
  }
  earlier[unknown] <- NA
  now <- rows[[p$of]]
  apart <- unknown | p$like & plan$comparable[period] == "none"
  answer <- stats::setNames(
    data.frame(earlier, now - earlier, ifelse(earlier > 0 & !apart, (now - earlier) / earlier, NA),
               direction_of(now, earlier, apart),
               ifelse(is.na(period), "none", plan$comparable[period])),
    paste0(p$name, c("_before", "_change", "_change_pct", "_direction", "_comparable"))
  )
  list(rows = rows, answer = if (is.null(open)) answer else cbind(answer, open))
}

direction_of <- function(now, earlier, unknown) {
  none <- function(x) is.na(x) | x == 0
  ifelse(unknown | earlier %in% earlier[!is.na(earlier) & earlier < 0], "unknown", ifelse(
    none(now) & none(earlier), "level",
    ifelse(none(earlier), "new",
           ifelse(none(now), "gone", ifelse(now > earlier, "up", ifelse(now < earlier, "down", "level"))))
  ))
}

# Two periods of the user's choice.
oracle_named <- function(o, rows, shape, p) {
  last <- o$span[2]
  calendar <- o$made$calendar
  unfinished <- p$now[1] <= last && open_from(calendar, last + 1, p$now[2]) > 0
  now <- c(p$now[1], max(p$now[1], min(p$now[2], last)))
  then <- p$then
  if (unfinished && p$like) then[2] <- min(then[2], if (length(calendar$closed)) {
    open_until(calendar, then[1], then[2], open_from(calendar, now[1], now[2]))
  } else as_far_as(now, then))
  left <- if (then[2] < p$then[2]) seq(then[2] + 1, p$then[2], by = 1)
  covered <- cover_of(o, c(now[1], then[1]), c(now[2], then[2]))
  comparable <- all(covered == "whole") && (p$like || !unfinished)
  m <- shape$measures[p$of]
  value <- function(days, left) {
    from <- dated_lines(o, NULL)
    months <- format(unique(period_starts(left[left %in% seq(o$span[1], last, by = 1)], "month", o$made$calendar)))
    DBI::dbExecute(o$db, sprintf("UPDATE temp.dates SET month_whole = 0 WHERE month_start IN (%s)",
                                 paste(sprintf("'%s'", months), collapse = ", ")))
    from <- sprintf("(SELECT * FROM %s WHERE day BETWEEN '%s' AND '%s')", from, days[1], days[2])
    found <- do.call(rbind, lapply(seq_along(shape$splits), function(i) {
      level <- level_rows(o, shape$splits[[i]], shape$names, m, from)
      level$lvl <- rep(i, nrow(level))
      lacking <- setdiff(paste0("k", seq_along(shape$names), recycle0 = TRUE), names(level))
      level[lacking] <- rep(list(rep(NA, nrow(level))), length(lacking))
      level[c("lvl", paste0("k", seq_along(shape$names), recycle0 = TRUE), p$of)]
    }))
    keys <- c("lvl", paste0("k", seq_along(shape$names), recycle0 = TRUE))
    out <- found[[p$of]][match(row_ids(rows[keys]), row_ids(found[keys]))]
    if (m[[1]]$kind %in% c("sum", "lines", "distinct")) replace(out, is.na(out), 0) else out
  }
  values <- list(value(now, now[0]), value(then, left))
  if (covered[1] == "none") values[[1]][] <- NA
  unknown <- any(covered == "none")
  earlier <- values[[2]]
  open <- NULL
  if (p$open) {
    open <- open_covered(o, c(now[1], then[1]), c(now[2], then[2]))
    unknown <- unknown || any(open == 0)
    earlier <- per_open_day(earlier, open[1], open[2])
    open <- data.frame(rep(open[1], nrow(rows)), rep(if (unknown) NA else open[2], nrow(rows)))
    names(open) <- paste0(p$name, c("_open_days", "_open_days_before"))
  }
  if (unknown) earlier <- rep(NA_real_, nrow(rows))
  apart <- rep(unknown || p$like && !comparable, nrow(rows))
  answer <- stats::setNames(data.frame(
    values[[1]], earlier, values[[1]] - earlier,
    ifelse(earlier > 0 & !apart, (values[[1]] - earlier) / earlier, NA), direction_of(values[[1]], earlier, apart),
    rep(if (!comparable) "none" else if (unfinished) "to_date" else "full", nrow(rows))
  ), paste0(p$name, c("_now", "_before", "_change", "_change_pct", "_direction", "_comparable")))
  if (is.null(open)) answer else cbind(answer, open)
}

# The day of the earlier period up to which as much has passed.
as_far_as <- function(now, then) {
  years <- year_of(now[1]) - year_of(then[1])
  if (years <= 0 || format(now[1], "%m-%d") != format(then[1], "%m-%d")) return(then[1] + as.integer(now[2] - now[1]))
  same <- sprintf("%d-%s", year_of(now[2]) - years, format(now[2], "%m-%d"))
  day <- as.Date(same, optional = TRUE, format = "%Y-%m-%d")
  if (is.na(day)) as.Date(sub("-29$", "-28", same)) else day
}
