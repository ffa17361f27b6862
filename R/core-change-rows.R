# Rows of a changed table and their earlier values.

# The table, with rows for members that are gone, and for each row its period's code and its earlier value (missing
# where there is none).
compare_rows <- function(t, of, plan, call) {
  answer <- answer_of(t)
  codes <- row_codes(t, call)
  before <- earlier_rows(t, of, plan, codes, call)
  sizes <- key_sizes(codes$all)
  at <- find_groups(codes$keys, before$codes, sizes)
  earlier <- before$values[at]
  gone <- which(replace(rep(TRUE, length(before$values)), at, FALSE))
  gone <- gone[!before$values[gone] %in% c(NA, 0)]
  if (answer$cut || length(gone) == 0) {
    return(list(table = t, earlier = earlier, period = codes$keys[[1]]))
  }
  gone <- list(codes = lapply(before$codes, function(code) code[gone]), level = before$level[gone],
               values = before$values[gone])
  whole <- with_gone_rows(t, codes, gone)
  list(table = whole$table, earlier = c(earlier, gone$values)[whole$order],
       period = c(codes$keys[[1]], gone$codes[[1]])[whole$order])
}

# The measure of the earlier periods as rows of the periods they are compared with, for every level of the table. A
# whole earlier period is in the table already; only of parts of periods the lines are totalled anew.
earlier_rows <- function(t, of, plan, codes, call) {
  answer <- answer_of(t)
  if (answer$cut) {
    return(earlier_lines(answer, of, plan, codes, plan$target, call))
  }
  period <- codes$keys[[1]]
  later <- recode_kernel(period, plan$later, NA_integer_, threads_wanted())
  rows <- which(!is.na(later))
  held <- list(
    codes = c(list(later[rows]), lapply(codes$keys[-1], function(code) code[rows])),
    level = codes$level[rows], values = derive_values(t, of)$values[rows]
  )
  target <- replace(plan$target, plan$target %in% plan$later, NA)
  if (all(is.na(target))) {
    return(held)
  }
  lines <- earlier_lines(answer, of, plan, codes, target, call)
  list(codes = Map(c, held$codes, lines$codes), level = c(held$level, lines$level),
       values = c(held$values, lines$values))
}

# The same from the lines: `target` tells for each day of the span the period that it is an earlier day of.
earlier_lines <- function(answer, of, plan, codes, target, call) {
  facts <- codes$facts
  target <- period_target(facts, target, call)
  period <- lapply(parts_of(facts), function(part) target[places_in_span(part, facts)])
  rows <- lapply(period, function(of_row) which(!is.na(of_row)))
  keys <- keys_of_rows(codes$all, rows)
  at <- Map(function(of_row, rows) of_row[rows], period, rows)
  keys[[1]] <- replace(new_key(keys[[1]]$name, at[[1]], keys[[1]]$labels), "elsewhere", list(at[-1]))
  taken <- rows_of_levels(take_parts(facts, rows), keys, answer, of)
  list(codes = taken$codes, level = taken$level, values = taken$values[[1]])
}

# A tally of longer periods has the earlier lines only where each of its periods goes to one period as a whole: its
# first day stands for it.
period_target <- function(facts, target, call) {
  if (is.null(facts$every) || facts$every == "day") {
    return(target)
  }
  days <- seq(as.integer(facts$span[1]), as.integer(facts$span[2]))
  starts <- period_bounds_kernel(days, facts$every, FALSE, facts$calendar$rules)
  first <- match(starts, starts)
  if (!identical(target, target[first])) {
    stop_because("facts", c(
      sprintf("The tally holds each %s as a whole, but a part of one is compared.", facts$every),
      i = "Tally with `every = \"day\"`, or compare with `like_for_like = FALSE`."
    ), call = call)
  }
  target
}

# A measure as rows of the levels of a table, each with its level.
rows_of_levels <- function(facts, keys, answer, of) {
  measures <- inquiry_measures(facts, answer$inquiry, ids_of(answer, of))
  level_rows(facts, keys, measures, answer$levels, measure_groups(facts, keys, measures))
}

# The codes of a table's rows: from its labels back to the keys of its facts.
row_codes <- function(t, call = caller_env()) {
  answer <- answer_of(t)
  facts <- facts_of(answer, call)
  data <- as_tibble.hinterfeld_totals(t)
  keys <- facts_keys(facts, ids_of(answer, answer$by), answer$every)
  codes <- Map(function(key, name) label_codes(key, data[[name]], answer$labels), keys, answer$keys)
  level <- if (length(answer$levels) > 1) as.integer(data[[answer$level]]) else rep(1L, nrow(data))
  list(keys = unname(codes), level = level, all = keys, facts = facts)
}

# The table with rows of members that sold before and not now, and the order of its rows: those of `t`, then the gone.
# Steps that were taken before are taken anew; columns of the user's own are missing in the new rows.
with_gone_rows <- function(t, codes, gone) {
  answer <- answer_of(t)
  data <- as_tibble.hinterfeld_totals(t)
  inquiry <- answer$inquiry
  measures <- inquiry_measures(codes$facts, inquiry)
  rows <- list(
    codes = Map(c, codes$keys, gone$codes), level = c(codes$level, gone$level),
    values = lapply(names(measures), function(id) {
      name <- names_of(answer, id)
      now <- if (name %in% names(data)) derive_values(t, name)$values else measure_again(answer, id, codes)
      c(now, nothing_to_zero(measures[[id]], rep(NA_real_, length(gone$values))))
    })
  )
  detail <- if (length(answer$levels) > 1) {
    own <- rows$level == 1
    list(codes = lapply(rows$codes, function(code) code[own]), values = lapply(rows$values, function(value) value[own]))
  } else {
    rows
  }
  rows$order <- row_order(codes$facts, codes$all, measures, answer$levels, rows, detail, 1)
  first <- inquiry
  first["steps"] <- list(list())
  levels <- lapply(answer$levels, function(level) replace(level, "columns", list(ids_of(answer, level$columns))))
  out <- table_of(rows, codes$all, measures, levels, answer$labels, first, codes$facts)
  was <- ifelse(rows$order <= nrow(data), rows$order, NA)
  for (name in setdiff(names(data), names(answer$columns))) out[[name]] <- data[[name]][was]
  list(table = as_before(replay(out, inquiry$steps), answer), order = rows$order)
}

# A measure whose column was left out, for the rows of a table.
measure_again <- function(answer, id, codes) {
  measures <- inquiry_measures(codes$facts, answer$inquiry, id)
  found <- level_rows(codes$facts, codes$all, measures, answer$levels, measure_groups(codes$facts, codes$all, measures))
  found$values[[1]][find_groups(codes$keys, found$codes, key_sizes(codes$all))]
}
