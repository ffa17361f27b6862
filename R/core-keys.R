# Grouped totals: keys coded as whole numbers go to the compiled tally, labels come back.

# A key: codes per line (NA for missing; NULL where all have the first) and the label of each code. Days may stand in
# the place of codes, with a lookup of the code of each day from `first` on.
new_key <- function(name, codes, labels, lookup = NULL, first = 0L) {
  list(name = name, codes = codes, labels = labels, lookup = lookup, first = first)
}

key_of_column <- function(name, x) {
  if (is_coded(x)) {
    # A factor is its codes; as.integer() would copy them.
    return(new_key(name, x, levels(x)))
  }
  if (is.list(x)) {
    stop_because("column", sprintf("`%s` holds lists, which cannot be grouped or counted.", name),
                 i = "Take one value per line from it before `daybook()`.", call = NULL)
  }
  coded <- if (is_number_like(x)) number_codes(x) else {
    labels <- sort(unique(x), method = "radix")
    list(codes = match(x, labels), labels = labels)
  }
  new_key(name, coded$codes, coded$labels)
}

# Numbers, days and moments; other classes decide for themselves what is equal.
is_number_like <- function(x) {
  is.numeric(x) && !is.object(x) || inherits(x, c("Date", "POSIXct"))
}

# Codes of numbers in their order, and what they represent, of the class of the numbers.
number_codes <- function(x) {
  coded <- number_codes_kernel(x, threads_wanted())
  if (inherits(x, "Date")) {
    coded$labels <- plain_days(coded$labels)
  } else if (is.integer(x)) {
    coded$labels <- as.integer(coded$labels)
  }
  if (inherits(x, "POSIXct")) attributes(coded$labels) <- attributes(x)[c("class", "tzone")]
  coded
}

# A key of numbers themselves, in their order.
key_of_values <- function(x) {
  coded <- number_codes_kernel(x, threads_wanted())
  new_key(NULL, coded$codes, coded$labels)
}

# The periods of days, each of its own or coming again.
key_of_time <- function(days, every, calendar, span, by_week = FALSE) {
  make <- if (is_recurring(every)) key_of_recurring else key_of_period
  make(days, every, calendar, span, by_week)
}

# Recurring periods: the same weekday or month of every year, in the calendar's order.
key_of_recurring <- function(days, every, calendar, span, by_week = FALSE) {
  in_span <- days_in_span(span, calendar, by_week && every != "weekday")
  position <- recurring_place(in_span, every, calendar)
  places <- sort(unique(position))
  labels <- period_label(plain_days(in_span[match(places, position)]), every, calendar)
  new_key(every, days, factor(labels, labels), match(position, places), as.integer(span[1]))
}

# Days are looked up by their distance from the first, so a period is computed once per day.
key_of_period <- function(days, every, calendar, span, by_week = FALSE) {
  in_span <- days_in_span(span, calendar, by_week && match(every, grains) > match("week", grains))
  starts <- period_bounds_kernel(in_span, every, FALSE, calendar$rules)
  labels <- unique(starts)
  new_key(every, days, plain_days(labels), match(starts, labels), as.integer(span[1]))
}

# The days of a span; with `by_week` the fourth day of the week of each, which tells the month and the year of a week.
days_in_span <- function(span, calendar, by_week) {
  days <- seq(as.integer(span[1]), as.integer(span[2]))
  if (by_week) period_bounds_kernel(days, "week", FALSE, calendar$rules) + 3L else days
}

# The places that several periods take together, in the order of time: codes by key, and the first day of each. Days
# that are `out` take none.
places_in_time <- function(keys, out = integer()) {
  days <- keys[[1]]$first + seq_along(keys[[1]]$lookup) - 1L
  at <- which(!days %in% out)
  groups <- group_lines(length(at), lapply(keys, function(key) new_key(key$name, key$lookup[at], key$labels)))
  order <- order(groups$first)
  list(codes = lapply(groups$parts, function(code) code[order]), first = plain_days(days[at[groups$first[order]]]))
}

# What a measure takes: kind, minor units per line (NULL to count lines) and which lines (NULL for all); with `counts`,
# also how many lines each value took.
new_amount <- function(kind, minor = NULL, mask = NULL, counts = TRUE) {
  list(kind = kind, minor = minor, mask = mask, counts = counts)
}

# Groups `lines` by `keys` and takes `amounts`: codes per key, minor units per amount, lines counted.
tally_lines <- function(lines, keys, amounts, call = caller_env()) {
  keys <- narrow_keys(keys)
  result <- tally_kernel(lines, kernel_keys(keys), kernel_amounts(amounts), FALSE, threads_wanted())
  if (isTRUE(result$overflow)) {
    stop_overflow(names(amounts)[1] %||% "a measure", call)
  }
  names(result$values) <- names(result$counted) <- names(amounts)
  list(codes = widen_codes(result$codes, keys), values = result$values, counted = result$counted)
}

# The group of each line, each group's codes and its first line.
group_lines <- function(lines, keys) {
  keys <- narrow_keys(keys)
  groups <- group_keys(lines, keys)
  groups$parts <- widen_codes(groups$parts, keys)
  groups
}

group_keys <- function(lines, keys) {
  group_kernel(lines, kernel_keys(keys), threads_wanted())
}

# The row of `among` with the codes of each row of `codes`, both by key; NA where there is none. `sizes`: labels per
# key.
find_groups <- function(codes, among, sizes) {
  if (length(codes) == 0) {
    return(1L)
  }
  if (!fits_key_space(sizes)) {
    return(match(do.call(paste, unname(codes)), do.call(paste, unname(among))))
  }
  as_keys <- function(codes) kernel_keys(Map(function(code, size) list(codes = code, size = size), codes, sizes))
  find_kernel(length(codes[[1]]), as_keys(codes), length(among[[1]]), as_keys(among), threads_wanted())
}

# Every key has its codes, missing and the total; a number of 64 bits must hold their combinations.
fits_key_space <- function(sizes) {
  sum(log2(sizes + 2)) <= 62
}

key_sizes <- function(keys) {
  vapply(keys, function(key) length(key$labels), 0L)
}

# Keys and amounts as the compiled code takes them.
kernel_keys <- function(keys) {
  lapply(unname(keys), kernel_key)
}

kernel_key <- function(key) {
  codes <- if (is.null(key$codes) || typeof(key$codes) == "integer") key$codes else as.integer(key$codes)
  list(codes = codes, size = key$size %||% length(key$labels), lookup = key$lookup, first = key$first %||% 0L)
}

kernel_amounts <- function(amounts) {
  lapply(unname(amounts), function(amount) {
    list(kind = amount$kind, minor = amount$minor, mask = amount$mask, lines = amount$lines, counts = amount$counts)
  })
}

# A key space beyond 2^62 is made smaller by coding the pairs of keys that really occur.
narrow_keys <- function(keys) {
  while (length(keys) > 1 && !fits_key_space(key_sizes(keys))) {
    pair <- keys[1:2]
    paired <- group_keys(length(pair[[1]]$codes), pair)
    joint <- c(new_key(NULL, paired$codes, seq_len(paired$count)), list(of = pair, parts = paired$parts))
    keys <- c(list(joint), keys[-(1:2)])
  }
  keys
}

widen_codes <- function(codes, keys) {
  while (length(keys) > 0 && !is.null(keys[[1]]$of)) {
    joint <- keys[[1]]
    codes <- c(lapply(joint$parts, function(part) part[codes[[1]]]), codes[-1])
    keys <- c(joint$of, keys[-1])
  }
  codes
}
