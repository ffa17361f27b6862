# The sentences of the columns that steps have added, from what each found. Some have a name, by which a figure or a
# card takes them: `what` is computed, what was `compared`, which members make the `top`.

# One text or more for each step of which the table still shows something; with `named` it begins with the column.
step_sentences <- function(answer, named = TRUE) {
  steps <- answer$inquiry$steps
  lapply(seq_along(steps), function(i) if (is_shown(answer, i)) as.vector(step_sentence(answer, i, named)))
}

# Of a crosstab: those of the added columns that it shows, and of the order of its rows.
crosstab_sentences <- function(answer, named = TRUE) {
  how <- answer$inquiry$crosstab
  steps <- answer$inquiry$steps
  # Of the cells that are shown, and of the rows that were picked for them.
  shown <- which(vapply(steps, function(step) any(step$columns %in% how$of) || step$kind %in% pick_kinds, NA))
  order <- names_of(answer, names(how$order))
  c(
    recurring_note(answer), added_up_words(answer),
    unlist(lapply(shown, function(i) {
      words <- as.vector(step_sentence(answer$grid$stepped, i, named))
      if (any(steps[[i]]$columns %in% how$of)) words else words[-1]
    })),
    if (length(shown) &&
        how$margins) "Each level of the margins is computed on its own; cells that would be meaningless are blank.",
    if (length(order)) sorted_sentence(order, how$order),
    if (!is.null(how$best)) sprintf("The %s best rows by %s; totals are those of all rows.",
                                    group_digits(how$best$n), names_of(answer, how$best$of))
  )
}

# A pick shows in the rows that are left.
is_shown <- function(answer, i) {
  answer$inquiry$steps[[i]]$kind %in% c(pick_kinds, row_kinds) ||
    any(vapply(answer$added, function(column) column$step == i, NA))
}

# The sentences of the step that a column belongs to.
column_sentence <- function(answer, column, named = FALSE) {
  step_sentence(answer, answer$added[[column]]$step, named)
}

step_sentence <- function(answer, i, named = TRUE) {
  about <- about_step(answer, i)
  words <- step_kinds_words[[about$kind]](about)
  first <- attr(words, "names_column")
  attr(words, "names_column") <- NULL
  if (length(first)) words[1] <- if (named) paste0(first, ": ", words[1]) else capital(words[1])
  words
}

# What the words of a step are put together from: its arguments and columns by the names that they have now.
about_step <- function(answer, i) {
  step <- answer$inquiry$steps[[i]]
  own <- lapply(step$args[intersect(names(step$args), c("of", "within", "along"))], names_of, answer = answer)
  list(kind = step$kind, answer = answer, args = replace(step$args, names(own), own), stats = answer$step_stats[[i]],
       column = names_of(answer, step$columns), given = step$args)
}

# The words of a step; the first sentence is about this column.
words_about <- function(column, ...) {
  words <- c(...)
  structure(words[nzchar(words)], names_column = column)
}

step_kinds_words <- list(
  rank = function(about) words_about(about$column[["rank"]],
                                     rank_words(about, about$args$highest_first, about$args$ties)),
  share = function(about) {
    words_about(about$column[["share"]], sprintf(
      "%s of %s as a share of the total %s; the shares of a scope add up to 1%s.%s%s%s", about$args$of,
      member_words(about), scope_words(about), not_given_words(about),
      if (isTRUE(about$stats$alone)) " Each scope has one row, so every share is 100 %." else "", cut_words(about),
      missing_words(about, "no share: the total of the scope is 0 or below")
    ))
  },
  running_total = function(about) {
    again <- if (is.null(about$args$restart)) "" else sprintf(", starting again each %s", about$args$restart)
    unknown <- "no total, for the value is not known; what follows goes on from what is known"
    words_about(about$column[["running"]],
                sprintf("running total of %s along %s %s%s.%s%s", about$args$of, about$args$along, running_words(about),
                        again, cut_words(about), missing_words(about, unknown)),
                passed_over_words(about))
  },
  moving = function(about) {
    words_about(about$column[["moving"]], sprintf(
      "%s of %s over the last %s along %s %s; a period without a row counts as 0.%s%s", about$args$what, about$args$of,
      count_of(about$args$last, "period"), about$args$along, running_words(about), cut_words(about),
      missing_words(about, "no value: the data do not cover all of the window")
    ), unfinished_words(about))
  },
  pareto = function(about) words_about(about$column[["class"]], pareto_words(about)),
  change = function(about) words_about(about$column[["change"]], change_words(about)),
  causes = function(about) words_about(about$column[["volume"]], causes_words(about)),
  target = function(about) words_about(about$column[["target"]], target_words(about)),
  sort_rows = function(about) words_about(NULL, sorted_words(about)),
  in_period = function(about) words_about(NULL, sprintf("Only rows of %s.", period_words(about$args$period))),
  best_sellers = function(about) pick_words(about, TRUE),
  slow_sellers = function(about) pick_words(about, FALSE)
)

# A window that ends in a period that is not finished is not of as many days as the others.
unfinished_words <- function(about) {
  answer <- about$answer
  last <- about$stats$summary$unfinished
  if (length(last)) {
    sprintf("The last window holds %s only to %s.", period_label(last, answer$every, answer$about$calendar),
            format(answer$about$span[2]))
  }
}

passed_over_words <- function(about) {
  out <- about$stats$summary$out
  if (length(out)) {
    every <- about$answer$every
    sprintf("The data do not cover %s, so nothing is added there.",
            some_periods(period_label(out, every, about$answer$about$calendar), every))
  }
}

rank_words <- function(about, highest_first, ties) {
  sprintf("rank of %s by %s %s, %s first; %s%s.%s%s%s", member_words(about), ranked_of(about), scope_words(about),
          if (highest_first) "the highest" else "the lowest", tie_words(ties, about$args$of), not_given_words(about),
          if (isTRUE(about$stats$alone)) " Each scope has one row, so every rank is 1." else "",
          cut_words(about), missing_words(about, "no rank"))
}

# "revenue", or "revenue per single month" where the mean of one decides.
ranked_of <- function(about) {
  per <- about$stats[["per"]]
  if (is.null(per)) about$args$of else sprintf("%s per single %s", about$args$of, per)
}

# "equal revenue shares the better rank", "equal units share the better rank".
tie_words <- function(ties, of) {
  one <- !grepl("[^s]s$", of)
  share <- if (one) "shares" else "share"
  words <- switch(ties,
    standard = paste(share, "the better rank"), modified = paste(share, "the worse rank"),
    dense = paste(share, "a rank and", if (one) "leaves" else "leave", "no gap"),
    ordinal = paste(if (one) "is" else "are", "ranked in order of names"),
    fractional = paste(share, "the mean of", if (one) "its" else "their", "ranks")
  )
  sprintf("equal %s %s", of, words)
}

# "each product", "each product and month": what a row represents inside its scope.
member_words <- function(about) {
  members <- members_of(about)
  if (length(members)) paste("each", and_list(members)) else "each row"
}

members_of <- function(about) {
  setdiff(name_order(about$answer), about$args$within)
}

# "within its region"; without scope columns, that it was the whole table, and by default.
scope_words <- function(about) {
  levels <- if (about$stats$levels) ", each level on its own" else ""
  if (length(about$args$within)) {
    return(sprintf("within its %s%s%s", and_list(about$args$within), over_periods(about), levels))
  }
  several <- length(about$answer$keys) > 1
  sprintf("over the whole table%s%s", levels, if (several) " (by default)" else "")
}

# " over all 4 years": a scope that is not of one period.
over_periods <- function(about) {
  periods <- about$stats$periods
  if (is.null(periods) || periods < 2 || any(about$answer$periods %in% about$args$within)) {
    return("")
  }
  sprintf(" over all %s", count_of(periods, about$answer$every))
}

running_words <- function(about) {
  default <- is.null(about$given$within)
  within <- if (default) running_scope(about$answer, about$args$along) else about$args$within
  words <- if (length(within)) paste("within", and_list(within)) else "over the whole table"
  if (default && length(within)) paste(words, "(by default, all other columns)") else words
}

not_given_words <- function(about) {
  if (about$stats$not_given) sprintf("; %s counts like any other", quoted(about$answer$labels$not_given)) else ""
}

# " (of 2026: 260 of 365 days)": which part of the last target is due.
due_words <- function(about) {
  part <- about$stats$summary$part
  due <- about$args$due
  if (is.null(part)) "" else if (due == "days") {
    sprintf(" (of %s: %s of %s)", part$period, group_digits(part$days),
            count_of(part$of, if (length(about$answer$about$calendar$closed)) "open day" else "day"))
  } else {
    sprintf(" (of %s: the part that the same days of the year before had of that period)", part$period)
  }
}

target_words <- function(about) {
  of <- about$args$of
  found <- about$stats$summary
  unknown <- if (found$unknown > 0) {
    sprintf(" For %s the part that is due is not known: the year before had no sales.", count_of(found$unknown, "row"))
  }
  outside <- if (found$outside > 0) {
    sprintf(" The data cover no day of the periods of %s.", count_of(found$outside, "further target"))
  }
  new <- if (found$new > 0 && !isTRUE(about$stats$before)) {
    sprintf(" %s %s a target and no line.", count_of(found$new, "row"), if (found$new == 1) "has" else "have")
  }
  sprintf("the target of %s; %s is the part of it that is due%s, %s is %s less that, and %s is %s as a part of that.%s",
          of, about$column["due"], due_words(about), about$column["difference"], of,
          about$column["reached"], of, paste0(missing_words(about, "no target"), unknown, outside, new))
}

cut_words <- function(about) {
  if (is.null(about$stats$shown)) {
    ""
  } else if (isTRUE(about$stats$before)) {
    sprintf(" It was taken over %s, before more were left out.", count_of(about$stats$shown, "row"))
  } else {
    sprintf(" Computed from the %s shown only.", count_of(about$stats$shown, "row"))
  }
}

missing_words <- function(about, what) {
  n <- about$stats$missing
  if (n > 0) sprintf(" %s %s %s.", count_of(n, "row"), if (n == 1) "has" else "have", what) else ""
}

# "32 of 73 products make 80.4 % of revenue", for each scope.
pareto_words <- function(about) {
  summary <- about$stats$summary
  noun <- members_of(about)
  if (length(noun) > 1) noun <- "row"
  where <- if (is.null(summary$labels)) "" else paste0(summary$labels, ": ")
  last <- if (summary$low == 1) "has" else "have"
  c(
    what = sprintf("%s from the highest %s, ties in order of names; class by the cumulative share before it: %s%s.%s",
                   member_words(about), scope_words(about), class_words(about$args$classes), not_given_words(about),
                   cut_words(about)),
    top = if (length(summary$top)) {
      members <- vapply(summary$rows, count_of, "", noun = noun)
      sprintf("%s%s of %s %s %s of %s.", where, group_digits(summary$top), members,
              ifelse(summary$top == 1, "makes", "make"), percent_words(summary$share), about$args$of)
    },
    if (summary$more > 0) sprintf("And %s more.", count_of(summary$more, "scope")),
    if (summary$low > 0) sprintf("%s at or below 0 %s the last class.", count_of(summary$low, "member"), last)
  )
}

# "A below 80 %, B below 95 %, then C": the last class takes whatever is left.
class_words <- function(classes) {
  last <- length(classes)
  words <- sprintf("%s below %s", names(classes), percent_words(classes))
  if (last > 1) words[last] <- paste("then", names(classes)[last])
  paste(words, collapse = ", ")
}

days_words <- function(days) {
  sprintf("%s to %s", format(days[1]), format(days[2]))
}

change_words <- function(about) {
  summary <- about$stats$summary
  c(if (is.null(about$args$periods)) change_compared(about) else named_compared(about),
    change_counted(summary), not_compared_words(about), early_words(summary$compared, about$answer$about),
    empty_words(summary$empty, about$answer),
    if (!is.null(about$stats$shown) && is.null(about$args$periods)) {
      "The table had lost rows, so members that no longer sell have no row."
    })
}

# What is compared with what; of the periods, the last that is shown.
change_compared <- function(about) {
  args <- about$args
  every <- about$answer$every
  versus <- if (args$versus == "period_before") {
    sprintf("the %s before", every)
  } else if (args$align == "weekday") {
    "the same weekdays 364 days before"
  } else {
    sprintf("the same %s one year before", every)
  }
  days <- about$stats$summary$compared
  at <- length(days$start)
  comparable <- at > 0 && !is.na(days$from[at]) && (days$comparable[at] != "none" || !args$like_for_like)
  open <- if (isTRUE(args$per_open_day)) lapply(days[c("open", "open_before")], function(count) count[at])
  c(what = sprintf("%s less that of %s%s.", args$of, versus, per_open_words(open)),
    compared = if (comparable) {
      sprintf("The last %s compares %s%s with %s%s%s.", every, days_words(c(days$start[at], days$end[at])),
              open_words(open$open), days_words(c(days$from[at], days$to[at])), open_words(open$open_before),
              if (every == "month" && days$comparable[at] == "to_date") {
                weekdays_apart(c(days$start[at], days$end[at]), c(days$from[at], days$to[at]))
              } else {
                ""
              })
    })
}

# ", with one Saturday fewer and one Tuesday more": how the weekdays of as many days differ from those before, if that
# is not much.
weekdays_apart <- function(days, before) {
  held <- function(ends) tabulate((seq(as.integer(ends[1]), as.integer(ends[2])) + 3L) %% 7L + 1L, 7L)
  apart <- held(days) - held(before)
  if (diff(as.integer(days)) != diff(as.integer(before)) || all(apart == 0)) {
    return("")
  }
  if (sum(abs(apart)) > 2) {
    return(", which are other weekdays")
  }
  name <- function(at) capital(weekdays_known[at])
  sprintf(", with one %s fewer and one %s more", name(which(apart < 0)), name(which(apart > 0)))
}

per_open_words <- function(open) {
  if (is.null(open)) "" else ", scaled to as many open days"
}

open_words <- function(count) {
  if (is.null(count)) "" else sprintf(" (%s)", count_of(count, "open day"))
}

named_compared <- function(about) {
  summary <- about$stats$summary
  days <- vapply(summary$days, days_words, "")
  names <- names(days)
  by_date <- length(about$answer$about$calendar$closed) == 0 ||
    diff(summary$days[[1]]) == diff(summary$days[[2]])
  open <- if (isTRUE(about$args$per_open_day)) summary$open
  if (!is.null(open)) days <- paste0(days, ", ", vapply(open, count_of, "", noun = "open day"))
  c(what = sprintf("%s of %s (%s) less that of %s (%s)%s.", about$args$of, names[1], days[1], names[2], days[2],
                   per_open_words(open)),
    compared = if (summary$unfinished && about$args$like_for_like) {
      sprintf("%s is not complete, so %s is taken up to %s.", names[1], names[2],
              if (by_date) "the same day" else "as many open days")
    })
}

not_compared_words <- function(about) {
  summary <- about$stats$summary
  why <- if (is.null(summary$compared)) summary$why else summary$compared$why[nzchar(summary$compared$why)]
  if (length(why) == 0) {
    return(NULL)
  }
  shown <- utils::head(unique(why), 3)
  more <- length(unique(why)) - length(shown)
  sprintf("%s: %s%s.", if (about$args$like_for_like) "Not comparable" else "Compared as they are", and_list(shown),
          if (more > 0) sprintf(", and %s more", group_digits(more)) else "")
}

# "the change of revenue if only the number of units had changed; revenue_mix is ..."
causes_words <- function(about) {
  args <- about$args
  member <- names_of(about$answer, args$over)
  part <- function(cause) about$column[[cause]]
  listed <- !is.null(args$list_price)
  c(what = paste0(
    sprintf(paste("the change of %s if only the number of %s had changed; %s is the shift between cheaper and dearer",
                  "%ss, %s the same %s at the%s prices of now, "), args$of, args$units, part("mix"), member,
            part("price"), args$units, if (listed) " list" else ""),
    if (listed) sprintf("%s what other discounts made of that, ", part("discount")),
    sprintf("%s and %s are %ss that have a price in one of the periods only", part("new"), part("gone"), member),
    if (isTRUE(args$returns)) sprintf(", and %s is the change of what came back, which the others leave out",
                                      part("returns")),
    sprintf(". Each row is computed from its own %ss, and the causes add up to its change.%s", member,
            missing_words(about, "no causes: the periods cannot be compared"))
  ))
}

# What is compared with what, in the change that a column belongs to, or why it is not; the counts of the whole table
# are not a figure's.
change_sentences <- function(answer, column) {
  about <- about_step(answer, answer$added[[column]]$step)
  words <- if (is.null(about$args$periods)) change_compared(about) else named_compared(about)
  words[["what"]] <- capital(words[["what"]])
  c(words, not_compared_words(about))
}

# Where a comparison counts days before the first as days without sales.
early_words <- function(compared, about) {
  relied <- compared$comparable != "none" & compared$from < about$span[1]
  if (any(relied, na.rm = TRUE)) days_without_sales(about, as.integer(about$span[1] - min(compared$from[relied])))
}

change_counted <- function(summary) {
  count <- function(n, words) if (n > 0) sprintf("%s %s", count_of(n, "row"), words)
  counted <- c(count(summary$unknown, "without a comparable earlier value"), count(summary$new, "new"),
               count(summary$gone, "gone"))
  if (length(counted)) paste0(and_list(counted), ".")
}

pick_words <- function(about, best) {
  rank <- if (length(about$column)) {
    paste0(about$column[["rank"]], ": ", rank_words(about, best, about$args$ties))
  }
  picked <- picked_words(about, best)
  words_about(NULL, rank, paste("Picked:", picked[1]), picked[-1])
}

picked_words <- function(about, best) {
  args <- about$args
  what <- if (is.null(args$share)) {
    sprintf("among the %s %s by %s", group_digits(args$n), if (best) "best" else "slowest",
            ranked_of(about))
  } else {
    sprintf("with %s %s of %s", if (best) "at least" else "less than", percent_words(args$share), args$of)
  }
  edge <- if (args$ties == "ordinal") "ties at the edge are cut in order of names" else "ties at the edge stay"
  c(sprintf("%s %s %s; %s.", member_words(about), what, scope_words(about), edge),
    if (args$others && about$answer$others) "\"others\" rows hold the sum of the rest of their scope.")
}

sorted_words <- function(about) {
  order <- about$args$order
  sorted_sentence(names_of(about$answer, names(order)), order)
}

sorted_sentence <- function(names, down) {
  sprintf("Rows sorted by %s.", and_list(ifelse(down, paste(names, "(highest first)"), names)))
}

period_words <- function(period) {
  if (period == "latest") "the latest period" else period
}

# The words of the picks of a table without those of their ranks, for a figure.
picked_sentences <- function(answer) {
  kinds <- vapply(answer$inquiry$steps, function(step) step$kind, "")
  unlist(lapply(which(kinds %in% pick_kinds), function(i) {
    words <- picked_words(about_step(answer, i), kinds[i] == "best_sellers")
    c(capital(words[1]), words[-1])
  }))
}

# Listings -----------------------------------------------------------------------------------------------

listing_title <- function(listing) {
  about <- listing$details
  switch(listing$kind,
    best_of_each = sprintf("The best %s %s", and_list(about$members),
                           if (length(about$within)) paste("of each", and_list(about$within)) else "of all"),
    unsold = "Products of the catalogue without a line",
    columns = title_words(about$answer),
    spread = sprintf("%s: %s", listing_title(about$listing), name_words(about$of)),
    coverage = sprintf("What was sold in each %s", and_list(about$within)),
    findings = sprintf("What stands out in %s", about$of),
    best_causes = sprintf("What makes most of the change of %s%s", about$of,
                          if (length(about$within)) paste(" in each", and_list(about$within)) else "")
  )
}

listing_sentences <- function(listing) {
  about <- listing$details
  if (listing$kind == "spread") {
    return(listing_sentences(about$listing))
  }
  alike <- alike_words(listing$about$alike, c(about$within, about$members))
  own <- switch(listing$kind,
    best_of_each = c(
      sprintf("%s: the %s with the highest %s%s; where several tie, all are named, in alphabetical order.", about$label,
              and_list(about$members), about$of, ifelse(nzchar(about$per), paste(" per single", about$per), "")),
      if (!all(about$sums)) sprintf("%s does not add up, so it has no total and no share.",
                                    and_list(about$of[!about$sums]))
    ),
    columns = return(unlist(list(
      incomplete_words(about$answer),
      if (is.null(about$answer$grid)) step_sentences(about$answer) else crosstab_sentences(about$answer),
      sprintf("Days: %s.", span_words(listing$about)), left_out_words(listing$about)
    ))),
    findings = findings_told(about),
    best_causes = sprintf("The fewest members (%s) that make %s of what went up, and of what went down%s.",
                          and_list(about$members), percent_words(about$share),
                          if (is.null(about$n)) "" else sprintf(", at most %d on each side", as.integer(about$n))),
    unsold = c(
      if (length(about$within)) {
        sprintf("Each product without a line in a %s, with what it sold anywhere.", and_list(about$within))
      },
      if (!is.null(about$where)) {
        sprintf("Sold means: has a line where %s. The numbers beside a product are of all its lines.", about$where)
      },
      if (about$never && any(listing$about$trail$what %in% c("keep", "leave out"))) {
        "Lines that were left out before are not looked at: what has no last sale may have sold there."
      }
    )
  )
  c(own, alike, sprintf("Days: %s.", span_words(listing$about)), left_out_words(listing$about))
}
