# What stands out in facts: each kind looks at a few tables and gives numbers and names; sentences come later.

# Each entry looks for one kind: `find` gives a list of findings, of the whole or for one column to look by. Those that
# compare are not asked where no period can be compared with an earlier one, those of single lines not of a tally.
finding_kinds <- list(
  change = list(compares = TRUE, find = function(asked) find_change(asked)),
  returns = list(compares = TRUE, lines = TRUE, find = function(asked) find_returns(asked)),
  day = list(compares = TRUE, find = function(asked) find_unusual_days(asked)),
  month = list(compares = FALSE, find = function(asked) find_unusual_months(asked)),
  gap = list(compares = FALSE, find = function(asked) find_gaps(asked)),
  price = list(compares = FALSE, lines = TRUE, find = function(asked) find_prices(asked)),
  carrier = list(compares = TRUE, find = function(asked, column) find_carriers(asked, column)),
  leader = list(compares = TRUE, find = function(asked, column) find_leaders(asked, column)),
  share = list(compares = TRUE, find = function(asked, column) find_shares(asked, column)),
  dependence = list(compares = TRUE, find = function(asked, column) find_dependence(asked, column)),
  silent = list(compares = FALSE, find = function(asked, column) find_silent(asked, column)),
  spelling = list(compares = FALSE, unclean = TRUE, find = function(asked, column) find_spellings(asked, column))
)

# All findings, those that move most money first; `asked` are the facts, the measure `of`, the columns to look `by`, and
# the limits.
find_all <- function(facts, of, by, limits, lines = inherits(facts, "hinterfeld_daybook")) {
  about <- about_facts(facts)
  asked <- list(facts = facts, of = of, limits = limits, about = about, compared = latest_compared(facts, of, about))
  asked$values <- lapply(stats::setNames(nm = by), function(column) {
    quietly(totals(facts, by = tidyselect::all_of(column), measures = of))
  })
  # Where one value is spelt in several ways, its other numbers say little.
  clean <- by[!vapply(by, function(column) any(spellings(asked$values[[column]], column, of)$lesser), NA)]
  if (!is.null(asked$compared)) {
    asked$whole <- compared_rows(character(), asked)
    asked$rows <- lapply(stats::setNames(nm = clean), compared_rows, asked = asked)
  }
  found <- unlist(lapply(finding_kinds, function(kind) {
    if (kind$compares && is.null(asked$compared) || isTRUE(kind$lines) && !lines) {
      list()
    } else if ("column" %in% names(formals(kind$find))) {
      unlist(lapply(if (isTRUE(kind$unclean)) by else clean, kind$find, asked = asked), recursive = FALSE)
    } else {
      kind$find(asked)
    }
  }), recursive = FALSE, use.names = FALSE)
  amount <- vapply(found, function(finding) abs(finding$amount), 0)
  name <- vapply(found, function(finding) paste(finding$kind, finding$column, finding$member), "")
  found <- found[order(-amount, name, method = "radix")]
  list(found = found[!said_already(found)], compared = asked$compared,
       decimals = answer_of(quietly(totals(facts, measures = of)))$measures[[of]]$decimals)
}

# Of what is said of one member the largest is enough; that it is new or silent says it best.
said_already <- function(found) {
  member <- vapply(found, function(finding) paste(finding$column, finding$member), "")
  best <- vapply(found, function(finding) finding$kind %in% c("silent", "new"), NA)
  named <- nzchar(trimws(member))
  named & !best & (duplicated(member) | member %in% member[best])
}

# The product, and every column of text with 2 to 60 values.
telling_columns <- function(facts) {
  columns <- rowsets_of(facts)[[1]]$columns
  Filter(function(name) {
    x <- columns[[name]]
    name == "product" || type_of(x) == "text" && values_in(x) %in% 2:60
  }, union(intersect("product", names(columns)), grouping_columns(facts)))
}

# `t` is the table that shows it, `amount` the money that it moves; the rest are the numbers of its sentence.
new_finding <- function(kind, amount, t, column = "", member = "", ...) {
  list(kind = kind, amount = amount, t = t, column = column, member = member, numbers = list(...))
}

# The latest year, or else the latest month, with lines that can be compared with the one before, of which at least four
# weeks have passed. None where there is neither.
latest_compared <- function(facts, of, about) {
  # Only days tell the same days of the year before.
  to_date <- holds_grain(facts, "day")
  for (every in Filter(function(every) holds_grain(facts, every), c("year", "month"))) {
    versus <- if (every == "year") "year_before" else "period_before"
    plan <- change_plan(every, about, list(versus = versus, align = "date", like_for_like = to_date))
    ends <- pmin(plan$ends, about$span[2])
    sold <- plan$starts %in% quietly(totals(facts, every = every, measures = of))[[every]]
    found <- utils::tail(which(sold & plan$comparable != "none" & ends - plan$starts >= 27), 1)
    if (length(found)) {
      label <- function(start) period_label(start[found], every, about$calendar)
      return(list(every = every, how = list(versus = versus, like_for_like = to_date), label = label(plan$starts),
                  label_before = label(plan$earlier$start),
                  unfinished = plan$comparable[found] == "to_date", now = c(plan$starts[found], ends[found]),
                  before = c(plan$earlier$start[found], plan$earlier$end[found]),
                  # Up to another date, where as many open days have passed.
                  moved = length(about$calendar$closed) > 0 &&
                    !identical(plan$earlier$end[found], date_earlier(ends[found]))))
    }
  }
}

# The rows of the compared period, each against the same days of the one before.
compared_rows <- function(by, asked, causes = FALSE) {
  compared <- asked$compared
  t <- quietly(totals(asked$facts, by = tidyselect::all_of(by), every = compared$every, measures = asked$of))
  t <- quietly(rlang::exec(add_change, t, of = asked$of, !!!compared$how))
  if (causes) t <- quietly(add_causes(t, of = asked$of))
  t <- quietly(in_period(t, compared$label))
  value <- function(ending) replace(as.double(t[[paste0(asked$of, ending)]]), is.na(t[[paste0(asked$of, ending)]]), 0)
  list(t = t, member = if (length(by)) as.character(t[[by]]), now = value(""), before = value("_before"),
       change = value("_change"))
}

find_change <- function(asked) {
  rows <- tryCatch(compared_rows(character(), asked, causes = TRUE), hinterfeld_error = function(cnd) NULL)
  causes <- if (!is.null(rows) && rows$t[[paste0(asked$of, "_causes")]] == "split") {
    endings <- all_causes[usual_causes]
    stats::setNames(unlist(as.list(rows$t)[paste0(asked$of, endings)]), names(endings))
  }
  if (is.null(rows)) rows <- asked$whole
  list(new_finding("change", rows$change, rows$t, now = rows$now, before = rows$before, causes = causes,
                   open = open_day_effect(rows, asked)))
}

# What more or fewer open days than before come to, if that is a tenth of the change or more: list(days =, before =,
# amount =).
open_day_effect <- function(rows, asked) {
  open <- vapply(asked$compared[c("now", "before")], function(days) cover(asked$about, days[1], days[2])$open, 0L)
  amount <- if (open[[2]] > 0) rows$before * (open[[1]] / open[[2]] - 1) else 0
  if (length(asked$about$calendar$closed) && amount != 0 && amount / rows$change >= 0.1) {
    list(days = open[[1]], before = open[[2]], amount = amount)
  }
}

# The member that carries most of a rise or fall of the whole, and the one that moves most against it.
find_carriers <- function(asked, column) {
  whole <- asked$whole
  rows <- asked$rows[[column]]
  if (nrow(rows$t) < 2 || whole$change == 0 || abs(whole$change) < asked$limits$points * abs(whole$before)) {
    return(list())
  }
  part <- rows$change / whole$change
  chosen <- c(which.max(part), which.min(part))
  told <- c(part[chosen[1]] >= asked$limits$carries,
            part[chosen[2]] <= -0.1 && abs(rows$change[chosen[2]]) >= asked$limits$points * abs(whole$before))
  lapply(chosen[told], function(i) {
    new_finding("carrier", rows$change[i], rows$t, column, rows$member[i], part = part[i], whole = whole$change,
                now = rows$now[i], before = rows$before[i])
  })
}

# The best of now, where another was the best before.
find_leaders <- function(asked, column) {
  rows <- asked$rows[[column]]
  best <- lapply(rows[c("now", "before")], function(x) which(x == max(x)))
  if (any(lengths(best) != 1) || best$now == best$before || rows$before[best$before] <= 0) {
    return(list())
  }
  list(new_finding("leader", rows$now[best$now] - rows$now[best$before], rows$t, column, rows$member[best$now],
                   former = rows$member[best$before], now = rows$now[best$now], fell_to = rows$now[best$before]))
}

# The share that rose most and the one that fell most, where they moved by enough.
find_shares <- function(asked, column) {
  whole <- asked$whole
  rows <- asked$rows[[column]]
  if (whole$now <= 0 || whole$before <= 0 || nrow(rows$t) < 2) {
    return(list())
  }
  now <- rows$now / whole$now
  before <- rows$before / whole$before
  moved <- now - before
  # Of two members the one loses what the other wins.
  chosen <- unique(c(which.max(moved), if (nrow(rows$t) > 2) which.min(moved)))
  lapply(chosen[abs(moved[chosen]) >= asked$limits$points], function(i) {
    new_finding("share", moved[i] * whole$now, rows$t, column, rows$member[i], now = now[i], before = before[i])
  })
}

# Members that sold in most of 26 weeks and in none since, and those whose first sale is as young.
find_silent <- function(asked, column) {
  weeks <- asked$limits$silent
  last <- asked$about$span[2]
  since <- period_start(last, "week", asked$about$calendar) - 7 * (weeks - 1)
  before <- since - 7 * 26
  if (!cover(asked$about, before, last)$whole || !holds_grain(asked$facts, "week")) {
    return(list())
  }
  t <- quietly(totals(asked$facts, by = tidyselect::all_of(column), every = "week", measures = asked$of))
  sales <- data.frame(member = as.character(t[[column]]), week = t$week, value = as.double(t[[asked$of]]))
  sales <- sales[sales$value > 0 & !is.na(sales$value), ]
  by_member <- split(sales, factor(sales$member, unique(sales$member)))
  unlist(lapply(by_member, silent_or_new, since = since, before = before, weeks = weeks, t = t, column = column),
         recursive = FALSE, use.names = FALSE)
}

silent_or_new <- function(own, since, before, weeks, t, column) {
  late <- own$week >= since
  regular <- own$week >= before & !late
  if (!any(late) && sum(regular) >= 13) {
    list(new_finding("silent", -sum(own$value[regular]) / 26 * weeks, t, column, own$member[1], weeks = weeks,
                     sold = sum(regular), last = max(own$week)))
  } else if (all(late)) {
    list(new_finding("new", sum(own$value), t, column, own$member[1], first = min(own$week)))
  }
}

# Whether a value is far from the median of others, by the median deviation of these, which counts for `least` of it at
# least: the median, and how many others there are.
far_off <- function(value, others, limit, enough, least = 0) {
  others <- others[!is.na(others)]
  middle <- stats::median(others)
  spread <- max(1.4826 * stats::median(abs(others - middle)), least * middle)
  if (length(others) >= enough && spread > 0 && abs(value - middle) > limit * spread) {
    list(middle = middle, others = length(others))
  }
}

# The two months of the last twelve that are farthest from their season: from the place that the same month has among
# the months around it in the other years.
find_unusual_months <- function(asked) {
  if (!holds_grain(asked$facts, "month")) {
    return(list())
  }
  t <- quietly(totals(asked$facts, every = "month", measures = asked$of, fill = TRUE))
  t <- t[cover_of_periods(asked$about, t$month, "month")$complete, ]
  value <- as.double(t[[asked$of]])
  level <- vapply(seq_along(value), function(i) stats::median(value[abs(seq_along(value) - i) <= 6]), 0)
  place <- format(t$month, "%m")
  # A month without a line is a gap.
  far <- lapply(intersect(utils::tail(which(level > 0), 12), which(value != 0)), function(i) {
    others <- setdiff(which(place == place[i] & level > 0), i)
    off <- far_off(value[i] / level[i], value[others] / level[others], asked$limits$unusual, 3, 0.05)
    if (!is.null(off)) {
      usual <- off$middle * level[i]
      new_finding("month", value[i] - usual, t, member = format(t$month[i]), value = value[i], usual = usual,
                  others = off$others)
    }
  })
  largest_two(far)
}

largest_two <- function(found) {
  found <- Filter(Negate(is.null), found)
  found[utils::head(order(-vapply(found, function(finding) abs(finding$amount), 0)), 2)]
}

# The two days of the compared period that are farthest from the same weekday in the same month of the other years.
find_unusual_days <- function(asked) {
  if (!holds_grain(asked$facts, "day")) {
    return(list())
  }
  t <- quietly(totals(asked$facts, every = "day", measures = asked$of))
  value <- as.double(t[[asked$of]])
  place <- format(t$day, "%m %u")
  year <- format(t$day, "%Y")
  # Few sales, or returns, on a closed day are not unusual.
  open <- !is_closed(asked$about$calendar, as.integer(t$day))
  within <- which(open & t$day >= asked$compared$now[1] & t$day <= asked$compared$now[2])
  far <- lapply(within, function(i) {
    others <- which(open & place == place[i] & year != year[i])
    off <- far_off(value[i], value[others], 2 * asked$limits$unusual, 8)
    if (!is.null(off)) {
      new_finding("day", value[i] - off$middle, t, member = format(t$day[i]), value = value[i], middle = off$middle,
                  others = off$others)
    }
  })
  largest_two(far)
}

# One of many members that makes more than a part of the whole.
find_dependence <- function(asked, column) {
  whole <- asked$whole
  rows <- asked$rows[[column]]
  if (whole$now <= 0 || nrow(rows$t) < 10) {
    return(list())
  }
  limit <- asked$limits$dependence
  share <- rows$now / whole$now
  lapply(which(share > limit), function(i) {
    new_finding("dependence", (share[i] - limit) * whole$now, rows$t, column, rows$member[i], share = share[i],
                members = nrow(rows$t))
  })
}

# Returns, the lines below 0, that make a larger part of what was sold than before.
find_returns <- function(asked) {
  compared <- asked$compared
  below <- rlang::inject(sum_of(!!asked$of, where = !!rlang::sym(asked$of) < 0))
  t <- quietly(totals(asked$facts, every = compared$every, measures = list(asked$of, returns = below)))
  t <- quietly(rlang::exec(add_change, t, of = asked$of, !!!compared$how))
  t <- quietly(rlang::exec(add_change, t, of = "returns", !!!compared$how, name = "returns"))
  t <- quietly(in_period(t, compared$label))
  part <- function(ending) {
    returned <- abs(t[[paste0("returns", ending)]])
    sold <- t[[paste0(asked$of, ending)]] + returned
    if (is.na(sold) || sold <= 0) NA_real_ else returned / sold
  }
  now <- part("")
  before <- part("_before")
  if (is.na(now) || is.na(before) || now - before < asked$limits$points) {
    return(list())
  }
  list(new_finding("returns", -(now - before) * (t[[asked$of]] - t$returns), t, now = now, before = before,
                   value = -t$returns))
}

# Whole months inside the days covered without a single line.
find_gaps <- function(asked) {
  if (!holds_grain(asked$facts, "month")) {
    return(list())
  }
  t <- quietly(totals(asked$facts, every = "month", measures = list(asked$of, lines = "lines"), fill = TRUE))
  covered <- cover_of_periods(asked$about, t$month, "month")
  empty <- which(t$lines == 0 & covered$complete & covered$open > 0)
  # Months without a line that follow each other are one gap.
  lapply(unname(split(empty, empty - seq_along(empty))), function(months) {
    new_finding("gap", -stats::median(t[[asked$of]][-empty]) * length(months), t, member = format(t$month[months[1]]),
                last = t$month[utils::tail(months, 1)])
  })
}

# Products with a line at ten times their median price.
find_prices <- function(asked) {
  facts <- asked$facts
  if (!"units" %in% names(facts$roles)) {
    return(list())
  }
  price <- rlang::inject(list(
    top = largest_of(!!rlang::sym(asked$of) / units, where = units > 0),
    middle = median_of(!!rlang::sym(asked$of) / units, where = units > 0)
  ))
  t <- tryCatch(quietly(totals(facts, by = "product", measures = price)), hinterfeld_error = function(cnd) NULL)
  if (is.null(t)) {
    return(list())
  }
  lapply(which(t$middle > 0 & t$top >= 10 * t$middle), function(i) {
    new_finding("price", t$top[i] - t$middle[i], t, "product", as.character(t$product[i]), top = t$top[i],
                middle = t$middle[i])
  })
}

# Spellings that are new and differ from an older one in case and spaces only: one finding for each column, of the one
# that makes most money.
find_spellings <- function(asked, column) {
  spelt <- spellings(asked$values[[column]], column, asked$of)
  since <- period_start(asked$about$span[2] - 7 * asked$limits$silent, "month", asked$about$calendar)
  if (!any(spelt$lesser) || !holds_grain(asked$facts, "month")) {
    return(list())
  }
  t <- quietly(totals(asked$facts, by = tidyselect::all_of(column), every = "month", measures = asked$of))
  old <- unique(as.character(t[[column]])[t$month < since])
  came <- which(spelt$lesser & !spelt$text %in% old & spelt$text[spelt$usual] %in% old)
  if (length(came) == 0) {
    return(list())
  }
  first <- came[which.max(abs(spelt$value[came]))]
  list(new_finding("spelling", sum(abs(spelt$value[came])), t, column, spelt$text[first],
                   usual = spelt$text[spelt$usual[first]], more = length(came) - 1))
}

# The values of a column, the place of the largest of those that are spelt like each, and whether another one is.
spellings <- function(t, column, of) {
  text <- as.character(t[[column]])
  value <- as.double(t[[of]])
  plain <- tolower(gsub("\\s+", " ", trimws(text)))
  order <- order(-value)
  usual <- order[match(plain, plain[order])]
  list(text = text, value = value, usual = usual, lesser = usual != seq_along(text))
}
