# The part of the sentence that says what is compared, and which periods are shown.

part_versus <- list(
  title = "Compared with what, shown for which period",
  off = "against",
  words = function(state, desk) {
    change <- step_given(state, "change")
    period <- step_given(state, "in_period")$period
    shown <- if (identical(period, "latest")) "the latest period" else period
    target <- if (!is.null(step_given(state, "target"))) {
      said("its target", if (is.null(change)) ", against " else " and ")
    }
    if (is.null(change)) {
      return(c(if (!is.null(period)) said(paste(shown, "only"), ", "), target))
    }
    against <- if (!is.null(change$periods)) names(change$periods)[2] else if (
      identical(change$versus, "period_before")) "the period before" else "the year before"
    words <- paste0(against, if (isTRUE(change$per_open_day)) ", per open day",
                    if (!is.null(step_given(state, "causes"))) ", with its causes",
                    if (!is.null(period)) sprintf(", in %s", shown))
    c(if (!is.null(change$periods)) said(names(change$periods)[1], ", in "), said(words, ", against "), target)
  },
  choices = function(state, desk) {
    given <- step_given(state, "change")
    period <- step_given(state, "in_period")$period
    every <- unlist(state$table$every)
    why <- if (is.null(single_grain(every))) "first choose a period that includes the year"
    now <- if (is.null(given)) "none" else if (!is.null(given$periods)) "periods" else given$versus %||% "year_before"
    periods <- names(given$periods) %||% latest_months(desk$facts)
    only <- why %||% (if (!is.null(state$table$crosstab)) "not in a table with columns across: choose days that count")
    htmltools::tagList(
      field_group("Compared with", lapply(c("none", "year_before", "period_before"), function(value) {
        choice("radio", "versus", value, c(none = "nothing", year_before = "the year before",
                                           period_before = "the period before")[[value]], value == now,
               why = if (value != "none") why)
      }), choice("radio", "versus", "periods", "two periods of your choice, without others", now == "periods"),
        tags_of_periods(periods),
        choice("checkbox", "weekday", "true", "by weekdays: 364 days before", identical(given$align, "weekday"),
                 why = if (is.null(why) && identical(every, "day")) NULL else "only for days"),
        choice("checkbox", "causes", "true", "split into volume, mix, price, new and gone products",
               !is.null(step_given(state, "causes")),
               why = (if (now != "periods") why) %||% lacks_causes(state, desk$facts)),
        if (length(desk$facts$calendar$closed)) {
          choice("checkbox", "open", "true", "per open day, without causes", isTRUE(given$per_open_day),
                 why = (if (now != "periods") why) %||%
                   (if (!grows_with_days(state$table$measures[[1]])) "only for sums and counts"))
        }),
      field_group("Shown", choice("radio", "period", "", "every period", is.null(period)),
                  choice("radio", "period", "latest", "the latest period only", identical(period, "latest"),
                         why = only),
                  lapply(desk_years(desk), function(year) {
                    choice("radio", "period", year, paste(year, "only"), identical(period, year), why = only)
                  }))
    )
  },
  change = function(state, given, facts) {
    none <- identical(given$versus %||% "none", "none")
    periods <- if (identical(given$versus, "periods")) chosen_periods(given, facts$calendar)
    change <- if (is.null(periods)) list(versus = given$versus, align = if (isTRUE(given$weekday)) "weekday") else {
      # Two periods are compared in a table without one.
      state$table["every"] <- list(NULL)
      list(periods = periods)
    }
    change <- c(change, list(per_open_day = if (isTRUE(given$open)) TRUE))
    state$table <- step_in_table(state$table, "change", if (!none) Filter(Negate(is.null), change))
    state$table <- step_in_table(state$table, "causes", if (isTRUE(given$causes)) list())
    if (none) state$table <- step_in_table(state$table, "target", NULL)
    period <- if (nzchar(given$period %||% "")) list(period = given$period)
    state$table <- step_in_table(state$table, "in_period", period)
    state
  }
)

tags_of_periods <- function(periods) {
  tags <- htmltools::tags
  field <- function(name, label, value) {
    tags$label(label, " ", tags$input(type = "text", name = name, value = printable(value), size = 10))
  }
  tags$p(class = "periods", field("now", "The later", periods[1]), " ", field("then", "against", periods[2]),
         tags$span(class = "quiet", " such as 2026-05, May 2026, 2026-Q1 or 2026"))
}

# The last month that is whole, and the same of the year before, by their names.
latest_months <- function(facts) {
  months <- periods_of(facts$span, "month", facts$calendar)
  whole <- utils::tail(months[cover_of_periods(facts, months, "month")$complete], 1)
  if (length(whole) == 0) whole <- months[1]
  before <- earlier_period(whole, "month", list(versus = "year_before", align = "date"), facts$calendar)$start
  period_label(c(whole, before), "month", facts$calendar)
}

desk_years <- function(desk) {
  span <- desk$facts$span
  days <- seq(span[1], span[2], by = "month")
  rev(unique(period_label(c(days, span[2]), "year", desk$facts$calendar)))
}

# The two named periods, now and then, as pairs of days.
chosen_periods <- function(given, calendar, call = NULL) {
  names <- trimws(c(given$now %||% "", given$then %||% ""))
  pairs <- lapply(names, function(name) if (nzchar(name)) named_period(name, calendar))
  wrong <- vapply(pairs, is.null, NA)
  if (any(wrong)) {
    stop_because("period", sprintf("%s is not a period.", quoted(names[wrong][1])), i = period_names_hint, call = call)
  }
  if (names[1] == names[2]) {
    stop_because("period", "A period cannot be compared with itself.", i = "Name two periods.", call = call)
  }
  stats::setNames(lapply(pairs, function(days) as.list(format(days))), names)
}
