# Plain words for what a table is and what was left out before it.

#' In plain words: what a table is and how it was computed
#'
#' @param t A totals table or a crosstab.
#' @return Text, one sentence each: what is totalled from which lines, what each measure is, what
#'   subtotals are, which periods are not complete, what was left out before. Prints as a paragraph
#'   each.
#' @section Errors: `hinterfeld_error_argument` for anything else.
#' @export
#' @examples
#' in_words(totals(demo_daybook(), by = region, every = "month", subtotals = TRUE))
in_words <- function(t) {
  listing <- listing_of(t)
  if (!is.null(listing)) {
    return(structure(c(paste0(listing$title, "."), listing$words), class = "hinterfeld_words"))
  }
  if (!inherits(t, "hinterfeld_crosstab")) check_totals(t)
  memory <- memory_of(t)
  words <- c(
    table_words(memory), lapply(names(memory$measures), measure_sentence, memory = memory),
    subtotal_words(memory),
    if (isTRUE(memory$fill)) "Combinations without lines show sums and counts of 0.",
    if (isTRUE(memory$every %in% recurring_grains)) capital(recurring_words(memory$book, memory$every)),
    incomplete_words(memory),
    memory$sentences,
    if (isTRUE(memory$cut)) sprintf("It shows %s of %s.", group_digits(nrow(t)), count_of(memory$rows, "row")),
    left_out_words(memory$book)
  )
  structure(unlist(words), class = "hinterfeld_words")
}

# "a", "a and b", "a, b and c"
and_list <- function(x) {
  if (length(x) < 2) x else paste(paste(x[-length(x)], collapse = ", "), "and", x[length(x)])
}

table_words <- function(memory) {
  split <- c(
    if (!is.null(memory$every)) paste("per", grain_name(memory$every)), if (length(memory$by)) paste("by", and_list(memory$by))
  )
  sprintf("%s: %s, %s.", paste(c(capital(measures_named(memory, " in %s")), split), collapse = " "),
          count_of(memory$book$lines, "line"), span_words(memory$book))
}

# "revenue and profit (Mk)", "revenue (Mk) and units": the currency stands with what is money. `unit` is how it is said.
measures_named <- function(memory, unit = " (%s)", of = names(memory$measures)) {
  money <- vapply(memory$measures[of], function(m) m$counts == "money", NA)
  if (is.null(memory$book$currency) || !any(money)) {
    return(and_list(of))
  }
  unit <- sprintf(unit, memory$book$currency)
  if (all(money)) paste0(and_list(of), unit) else and_list(paste0(of, ifelse(money, unit, "")))
}

measure_sentence <- function(name, memory) {
  measure <- memory$measures[[name]]
  if (!measure$plain || name != measure$label) sprintf("%s is %s.", name, measure$words)
}

subtotal_words <- function(memory) {
  if (length(memory$levels) == 1) {
    return(NULL)
  }
  up <- vapply(memory$measures, function(m) m$margin == "add_up" && !m$adds_up, NA)
  c(
    if (!all(up)) sprintf("Rows of %s are taken from the lines.", quoted(memory$labels$total)),
    if (any(up)) sprintf("For %s they add up the rows below them.", and_list(names(memory$measures)[up]))
  )
}

# Periods that the daybook's days do not fill.
incomplete_words <- function(memory) {
  if (is.null(memory$every) || memory$every %in% c("day", recurring_grains)) {
    return(NULL)
  }
  calendar <- memory$book$calendar
  span <- memory$book$span
  name <- period_label(span, memory$every, calendar)
  c(
    if (period_start(span[1], memory$every, calendar) < span[1]) {
      sprintf("The first %s, %s, is not complete: the data start on %s.", memory$every, name[1], format(span[1]))
    },
    if (period_end(span[2], memory$every, calendar) > span[2]) {
      sprintf("The last %s, %s, is not complete: the data end on %s.", memory$every, name[2], format(span[2]))
    }
  )
}

# "Daily revenue by product", with `unit` "Daily revenue by product (Mk)"
title_words <- function(memory, unit = FALSE) {
  recurring <- isTRUE(memory$every %in% recurring_grains)
  by <- c(if (recurring) grain_name(memory$every), memory$by)
  money <- vapply(memory$measures, function(m) m$counts == "money", NA)
  mixed <- unit && any(money) && !all(money)
  words <- paste(c(
    if (!is.null(memory$every) && !recurring) grain_adjective(memory$every),
    if (mixed) measures_named(memory) else and_list(names(memory$measures)),
    if (length(by)) paste("by", and_list(by)),
    if (unit && all(money) && !is.null(memory$book$currency)) sprintf("(%s)", memory$book$currency)
  ), collapse = " ")
  capital(words)
}

# The currency of a measure that is money; NULL for any other.
unit_of <- function(memory, of) {
  if (identical(known_column(memory, of)$counts, "money")) memory$book$currency
}

# "month of the year" for month_of_year; the others are words as they are.
grain_name <- function(every) {
  if (every == "month_of_year") "month of the year" else every
}

grain_adjective <- function(every) {
  c(day = "daily", week = "weekly", month = "monthly", quarter = "quarterly", year = "yearly")[[every]]
}

# "2023-01-01 to 2026-09-17"
span_words <- function(book) {
  paste(format(book$span), collapse = " to ")
}

# One sentence per step that took lines away.
left_out_words <- function(book) {
  steps <- book$trail
  gone <- steps[steps$lines_after < steps$lines_before, ]
  if (nrow(gone) == 0) {
    return("No line was left out.")
  }
  apart <- gone$what == "set aside"
  amount <- function(rows) {
    lines <- count_of(sum(gone$lines_before[rows] - gone$lines_after[rows]), "line")
    # Rows that were changed outside a daybook left without a known revenue.
    revenue <- (gone$revenue_before - gone$revenue_after)[rows]
    if (anyNA(revenue)) {
      return(lines)
    }
    decimals <- max(gone$decimals[rows])
    minor <- sum(revenue * 10^(decimals - gone$decimals[rows]))
    sprintf("%s, revenue %s", lines, money_text(from_minor(minor, decimals), decimals))
  }
  c(
    if (any(apart)) {
      reason <- sprintf("%s %s", gone$why[apart], group_digits((gone$lines_before - gone$lines_after)[apart]))
      sprintf("Set aside as unusable: %s (%s).", amount(apart), paste(reason, collapse = ", "))
    },
    vapply(which(!apart), function(i) {
      reason <- switch(gone$what[i],
        keep = paste("not", quoted(gone$why[i])),
        `leave out` = quoted(gone$why[i]),
        paste(gone$what[i], "for", quoted(gone$why[i]))
      )
      sprintf("Left out: %s (%s).", amount(i), reason)
    }, "")
  )
}

quoted <- function(x) {
  paste0('"', x, '"')
}

# "1 234 567.80": a space between thousands, a fixed number of decimals.
money_text <- function(x, decimals) {
  text <- fixed_text(x, decimals, " ")
  text[is.na(x)] <- NA
  text
}
