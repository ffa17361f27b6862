#' Crosstab: rows by columns, with row, column and grand totals
#'
#' Spreads a totals table: one row per group of `rows`, one column per group of `columns`. Totals are
#' taken from the lines, so that distinct counts and means are right in the margins too.
#'
#' Of an added column, such as a share, a rank or a change, the margins are that column of the table with subtotals:
#' each level on its own, never added up. So the share of the whole, of a row (`add_share(t, within = <rows>)`), of a
#' column or of an outer group shows which total is 100 %. Where it means nothing there, the margin is blank, and a
#' direction is `unknown`.
#'
#' @param t A totals table made by [totals()] that is split by `rows` and `columns`. Of picked rows, such as the best
#'   sellers of each region, the cells that are left are shown, without margins. Or a table made by [best_of_each()],
#'   [unsold()] or [coverage()] within two columns or more: its cells show one of its columns, such as the name of the
#'   best seller, as they are.
#' @param rows,columns Columns of `t`, bare or as strings: the periods or the `by` columns, one or several of each, from
#'   the outer to the inner.
#' @param of Measures or added columns of `t`, bare or as text, one or several. For an added column, `rows` and
#'   `columns` together must name every column that `t` is split by.
#' @param margins Logical: add a final row and a final column of totals and, if there are several `rows` or `columns`,
#'   subtotals of the outer ones. By default, unless rows were picked: totals of what is left would not be those of the
#'   data.
#' @param empty Text: what to show for a combination without lines: `"blank"` (missing) or `"zero"`, which gives 0 for
#'   sums and counts; means, smallest and largest values stay missing.
#' @return A crosstab: a tibble with the `rows` columns, one column for each value of `columns`, in calendar order or
#'   largest first, with periods labelled as by [period_label()] (`2026-03`, `Mar`, `Mon`), and `Total`. Several
#'   `columns` are labelled `<outer> / <inner>`, several measures `<label> <measure>`. [deliver()], [in_words()],
#'   [reconcile()], [add_share()], [sort_rows()] and [best_sellers()] take it.
#' @section Errors: `hinterfeld_error_column` for columns that `t` does not split by,
#'   `hinterfeld_error_measure` for an unknown measure, `hinterfeld_error_argument` for margins of
#'   picked rows, for rows of others, and for a table that was cut by hand.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(category, region))
#' crosstab(t, rows = category, columns = region)
#' monthly <- totals(demo_daybook(), by = product, every = "month", measures = c("revenue", "units"))
#' crosstab(monthly, rows = product, columns = month, of = "units")
#' years <- totals(demo_daybook(), every = c("year", "month_of_year"))
#' crosstab(years, rows = month_of_year, columns = year)
#' crosstab(add_share(t, within = region), rows = category, columns = region, of = "revenue_share")
#' best <- best_of_each(totals(demo_daybook(), by = c(region, product), every = "year"), within = c(region, year))
#' crosstab(best, rows = region, columns = year, of = best_seller)
crosstab <- function(t, rows, columns, of = names(answer_of(t)$measures)[1], margins = TRUE,
                     empty = c("blank", "zero")) {
  if (!is.null(listing_of(t))) {
    return(spread_listing(t, enquo(rows), enquo(columns), if (!missing(of)) enquo(of)))
  }
  check_totals(t)
  answer <- answer_of(t)
  if (missing(margins)) margins <- !answer$cut
  check_flag(margins, "margins")
  empty <- check_choice(empty[1], "empty", c("blank", "zero"))
  rows <- pick_columns(enquo(rows), answer$keys, "rows")
  columns <- pick_columns(enquo(columns), answer$keys, "columns")
  of <- columns_given(enquo(of), t)
  check_crosstab(answer, rows, columns, of)
  if (answer$cut) check_cut_crosstab(answer, setdiff(answer$keys, c(rows, columns)), margins)
  ids <- lapply(list(rows = rows, columns = columns, of = of), ids_of, answer = answer)
  spread_totals(t, c(ids, list(margins = margins, empty = empty, order = NULL, best = NULL)))
}

check_crosstab <- function(answer, rows, columns, of, call = caller_env()) {
  if (length(rows) == 0 || length(columns) == 0 || any(columns %in% rows)) {
    stop_because("column", "A crosstab needs `rows` and `columns`, and no column in both.",
                 i = sprintf("The table splits by %s.", columns_named(answer$keys)), call = call)
  }
  choices <- c(names(answer$measures), names(answer$added))
  unknown <- setdiff(of, choices)
  if (!is.character(of) || length(of) == 0 || length(unknown)) {
    problem <- if (length(unknown)) sprintf("`of` names %s, which the table does not hold.", columns_named(unknown))
    stop_because("measure", problem %||% "`of` must name measures or added columns.",
                 i = sprintf("It holds %s.", columns_named(choices)), call = call)
  }
  left <- setdiff(answer$keys, c(rows, columns))
  if (any(of %in% names(answer$added)) && length(left)) {
    stop_because("column",
                 sprintf("`%s` was computed for rows that are also split by %s.", intersect(of, names(answer$added))[1],
                         columns_named(left)),
                 i = "Use every column of the table in `rows` or `columns`, or make the table without them.",
                 call = call)
  }
}

# Each cell of a cut table is one of its rows.
check_cut_crosstab <- function(answer, left, margins, call = caller_env()) {
  if (answer$by_hand || margins) {
    stop_because("argument", "This table has lost some of its rows, so its margins would not match the daybook.",
                 i = sprintf("Make the crosstab first, or keep fewer lines with %s.", as_typed("keep_lines()")),
                 i = if (!answer$by_hand) sprintf("Or spread it with %s.", as_typed("margins = FALSE")), call = call)
  }
  if (answer$others) {
    stop_because("argument", "The rows for the rest (\"others\") are not members that could be spread.",
                 i = "Pick the best sellers without them.", call = call)
  }
  if (length(left)) {
    stop_because("column", sprintf("The rows that are left were picked by %s too.", columns_named(left)),
                 i = "Use every column of the table in `rows` or `columns`.", call = call)
  }
}

# Rows and columns stand in the order of their totals, whether these are shown or not; a cell is found by its codes.
# `how` tells rows, columns and `of` by their first names; they are shown by their present ones.
spread_totals <- function(t, how, call = caller_env()) {
  answer <- answer_of(t)
  if (answer$cut && nrow(t) == 0) {
    stop_because("argument", "The pick left no row, so there is nothing to spread.",
                 i = "Pick more rows, or by another measure.", call = call)
  }
  split <- c(how$rows, how$columns)
  fill <- answer$inquiry$fill && !all(how$of %in% names(answer$inquiry$measures))
  answered <- ask_again(answer, split, subtotals = crosstab_levels(how$rows, how$columns), fill = fill, as_given = TRUE)
  added <- added_cells(answer, answered, how$of)
  if (length(added$grown$level) > length(answered$level)) {
    answered <- grown_rows(answered, added$grown, split %in% answer$everys)
  }
  answered <- with_empty_periods(answered, how, answer)
  at <- list(rows = margin_rows(answered, how$rows, how$columns, how$margins),
             columns = margin_rows(answered, how$columns, how$rows, how$margins))
  left <- if (answer$cut) cells_left(t, answered)
  if (answer$cut) {
    at <- Map(function(rows, side) rows[left(answered$codes, match(side, split), rows)], at, how[c("rows", "columns")])
  }
  labels <- choose_labels(answered$keys, lapply(answered$codes, function(code) code[unlist(at)]))
  about <- c(Map(measure_about, names(answered$measures), answered$measures), added$about)[how$of]
  heads <- column_heads(answered, at$columns, how, labels, answer)
  cells <- lapply(seq_len(nrow(heads)), function(j) {
    codes <- lapply(seq_along(split), function(k) {
      codes <- answered$codes[[k]]
      if (k <= length(how$rows)) codes[at$rows] else rep(codes[heads$at[j]], length(at$rows))
    })
    values <- cell_values(answered, added, heads$of[j], codes, how$empty)
    if (is.null(left)) values else replace(values, !left(codes, seq_along(split)), NA)
  })
  rows <- lapply(seq_along(how$rows), function(k) {
    values <- key_values(answered$keys[[k]], answered$codes[[k]], at$rows, labels)
    if (how$rows[k] %in% answer$everys) period_names(values, how$rows[k], answer$about$calendar) else values
  })
  values <- stats::setNames(c(rows, cells), c(names_of(answer, how$rows), heads$name))
  stepped <- if (answer$cut) replace(answer, "facts", list(NULL)) else added$answer
  whole <- new_crosstab(values, answer, how, answered, heads, labels, about, stepped)
  arrange_crosstab(whole, how)
}

# A function that says of codes, of some of the columns, which of them a row of the cut table still has.
cells_left <- function(t, answered) {
  codes <- placed_rows(t, answered)$codes
  sizes <- key_sizes(answered$keys)
  function(of, columns, rows = seq_along(of[[1]])) {
    !is.na(find_groups(lapply(of[columns], function(code) code[rows]), codes[columns], sizes[columns]))
  }
}

# Every level of the rows by every level of the columns.
crosstab_levels <- function(rows, columns) {
  parts <- expand.grid(row = seq(length(rows), 0), column = seq(length(columns), 0))
  Map(function(row, column) {
    names <- c(rows[seq_len(row)], columns[seq_len(column)])
    if (length(names)) names else "Total"
  }, parts$row, parts$column)
}

# The groups of one side over all of the other, in order, with their subtotals where margins are shown.
margin_rows <- function(answered, side, other, margins) {
  counts <- seq(length(side), if (margins) 0 else length(side))
  wanted <- lapply(counts, function(count) match(side[seq_len(count)], answered$names))
  level <- which(vapply(answered$levels, function(level) any(vapply(wanted, setequal, NA, level$split)), NA))
  answered$order[answered$level[answered$order] %in% level]
}

# Added columns of the table with all its subtotals: their steps are computed again, each level on its own.
added_cells <- function(answer, answered, of) {
  steps <- unlist(lapply(answer$inquiry$steps, function(step) step$columns))
  wanted <- intersect(of, steps)
  if (length(wanted) == 0) {
    return(list())
  }
  first <- retotal(answer, answered$names, subtotals = crosstab_levels_of(answered), fill = answer$inquiry$fill)
  steps <- answer$inquiry$steps
  t <- replay(first, steps)
  # A pick that left every row has put the subtotals away, which a row that a change has added needs.
  picks <- vapply(steps, function(step) step$kind %in% pick_kinds, NA)
  whole <- if (any(picks)) replay(first, steps[!picks]) else t
  shown <- answer_of(t)
  names <- names_of(shown, wanted)
  grown <- placed_rows(whole, answered)
  list(
    answer = replace(shown, "facts", list(NULL)), codes = placed_rows(t, answered, grown$labels)$codes,
    grown = c(grown, list(
      measures = lapply(names_of(answer_of(whole), names(answered$measures)), function(name) {
        exact_values(whole, name)$values
      })
    )),
    values = stats::setNames(as.list(t)[names], wanted),
    about = stats::setNames(lapply(shown$columns[names], function(column) c(column, list(adds_up = FALSE))), wanted)
  )
}

# The codes and the level of each row of a table, with keys and levels in the order that they have here. Members without
# a line have codes too, in the order of these `labels`.
placed_rows <- function(t, answered, labels = list()) {
  codes <- row_codes(t, others = labels)
  shown <- answer_of(t)
  level <- vapply(shown$levels, function(level) {
    split <- match(ids_of(shown, level$columns), answered$names)
    Position(function(own) setequal(own$split, split), answered$levels)
  }, 0L)
  ids <- ids_of(shown, shown$keys)
  place <- match(answered$names, ids)
  list(codes = codes$keys[place], keys = unname(codes$all)[place], level = level[codes$level],
       labels = stats::setNames(lapply(as.list(t)[shown$keys], unique), ids))
}

# With the rows that steps have added: for what is gone, or has a target and no line.
grown_rows <- function(answered, added, dated) {
  answered[c("codes", "keys", "values", "level")] <- added[c("codes", "keys", "measures", "level")]
  own <- answered$level == 1
  detail <- list(codes = lapply(answered$codes, function(code) code[own]),
                 values = lapply(answered$values, function(value) value[own]))
  answered$order <- row_order(answered$facts, answered$keys, answered$measures, answered$levels, answered, detail,
                              dated)
  answered
}

# With a column for every period that the data cover, also where no line is, if columns are periods and nothing else.
with_empty_periods <- function(answered, how, answer) {
  periods <- match(how$columns, answered$names)
  if (answer$cut || is_recurring(answer$every %||% "weekday") || !setequal(how$columns, answer$everys)) {
    return(answered)
  }
  every <- places_in_time(answered$keys[periods], answered$facts$out)$codes
  level <- Position(function(level) setequal(level$split, periods), answered$levels)
  own <- answered$level == level
  groups <- find_groups(every, lapply(answered$codes[periods], function(code) code[own]),
                        key_sizes(answered$keys[periods]))
  empty <- which(is.na(groups))
  if (length(empty) == 0) {
    return(answered)
  }
  codes <- Map(function(code, k) {
    c(code, if (k %in% periods) every[[match(k, periods)]][empty] else rep(total_code, length(empty)))
  }, answered$codes, seq_along(answered$codes))
  grown_rows(answered, list(
    codes = unname(codes), keys = answered$keys, level = c(answered$level, rep(level, length(empty))),
    measures = Map(function(m, value) c(value, fill_empty(m, rep(NA_real_, length(empty)))), answered$measures,
                   answered$values)
  ), answered$names %in% answer$everys)
}

crosstab_levels_of <- function(answered) {
  lapply(answered$levels, function(level) if (length(level$split)) answered$names[level$split] else "Total")
}

# The values of one column or measure for the groups of these codes.
cell_values <- function(answered, added, of, codes, empty) {
  sizes <- key_sizes(answered$keys)
  if (of %in% names(added$values)) {
    return(added$values[[of]][find_groups(codes, added$codes, sizes)])
  }
  m <- answered$measures[[of]]
  value <- answered$values[[match(of, names(answered$measures))]][find_groups(codes, answered$codes, sizes)]
  show_value(m, if (empty == "zero") fill_empty(m, value) else value)
}

# A crosstab is the answer to the inquiry of its table: `grid` tells what stands where. It keeps the steps of which it
# shows a column.
new_crosstab <- function(values, answer, how, answered, heads, labels, about, stepped) {
  asked <- answer$inquiry
  steps <- if (!is.null(stepped)) asked$steps else list()
  inquiry <- new_inquiry(asked$by, asked$every, asked$measures, asked$subtotals, asked$fill, steps, crosstab = how)
  rows <- Map(function(id, key) replace(key_about(id, key, FALSE), "every", list(NULL)), how$rows,
              answered$keys[match(how$rows, answered$names)])
  columns <- c(unname(rows), lapply(seq_len(nrow(heads)), function(j) {
    cell <- about[[heads$of[j]]]
    rlang::exec(new_column, heads$id[j], "cell", cell$counts, cell$decimals, isTRUE(cell$signed), of = heads$of[j],
                total = heads$total[j], whole = heads$whole[j], head = heads$head[[j]],
                codes = vapply(match(how$columns, answered$names), function(k) answered$codes[[k]][heads$at[j]], 0L))
  }))
  names(columns) <- names(values)
  levels <- if (how$margins) answered$levels else answered$levels[1]
  levels <- lapply(levels, function(level) replace(level, "columns", list(names_of(answer, level$columns))))
  size <- length(values[[1]])
  out <- new_answer(inquiry, columns, levels, labels, size, answered$facts)
  out$step_stats <- rep_len(list(list()), length(steps))
  out[c("cut", "by_hand")] <- answer[c("cut", "by_hand")]
  out$grid <- c(
    list(shown = list(rows = names_of(answer, how$rows), columns = names_of(answer, how$columns),
                      of = names_of(answer, how$of)),
         measures = stats::setNames(about, names_of(answer, how$of)), stepped = stepped), how[c("margins", "empty")]
  )
  tibble::new_tibble(values, nrow = size, class = "hinterfeld_crosstab", answer = out)
}

# One row per column of cells: its name, its labels one below the other, the row of its group, its measure, whether it
# is a total, and whether of all.
column_heads <- function(answered, at, how, labels, answer) {
  parts <- lapply(how$columns, function(column) {
    k <- match(column, answered$names)
    shown <- key_values(answered$keys[[k]], answered$codes[[k]], at, labels)
    label <- if (column %in% answer$everys) {
      period_names(shown, column, answer$about$calendar)
    } else {
      plain_value(shown)
    }
    replace(label, is.na(label), labels$not_given)
  })
  total <- lapply(match(how$columns, answered$names), function(k) answered$codes[[k]][at] == total_code)
  # Below a total there is nothing more to say.
  parts <- Map(function(head_of, above) replace(head_of, above, ""), parts, c(list(FALSE), utils::head(total, -1)))
  label <- do.call(paste, c(parts, sep = " / ")) |> sub(pattern = "( / )+$", replacement = "")
  each <- length(how$of)
  heads <- data.frame(at = rep(at, each = each), of = rep(how$of, length(at)))
  named <- function(how) {
    name <- if (each == 1) label else paste(rep(label, each = each), how$of)
    unique_names(name, how$rows, paste(how$columns, collapse = ", "))
  }
  heads$id <- named(how)
  heads$name <- named(lapply(how[c("rows", "columns", "of")], names_of, answer = answer))
  heads$total <- rep(total[[length(total)]], each = each)
  heads$whole <- rep(total[[1]], each = each)
  texts <- do.call(Map, c(list(c), parts))
  heads$head <- rep(unname(texts), each = each)
  heads
}

# Names that are none of the other columns' and none of each other's.
unique_names <- function(names, taken, column) {
  clash <- names %in% taken | names %in% names[duplicated(names)]
  names[clash] <- paste0(column, ": ", names[clash])
  utils::tail(make.unique(c(taken, names), " "), length(names))
}

# Which rows and which cell columns of a crosstab are totals, and which are those of all; a part of one may have lost
# them.
crosstab_totals <- function(x) {
  answer <- answer_of(x)
  is_total <- function(key) answer$grid$margins & as.character(x[[key]]) == answer$labels$total
  flag <- function(what) vapply(answer$cells, function(cell) cell[[what]], NA)
  list(rows = is_total(answer$keys[length(answer$keys)]), whole_rows = is_total(answer$keys[1]),
       columns = names(answer$cells)[flag("total")], whole = names(answer$cells)[flag("whole")],
       cells = names(answer$cells))
}

# Rows in another order ------------------------------------------------------------------------------------

# A crosstab with its rows in another order: of rows that are equal in it, those of the former order stay.
sort_crosstab <- function(x, order) {
  former <- answer_of(x)$inquiry$crosstab$order
  rearranged(x, list(order = c(order, former[setdiff(names(former), names(order))])))
}

pick_of_crosstab <- function(x, n, of, call = caller_env()) {
  answer <- answer_of(x)
  cells <- names(answer$cells)
  if (length(answer$keys) > 1 || answer$cut) {
    stop_because("argument",
                 if (answer$cut) "This crosstab was cut to some of its rows already." else
                   "The rows of this crosstab are grouped; picking the best overall would break up the groups.",
                 i = "Make a crosstab with a single column as `rows`, and pick only once.", call = call)
  }
  of <- of %||% c(intersect(crosstab_totals(x)$whole, cells), cells)[1]
  if (!rlang::is_string(of, cells) || !is.numeric(x[[of]])) {
    stop_because("measure", "`of` must name a column of numbers of the crosstab.",
                 i = sprintf("The choices are %s.", examples_of(cells, 10)), call = call)
  }
  rearranged(x, list(best = list(n = as.double(n), of = ids_of(answer, of))))
}

rearranged <- function(x, changed) {
  inquiry <- attr(x, "answer", exact = TRUE)$inquiry
  by_hand <- answer_of(x)$by_hand
  inquiry$crosstab[names(changed)] <- changed
  set_answer(arrange_crosstab(x, changed), inquiry = inquiry, by_hand = by_hand)
}

# The order and the pick that a crosstab was given, by the first names of its columns. Totals stay where they stand.
arrange_crosstab <- function(x, how) {
  if (!is.null(how$order)) x <- quietly(x[crosstab_order(x, how$order), ])
  if (!is.null(how$best)) x <- quietly(x[best_of_crosstab(x, how$best$n, how$best$of), ])
  set_answer(x, by_hand = FALSE)
}

crosstab_order <- function(x, order) {
  answer <- answer_of(x)
  data <- as_tibble.hinterfeld_crosstab(x)
  keys <- unname(Map(sort_places, data[names_of(answer, names(order))], order))
  do.call(ordered_rows, c(group_places(data, answer, keys), keys))
}

# The rows with the highest values, all that tie for the last place among them, and the totals.
best_of_crosstab <- function(x, n, of) {
  totals <- crosstab_totals(x)$rows
  values <- replace(as.double(x[[names_of(answer_of(x), of)]]), totals, NA)
  rank <- rank(-values, ties.method = "min", na.last = "keep")
  which(totals | (!is.na(rank) & rank <= n))
}
