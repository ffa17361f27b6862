# Plain words for what a table is and what was left out before it.

# "Daily revenue by product"
title_words <- function(memory) {
  measures <- paste(names(memory$measures), collapse = ", ")
  words <- paste(c(
    if (!is.null(memory$every)) grain_adjective(memory$every), measures,
    if (length(memory$by)) paste("by", paste(memory$by, collapse = ", "))
  ), collapse = " ")
  paste0(toupper(substr(words, 1, 1)), substring(words, 2))
}

grain_adjective <- function(every) {
  c(day = "daily", week = "weekly", month = "monthly", quarter = "quarterly", year = "yearly")[[every]]
}

# "2023-01-01 to 2026-09-17"
span_words <- function(book) {
  paste(format(range(book$columns$day)), collapse = " to ")
}

# One sentence per step that took lines away.
left_out_words <- function(book) {
  steps <- book$trail
  gone <- steps[steps$lines_after < steps$lines_before, ]
  if (nrow(gone) == 0) {
    return("No line was left out.")
  }
  decimals <- book$decimals[["revenue"]]
  apart <- gone$what == "set aside"
  amount <- function(rows) {
    sprintf("%s, revenue %s", count_of(sum(gone$lines_before[rows] - gone$lines_after[rows]), "line"),
            money_text(from_units(sum(gone$revenue_before[rows] - gone$revenue_after[rows]), decimals), decimals))
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
  text <- formatC(x, format = "f", digits = decimals, big.mark = " ")
  text[is.na(x)] <- NA
  text
}
