# Rows of a changed table and their earlier values.

# The table, with rows for members that are gone, and for each row its period's code and its earlier value (missing
# where there is none).
compare_rows <- function(t, of, plan, call) {
  answer <- answer_of(t)
  codes <- row_codes(t, call)
  codes$single <- c(list(places_in_plan(answer, codes, plan)), codes$keys[-seq_along(answer$periods)])
  before <- earlier_rows(t, of, plan, codes, call)
  # Levels of several periods may tell the same single one: a quarter, with its year and without.
  sizes <- c(length(plan$starts), key_sizes(codes$all[-seq_along(answer$periods)]), length(answer$levels))
  at <- find_groups(c(codes$single, list(codes$level)), c(before$codes, list(before$level)), sizes)
  earlier <- before$values[at]
  gone <- which(replace(rep(TRUE, length(before$values)), at, FALSE))
  # A period without a covered day has no row of its own.
  gone <- gone[!before$values[gone] %in% c(NA, 0) & plan$held[before$codes[[1]][gone]]]
  period <- codes$single[[1]]
  if (answer$cut || length(gone) == 0) {
    return(list(table = t, earlier = earlier, period = period))
  }
  place <- before$codes[[1]][gone]
  level <- before$level[gone]
  gone <- list(codes = c(periods_of_places(answer, codes, plan, place, level),
                         lapply(before$codes[-1], function(code) code[gone])),
               level = level, values = before$values[gone])
  whole <- with_gone_rows(t, codes, gone)
  list(table = whole$table, earlier = c(earlier, gone$values)[whole$order], period = c(period, place)[whole$order])
}

# The place of each row's single period among those of the plan; the code of totals where it has none.
places_in_plan <- function(answer, codes, plan) {
  if (length(answer$periods) == 1) {
    return(codes$keys[[1]])
  }
  place <- rep(total_code, length(codes$level))
  for (level in which(!is.na(plan$grain))) {
    rows <- which(codes$level == level)
    planned <- places_of_level(answer, codes, plan, level)
    own <- lapply(codes$keys[planned$split], function(code) code[rows])
    place[rows] <- planned$place[find_groups(own, planned$codes, key_sizes(codes$all[planned$split]))]
  }
  place
}

# Back from places to the codes of each period of the table.
periods_of_places <- function(answer, codes, plan, place, level) {
  if (length(answer$periods) == 1) {
    return(list(place))
  }
  out <- rep(list(rep(total_code, length(place))), length(answer$periods))
  for (level_here in unique(level)) {
    rows <- which(level == level_here)
    planned <- places_of_level(answer, codes, plan, level_here)
    at <- match(place[rows], planned$place)
    for (k in seq_along(planned$split)) out[[planned$split[k]]][rows] <- planned$codes[[k]][at]
  }
  out
}

# The single periods of a level: the periods of the table that tell them, their codes, and their places in the plan.
places_of_level <- function(answer, codes, plan, level) {
  grain <- plan$grain[[level]]
  split <- which(answer$periods %in% answer$levels[[level]]$columns)
  places <- places_in_time(codes$all[split])
  starts <- plan$starts[plan$after[[grain]] + seq_len(plan$periods[[grain]])]
  own <- period_start(places$first, grain, answer$about$calendar)
  list(split = split, codes = places$codes, place = plan$after[[grain]] + match(as.integer(own), as.integer(starts)))
}

# The measure of the earlier periods as rows of the periods they are compared with, for every level of the table. Whole
# earlier periods are in the table already; lines are totalled again only where part of a period is compared.
earlier_rows <- function(t, of, plan, codes, call) {
  answer <- answer_of(t)
  if (answer$cut) {
    return(earlier_lines(answer, of, plan, codes, plan$target, call))
  }
  later <- recode_kernel(codes$single[[1]], plan$later, NA_integer_, threads_wanted())
  rows <- which(!is.na(later))
  held <- list(
    codes = c(list(later[rows]), lapply(codes$single[-1], function(code) code[rows])),
    level = codes$level[rows], values = exact_values(t, of)$values[rows]
  )
  target <- lapply(plan$target, function(target) replace(target, target %in% plan$later, NA))
  lines <- earlier_lines(answer, of, plan, codes, target, call)
  list(codes = Map(c, held$codes, lines$codes), level = c(held$level, lines$level),
       values = c(held$values, lines$values))
}

# The same from the lines: `target` tells, by grain, for each day of the span the period that it is an earlier day of.
# In a period that is cut like the later one, the days that are left out are not covered.
earlier_lines <- function(answer, of, plan, codes, target, call) {
  taken <- lapply(names(target), function(grain) {
    levels <- which(plan$grain %in% grain)
    cut <- target[[grain]] %in% plan$cut[[grain]]
    less <- replace(codes, "facts", list(without_days(codes$facts, plan$dropped[[grain]])))
    lapply(list(list(codes, !cut), list(less, cut)), function(side) {
      own <- replace(target[[grain]], !side[[2]], NA)
      if (length(levels) && !all(is.na(own))) earlier_of_grain(answer, of, plan, side[[1]], own, levels, call)
    })
  })
  taken <- Filter(Negate(is.null), unlist(taken, recursive = FALSE))
  joined <- function(sides) as.integer(unlist(sides))
  list(codes = lapply(seq_along(codes$single), function(k) joined(lapply(taken, function(rows) rows$codes[[k]]))),
       level = joined(lapply(taken, function(rows) rows$level)),
       values = as.double(unlist(lapply(taken, function(rows) rows$values))))
}

earlier_of_grain <- function(answer, of, plan, codes, target, levels, call) {
  facts <- codes$facts
  target <- period_target(facts, target, call)
  period <- lapply(rowsets_of(facts), function(rowset) target[places_in_span(rowset, facts)])
  rows <- lapply(period, function(of_row) which(!is.na(of_row)))
  times <- seq_along(answer$periods)
  keys <- keys_of_rows(codes$all[-times], rows)
  at <- Map(function(of_row, rows) of_row[rows], period, rows)
  single <- replace(new_key("period", at[[1]], plan$starts), "elsewhere", list(at[-1]))
  # Split by the single period in the place of the periods that tell it.
  splits <- lapply(answer$levels[levels], function(level) {
    replace(level, "split", list(c(1L, setdiff(level$split, times) - length(times) + 1L)))
  })
  taken <- rows_of_levels(take_rowsets(facts, rows), c(list(single), keys), answer, of, splits)
  list(codes = taken$codes, level = levels[taken$level], values = taken$values[[1]])
}

# A tally of longer periods has the earlier lines only where each of its periods goes to one period as a whole: its
# first day is used for it.
period_target <- function(facts, target, call) {
  if (is.null(facts$every) || facts$every == "day") {
    return(target)
  }
  days <- seq(as.integer(facts$span[1]), as.integer(facts$span[2]))
  starts <- period_bounds_kernel(days, facts$every, FALSE, facts$calendar$rules)
  first <- match(starts, starts)
  if (!identical(target, target[first])) {
    stop_because("facts", sprintf("The tally is kept per %s, but this comparison needs part of one.", facts$every),
                 i = "Tally with `every = \"day\"`, or compare with `like_for_like = FALSE`.", call = call)
  }
  target
}

# A measure as rows of the levels of a table, each with its level.
rows_of_levels <- function(facts, keys, answer, of, levels = answer$levels) {
  measures <- inquiry_measures(facts, answer$inquiry, ids_of(answer, of))
  level_rows(facts, keys, measures, levels, measure_groups(facts, keys, measures))
}

# The codes of a table's rows: from its labels back to the keys of its facts. Members without a line, which only the
# table has, or `others`, get codes behind those of the facts.
row_codes <- function(t, call = caller_env(), others = list()) {
  answer <- answer_of(t)
  facts <- facts_of(answer, call)
  data <- as_tibble.hinterfeld_totals(t)
  coded <- Map(function(key, name, id) {
    codes <- label_codes(key, data[[name]], answer$labels)
    if (anyNA(codes) || !is.null(others[[id]])) {
      key <- with_labels(key, list(others[[id]], unique(data[[name]])), answer$labels)
      codes <- label_codes(key, data[[name]], answer$labels)
    }
    list(key = key, codes = codes)
  }, table_keys(answer, facts), answer$keys, ids_of(answer, answer$keys))
  level <- if (length(answer$levels) > 1) as.integer(data[[answer$level]]) else rep(1L, nrow(data))
  list(keys = unname(lapply(coded, function(one) one$codes)), level = level,
       all = lapply(coded, function(one) one$key), facts = facts)
}

# A key with more labels behind its own.
with_labels <- function(key, values, labels) {
  known <- if (is.factor(key$labels)) as.character(key$labels) else key$labels
  values <- unlist(lapply(values, function(x) {
    if (is.character(x)) x <- x[!x %in% c(labels$not_given, labels$total)]
    if (inherits(known, "Date")) x <- as.Date(x)
    if (is.character(known)) as.character(x) else if (is.character(x)) numbers_of(x, key$name) else as.double(x)
  }))
  new <- setdiff(values[!is.na(values)], if (is.character(known)) known else as.double(known))
  if (inherits(known, "Date")) new <- plain_days(new)
  if (length(new)) key[c("labels", "places")] <- list(c(known, new), NULL)
  key
}

# Texts for a column of numbers.
numbers_of <- function(values, name) {
  numbers <- suppressWarnings(as.numeric(values))
  odd <- which(is.na(numbers) & !is.na(values))
  if (length(odd)) {
    stop_because("targets", sprintf("There is a target for %s, and `%s` is a column of numbers.",
                                    quoted(values[odd[1]]), name), call = NULL)
  }
  numbers
}

# The table with rows of members that sold before and not now, or have a target and no line, and the order of its rows:
# those of `t`, then these.
# Steps that were taken before are computed again; columns of the user's own are missing in the new rows.
with_gone_rows <- function(t, codes, gone) {
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  inquiry <- answer$inquiry
  measures <- inquiry_measures(codes$facts, inquiry)
  rows <- list(
    codes = Map(c, codes$keys, gone$codes), level = c(codes$level, gone$level),
    values = lapply(names(measures), function(id) {
      name <- names_of(answer, id)
      now <- if (name %in% names(data)) exact_values(t, name)$values else measure_again(answer, id, codes)
      c(now, fill_empty(measures[[id]], rep(NA_real_, length(gone$values))))
    })
  )
  detail <- if (length(answer$levels) > 1) {
    own <- rows$level == 1
    list(codes = lapply(rows$codes, function(code) code[own]), values = lapply(rows$values, function(value) value[own]))
  } else {
    rows
  }
  rows$order <- row_order(codes$facts, codes$all, measures, answer$levels, rows, detail,
                          answer$keys %in% answer$periods)
  first <- inquiry
  first["steps"] <- list(list())
  levels <- lapply(answer$levels, function(level) replace(level, "columns", list(ids_of(answer, level$columns))))
  out <- table_of(rows, codes$all, measures, levels, answer$labels, first, codes$facts)
  was <- ifelse(rows$order <= nrow(data), rows$order, NA)
  for (name in setdiff(names(data), names(answer$columns))) out[[name]] <- data[[name]][was]
  list(table = restore_names(replay(out, inquiry$steps), answer), order = rows$order)
}

# A measure whose column was left out, for the rows of a table.
measure_again <- function(answer, id, codes) {
  measures <- inquiry_measures(codes$facts, answer$inquiry, id)
  sums <- level_rows(codes$facts, codes$all, measures, answer$levels, measure_groups(codes$facts, codes$all, measures))
  sums$values[[1]][find_groups(codes$keys, sums$codes, key_sizes(codes$all))]
}
