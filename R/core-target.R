#' Targets: what was planned, what is due, what was reached
#'
#' Sets a table of targets beside a measure. Of a period that the data cover in part, only a part of its target is due.
#' A subtotal has the sum of the targets below it, if everything that was sold below it has one; what is split further
#' than the targets has none.
#'
#' @param t A totals table, with one period or without any.
#' @param targets A data frame with one row per target: the columns of `t` that it is for (such as `region`, and the
#'   period by the name of its column or as `period`), and `target`, a number in the unit of `of`. A period is its first
#'   day or its name, such as `"2026-03"` or `2026`. A target may be for a member without a line: it gets a row, with 0.
#' @param of The measure that was planned, as in [add_rank()]; a sum or a count of lines.
#' @param due Text: the part of a target that is due. `"days"`: as many parts as days of the period are covered;
#'   `"year_before"`: the part that the same days of the year before had of the whole period, from its lines.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with the columns
#'   * `<of>_target`: the target, rounded to the decimals of `of`; missing where there is none;
#'   * `<of>_due`: what is due of it, rounded once; the target itself where the period is covered to its end;
#'   * `<of>_difference`: `of` less what is due;
#'   * `<of>_reached`: `of` as a fraction of what is due; missing where that is not above 0.
#'
#'   Targets of periods of which the data cover no day are left out, and counted in the sentence. A table cut to some of
#'   its rows gets no new ones.
#' @section Errors: `hinterfeld_error_targets` for targets that are not a table, have a column that `t` is not split by
#'   or lack one, name a target twice or a number that is none; `hinterfeld_error_period` for a period that is not one
#'   of the table's; `hinterfeld_error_measure` for a measure that does not add up.
#' @export
#' @examples
#' plan <- load_table(demo_files()[["targets"]])
#' t <- totals(demo_daybook(), by = region, every = "year", subtotals = TRUE)
#' in_period(add_target(t, plan), "2026")
#' add_target(totals(demo_daybook(), every = "year"), data.frame(period = 2026, target = 1e6), due = "year_before")
add_target <- function(t, targets, of = NULL, due = c("days", "year_before"), name = NULL) {
  check_totals(t)
  check_name(name)
  of <- columns_given(enquo(of), t)
  check_measure(t, of)
  check_adds_up(t, of, "A target")
  check_no_others(t, "target", "target")
  check_target_period(answer_of(t))
  args <- list(of = of, targets = targets_given(targets, t, of),
               due = check_choice(due[1], "due", c("days", "year_before")))
  if (args$due == "year_before" && is.null(answer_of(t)$every)) {
    stop_because("period", "A table without a period has no year before.",
                 i = sprintf("Total it with %s.", as_typed("every = \"month\"")))
  }
  endings <- c(target = "_target", due = "_due", difference = "_difference", reached = "_reached")
  columns <- stats::setNames(paste0(name %||% of, endings), names(endings))
  take_step(step_on(t, "target", args, columns), t, call = rlang::current_env())
}

#' @export
take_step.hinterfeld_step_target <- function(step, t, again = FALSE, call = caller_env()) {
  of <- step_names(t, step$args$of)
  codes <- target_codes(t, step$args$targets, call)
  planned <- planned_targets(answer_of(t), codes, step$args, call)
  rows <- target_rows(answer_of(t), codes, planned, exact_values(t, of)$values)
  new <- rows$new
  if (answer_of(t)$cut) new <- lapply(new, function(x) lapply(x, `[`, 0))
  values <- rows$values
  if (length(new$level[[1]])) {
    whole <- with_gone_rows(t, codes, list(codes = new$codes, level = new$level[[1]],
                                           values = rep(0, length(new$level[[1]]))))
    values <- Map(function(own, added) c(own, added)[whole$order], values, new$values)
    t <- whole$table
  }
  measure <- answer_of(t)$measures[[of]]
  now <- exact_values(t, of)$values
  amount <- function(minor) from_minor(minor, measure$decimals)
  money <- list(counts = measure$counts, decimals = measure$decimals)
  columns <- list(
    c(list(values = amount(values$target)), money), c(list(values = amount(values$due)), money),
    c(list(values = amount(now - values$due)), money, signed = TRUE),
    list(values = ifelse(values$due > 0, now / values$due, NA_real_), counts = "percent")
  )
  summary <- c(planned[c("outside", "part")], list(new = length(new$level[[1]]),
                                                   unknown = sum(is.na(values$due) & !is.na(values$target))))
  add_columns_of(t, step, columns, step_stats_of(t, count_missing(values$target), summary = summary), call)
}

check_target_period <- function(answer, call = caller_env()) {
  if (length(answer$everys) > 1 || length(answer$everys) && is_recurring(answer$every)) {
    stop_because("period", sprintf("Targets need one period, and the table is split by %s.",
                                   and_list(answer$everys)),
                 i = sprintf("Total it with %s, or without a period.", as_typed("every = \"month\"")), call = call)
  }
}

# Targets as an inquiry holds them: columns by the first names of the table's, periods by their first day.
targets_given <- function(targets, t, of, call = caller_env()) {
  answer <- answer_of(t)
  shown <- names(targets)
  if (!is.list(targets) || !rlang::is_named(targets) || !"target" %in% shown || anyDuplicated(shown)) {
    stop_because("targets", sprintf("%s must be a data frame with a column `target`.", as_typed("targets")),
                 x = sprintf("It is %s%s.", describe(targets),
                             if (is.data.frame(targets)) paste(" with", columns_named(shown)) else ""),
                 i = "Its other columns say what each target is for.", call = call)
  }
  targets <- lapply(targets, function(x) if (is.factor(x)) as.character(x) else if (is.list(x)) unlist(x) else x)
  if ("period" %in% names(targets) && length(answer$period)) {
    names(targets)[names(targets) == "period"] <- answer$period
  }
  keys <- setdiff(names(targets), "target")
  check_target_columns(keys, answer, call)
  target <- targets$target
  if (is.character(target)) target <- suppressWarnings(as.numeric(target))
  wrong <- which(!is.finite(if (is.numeric(target)) target else rep(NA, length(target))))
  if (length(wrong)) {
    stop_because("targets", sprintf("%s %s no number.", count_of(length(wrong), "target"),
                                    if (length(wrong) == 1) "has" else "have"),
                 x = sprintf("The first is in row %d.", wrong[1]), i = "Leave out the rows that have no target.",
                 call = call)
  }
  large <- which(abs(target) * 10^answer$measures[[of]]$decimals > 2^53)
  if (length(large)) {
    stop_because("targets", sprintf("The target in row %d is too large to be exact: %s.", large[1],
                                    format(target[large[1]])), i = "Give it in the unit of the measure.", call = call)
  }
  period <- answer$period
  if (length(period)) targets[[period]] <- target_periods(targets[[period]], answer, call)
  targets$target <- as.double(target)
  again <- which(duplicated(as.data.frame(targets[keys])))
  if (length(keys) && length(again)) {
    named <- vapply(targets[keys], function(x) {
      if (inherits(x, "Date")) period_label(x[again[1]], answer$every, answer$about$calendar) else format(x[again[1]])
    }, "")
    stop_because("targets", sprintf("The target of %s is there twice.", paste(named, collapse = " / ")),
                 i = "Give one row for each.", call = call)
  }
  stats::setNames(targets[c(keys, "target")], c(ids_of(answer, keys), "target"))
}

check_target_columns <- function(keys, answer, call) {
  unknown <- setdiff(keys, answer$keys)
  if (length(unknown)) {
    stop_because("targets", sprintf("The targets are by `%s`, and the table is not split by it.", unknown[1]),
                 i = if (length(answer$keys)) sprintf("The table is split by %s.", columns_named(answer$keys)),
                 i = did_you_mean(unknown[1], answer$keys), call = call)
  }
  if (length(answer$period) && !answer$period %in% keys) {
    stop_because("period", sprintf("The table is per %s, and the targets name no period.", answer$every),
                 i = sprintf("Give them a column `%s` or `period`.", answer$period), call = call)
  }
}

# The first days of the periods that targets name.
target_periods <- function(given, answer, call) {
  calendar <- answer$about$calendar
  named <- unique(if (inherits(given, "Date")) format(given) else as.character(given))
  # A day is the first of its period.
  pairs <- lapply(named, function(one) {
    day <- as.Date(if (grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", one)) one else NA_character_, optional = TRUE)
    if (is.na(day)) named_period(one, calendar) else c(day, period_end(day, answer$every, calendar))
  })
  fits <- vapply(pairs, function(pair) {
    length(pair) == 2 && !anyNA(pair) && period_start(pair[1], answer$every, calendar) == pair[1] &&
      period_end(pair[1], answer$every, calendar) == pair[2]
  }, NA)
  if (!all(fits)) {
    stop_because("period", sprintf("%s is not the name of a %s.", quoted(named[!fits][1]), answer$every),
                 i = sprintf("The table is per %1$s: give one target per %1$s, named like %2$s.", answer$every,
                             quoted(period_label(answer$about$span[1], answer$every, calendar))),
                 i = if (any(lengths(pairs[!fits]) == 2)) "Total the table by the period of the targets instead.",
                 call = call)
  }
  starts <- plain_days(vapply(pairs, function(pair) as.double(pair[1]), 0))
  starts[match(if (inherits(given, "Date")) format(given) else as.character(given), named)]
}

# The codes of the rows and, of the columns that targets are split by, those of the targets.
target_codes <- function(t, targets, call) {
  answer <- answer_of(t)
  ids <- ids_of(answer, answer$keys)
  codes <- row_codes(t, call, targets[setdiff(names(targets), "target")])
  codes$named <- ids %in% names(targets)
  codes$targets <- Map(function(key, id) {
    if (id %in% names(targets)) label_codes(key, targets[[id]], answer$labels)
  }, unname(codes$all), ids)
  codes
}

# The targets of periods that the data cover, in minor units: the codes of their keys, the whole and what is due.
planned_targets <- function(answer, codes, args, call) {
  decimals <- answer$measures[[names_of(answer, args$of)]]$decimals
  target <- to_minor(args$targets$target, decimals)
  if (length(answer$period) == 0) {
    return(list(codes = codes$targets, target = target, due = target, outside = 0L))
  }
  starts <- args$targets[[ids_of(answer, answer$period)]]
  held <- cover_of_periods(answer$about, starts, answer$every)
  calendar <- answer$about$calendar
  days <- open_days(calendar, starts, period_end(starts, answer$every, calendar))
  due <- ifelse(days > 0, scaled_part(target, held$open, days), target)
  if (args$due == "year_before") {
    before <- year_before_of(answer, codes, args$of, call)
    part <- ifelse(before$whole > 0, half_away(target * before$part / before$whole), NA_real_)
    due[held$unfinished] <- part[held$unfinished]
  }
  kept <- !held$none
  last <- which(kept & held$unfinished)[1]
  part <- if (!is.na(last)) {
    list(period = period_label(starts[last], answer$every, answer$about$calendar), days = held$open[last],
         of = days[last])
  }
  list(codes = lapply(codes$targets, function(code) code[kept]), target = target[kept], due = due[kept],
       outside = sum(!kept), part = part)
}

# For each target what the same period a year before came to: the days that have passed of it, and the whole.
year_before_of <- function(answer, codes, of, call) {
  ids <- ids_of(answer, answer$keys)[codes$named]
  fine <- quietly(retotal(answer, ids, of))
  lapply(c(part = TRUE, whole = FALSE), function(cut) {
    changed <- quietly(add_change(fine, of = !!of, like_for_like = cut, name = "then"))
    own <- row_codes(changed, call)
    place <- match(ids, ids_of(answer_of(changed), answer_of(changed)$keys))
    at <- find_groups(codes$targets[codes$named], own$keys[place],
                      pmax(key_sizes(own$all[place]), key_sizes(codes$all[codes$named])))
    exact_values(changed, "then_before")$values[at]
  })
}

# The targets of a table's rows, and those for which it has no row. A row has the sum of the targets that are split as
# it is or further; but a subtotal only where all that was sold below it has a target, or it would look too good.
target_rows <- function(answer, codes, planned, sold) {
  values <- list(target = rep(NA_real_, length(codes$level)), due = rep(NA_real_, length(codes$level)))
  new <- list(codes = lapply(codes$keys, function(code) integer()), level = list(integer()),
              values = list(target = numeric(), due = numeric()))
  finest <- vapply(answer$levels, function(level) setequal(level$split, which(codes$named)), NA)
  for (i in order(!finest)) {
    split <- answer$levels[[i]]$split
    if (length(planned$target) == 0 || !all(codes$named[split]) || !finest[i] && !any(finest)) next
    rows <- which(codes$level == i)
    keys <- Map(function(key, code) new_key(key$name, code, key$labels), codes$all[split], planned$codes[split])
    groups <- if (length(split)) group_lines(length(planned$target), keys) else
      list(codes = rep(1L, length(planned$target)), count = 1L, parts = list())
    sums <- lapply(planned[c("target", "due")], function(minor) {
      known <- !is.na(minor)
      scope <- function(x) scope_totals(list(id = groups$codes, count = groups$count), x, "target")
      replace(scope(replace(minor, !known, 0)), scope(as.double(!known)) > 0, NA)
    })
    own <- lapply(codes$keys[split], function(code) code[rows])
    at <- if (length(split)) find_groups(own, groups$parts, key_sizes(codes$all[split])) else rep(1L, length(rows))
    held <- at
    lacking <- which(codes$level == which(finest) & is.na(values$target) & sold != 0 & !finest[i])
    below <- if (length(split)) {
      find_groups(lapply(codes$keys[split], function(code) code[lacking]), own, key_sizes(codes$all[split]))
    } else if (length(lacking)) {
      1L
    }
    at[below] <- NA
    values <- Map(function(value, sum) replace(value, rows, sum[at]), values, sums)
    extra <- setdiff(seq_len(groups$count), held)
    parts <- rep(list(rep(total_code, length(extra))), length(codes$keys))
    parts[split] <- lapply(groups$parts, function(part) part[extra])
    new <- list(codes = Map(c, new$codes, parts), level = list(c(new$level[[1]], rep(i, length(extra)))),
                values = Map(function(value, sum) c(value, sum[extra]), new$values, sums))
  }
  list(values = values, new = new)
}
