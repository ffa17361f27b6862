# What sentences are made of: periods, days, amounts and names in words.

# What a table or a crosstab shows: measures, and in a crosstab added columns too.
measures_shown <- function(answer) {
  answer$grid$measures %||% answer$measures
}

measures_totalled <- function(answer) {
  Filter(function(column) column$role == "measure", measures_shown(answer))
}

# "per year and month of the year"
per_words <- function(every) {
  if (length(every)) paste("per", and_list(vapply(every, function(grain) grain_kinds[[grain]]$name, "")))
}

# The columns that split a table, apart from its periods, by the names that they have.
by_words <- function(answer) {
  if (is.null(answer$grid)) setdiff(answer$by, answer$periods) else names_of(answer, answer$inquiry$by)
}

# "revenue and profit (Mk)", "revenue (Mk) and units": the currency stands with what is money. `unit` is how it is said.
measures_named <- function(answer, unit = " (%s)", of = names(measures_shown(answer))) {
  money <- vapply(measures_shown(answer)[of], function(m) m$counts == "money", NA)
  of <- name_words(of)
  if (is.null(answer$about$currency) || !any(money)) {
    return(and_list(of))
  }
  unit <- sprintf(unit, answer$about$currency)
  if (all(money)) paste0(and_list(of), unit) else and_list(paste0(of, ifelse(money, unit, "")))
}

measure_sentence <- function(name, answer) {
  measure <- measures_shown(answer)[[name]]
  if (!measure$plain || name != measure$label) {
    sprintf("%s is %s.", name, measure_words(c(answer$inquiry$measures[[measure$id]], list(label = measure$label))))
  }
}

subtotal_words <- function(answer) {
  if (length(answer$levels) == 1) {
    return(NULL)
  }
  measures <- measures_totalled(answer)
  if (length(measures) == 0) {
    return(NULL)
  }
  c(if (!all(adding_up(measures))) sprintf("%s rows are computed from the lines.", quoted(answer$labels$total)),
    added_up_words(answer))
}

adding_up <- function(measures) {
  vapply(measures, function(m) m$margin == "add_up" && !m$adds_up, NA)
}

# "For best totals add up the rows of their group.": what a total of largest values is.
added_up_words <- function(answer) {
  up <- Filter(isTRUE, as.list(adding_up(measures_totalled(answer))))
  if (length(answer$levels) > 1 && length(up)) {
    sprintf("For %s a total adds up the rows of its group.", and_list(names(up)))
  }
}

# Names that represent several, where rows have them: a table may be cut to others.
alike_note <- function(t, answer) {
  borne <- Filter(function(shared) {
    column <- names_of(answer, shared$column)
    !column %in% names(t) || any(shared$names %in% t[[column]])
  }, answer$about$alike)
  alike_words(borne, answer$inquiry$by)
}

recurring_note <- function(answer) {
  if (is_recurring(answer$every)) {
    capital(recurring_words(answer$about, answer$everys))
  } else if (length(answer$everys) > 1 && weeks_decide_year(answer$everys, answer$about$calendar)) {
    sprintf("A week is of the %s that hold%s its fourth day.", and_list(setdiff(answer$everys, "week")),
            if (length(answer$everys) == 2) "s" else "")
  }
}

# "No line in 2024-03.": periods of which a table has no row, though the data cover them.
empty_note <- function(t, answer) {
  if (is.null(answer$grid) && !identical(answer$every, "day")) {
    empty_words(list(every = answer$every, start = periods_without_rows(t)), answer)
  }
}

empty_words <- function(empty, answer) {
  if (length(empty$start)) {
    sprintf("No line in %s.", some_periods(period_label(empty$start, empty$every, answer$about$calendar), empty$every))
  }
}

# "2024-03, 2024-05 and 2024-06", "2024-03, 2024-05, 2024-06 and 12 more months"
some_periods <- function(labels, every) {
  more <- length(labels) - 3
  if (more < 2) {
    return(and_list(labels))
  }
  paste(paste(labels[1:3], collapse = ", "), "and", count_of(more, paste("more", every)))
}

# Periods that the days of the facts do not fill. `now` is what is said of the last one.
incomplete_words <- function(answer, now = "is not complete") {
  every <- answer$every
  if (is.null(every) || every == "day" || is_recurring(every)) {
    return(NULL)
  }
  calendar <- answer$about$calendar
  span <- answer$about$span
  name <- period_label(span, every, calendar)
  c(
    first_words(answer$about, every, name[1]),
    if (!is.null(unfinished_period(answer))) {
      sprintf("The last %s, %s, %s: the data end on %s.", every, name[2], now, format(span[2]))
    }
  )
}

# The last period of the data, when they end before it does; NULL where it is finished.
unfinished_period <- function(answer) {
  if (is.null(answer$every) || is_recurring(answer$every)) {
    return(NULL)
  }
  last <- period_start(answer$about$span[2], answer$every, answer$about$calendar)
  if (cover_of_periods(answer$about, last, answer$every)$unfinished) last
}

# Of the first period: that it is not complete, or that a few days count as days without sales.
first_words <- function(about, every, name) {
  first <- about$span[1]
  start <- period_start(first, every, about$calendar)
  lacking <- as.integer(first - start)
  if (lacking == 0) {
    return(NULL)
  }
  if (!cover_of_periods(about, start, every)$whole) {
    return(sprintf("The first %s, %s, is not complete: the data begin on %s.", every, name, format(first)))
  }
  days_without_sales(about, lacking)
}

days_without_sales <- function(about, days) {
  sprintf("The data begin on %s; the %s before %s without sales.", format(about$span[1]),
          if (days == 1) "day" else paste(days, "days"), if (days == 1) "counts as a day" else "count as days")
}

# "Daily revenue by product", with `unit` "Daily revenue by product (Mk)"
title_words <- function(answer, unit = FALSE) {
  recurring <- is_recurring(answer$every)
  by <- c(if (recurring) grain_kinds[[answer$every]]$name, name_words(answer$by))
  measures <- answer$measures
  money <- vapply(measures, function(m) m$counts == "money", NA)
  mixed <- unit && any(money) && !all(money)
  capital(paste(c(
    if (!is.null(answer$every)) grain_kinds[[answer$every]]$adjective,
    if (mixed) measures_named(answer) else and_list(name_words(names(measures))),
    if (length(by)) paste("by", and_list(by)),
    if (unit && all(money) && !is.null(answer$about$currency)) sprintf("(%s)", answer$about$currency)
  ), collapse = " "))
}

# The currency of a column that is money; NULL for any other.
unit_of <- function(answer, of) {
  if (identical((measures_shown(answer)[[of]] %||% known_column(answer, of))$counts, "money")) answer$about$currency
}

# "2023-01-01 to 2026-09-17"
span_words <- function(about) {
  paste(format(about$span), collapse = " to ")
}

# The same in one line, for who meets the table and not its story.
left_out_note <- function(about, where = sprintf(" %s says why.", as_typed("audit()"))) {
  steps <- about$trail
  gone <- steps[steps$lines_after < steps$lines_before, ]
  if (nrow(gone) == 0) {
    return("No line was left out.")
  }
  sprintf("Left out earlier: %s, in %s.%s", amount_words(gone), count_of(nrow(gone), "step"), where)
}

# "24 lines, revenue 1 506.59": what some steps of a trail took away.
amount_words <- function(gone) {
  lines <- count_of(sum(gone$lines_before - gone$lines_after), "line")
  # Rows that were changed outside a daybook left without a known revenue.
  revenue <- gone$revenue_before - gone$revenue_after
  if (anyNA(revenue)) {
    return(lines)
  }
  decimals <- max(gone$decimals)
  minor <- sum(revenue * 10^(decimals - gone$decimals))
  sprintf("%s, revenue %s", lines, fixed_number_text(from_minor(minor, decimals), decimals))
}

# One sentence per step that took lines away.
left_out_words <- function(about) {
  steps <- about$trail
  gone <- steps[steps$lines_after < steps$lines_before, ]
  if (nrow(gone) == 0) {
    return("No line was left out.")
  }
  apart <- gone$what == "set aside"
  c(
    if (any(apart)) {
      reason <- sprintf("%s %s", gone$why[apart], group_digits((gone$lines_before - gone$lines_after)[apart]))
      sprintf("Set aside as unusable: %s (%s).", amount_words(gone[apart, ]), paste(reason, collapse = ", "))
    },
    vapply(which(!apart), function(i) {
      reason <- switch(gone$what[i],
        keep = paste("not", quoted(gone$why[i])),
        `leave out` = quoted(gone$why[i]),
        paste(gone$what[i], "for", quoted(gone$why[i]))
      )
      sprintf("Left out: %s (%s).", amount_words(gone[i, ]), reason)
    }, "")
  )
}
