#' Tallies: totals that can be merged and saved
#'
#' A tally holds the totals of some lines in a form that can be asked like a daybook, and merged with other tallies:
#' that of the next chunk of a file too large for memory, last month's saved on disk, or one from another machine. The
#' order and size of the chunks do not matter: merged tallies equal the tally of all their lines, to the last minor
#' unit.
#'
#' A tally can be asked for its columns, its period and longer ones made from it, and its measures; every tally also has
#' revenue and the number of lines. [keep_lines()] and [leave_out()] restrict it by its columns. Anything else is an
#' error that says what the tally holds.
#'
#' @param book A daybook made by [daybook()]; a tally, to make a coarser one with fewer columns, longer periods or fewer
#'   measures; or the path of lines, as in [load_table()], which are read, made into a daybook and tallied chunk by
#'   chunk, however many there are.
#' @param by,measures As in [totals()].
#' @param every Text: the period it keeps, `"day"`, `"week"`, `"month"`, `"quarter"` or `"year"`; `NULL` for none. With
#'   `"day"`, changes, running totals and moving sums are the same as from the lines. For a tally, the default is its
#'   own period.
#' @param a,b Tallies of the same columns, period, measures, calendar and currency. Their decimals may differ.
#' @return A tally. Its [audit()] is that of its lines; where tallies are merged, steps of the same name are added up;
#'   what tallies of the same lines have in common counts once.
#' @section Errors: `hinterfeld_error_argument` for what is not a tally, a recurring period, or tallies that do not go
#'   together or hold the same lines twice, `hinterfeld_error_facts` for what a tally does not hold, and for a median
#'   whose distinct values would be more than half the lines, `hinterfeld_error_overflow` for a total that cannot be
#'   exact, and the errors of [totals()].
#' @seealso [save_tally()] to keep one in a file.
#' @export
#' @examples
#' book <- demo_daybook()
#' early <- tally_of(keep_lines(book, day < as.Date("2025-01-01")), by = category)
#' late <- tally_of(keep_lines(book, day >= as.Date("2025-01-01")), by = category)
#' both <- merge_tallies(early, late)
#' totals(both, by = category, every = "year")
#' audit(both)
#' tally_of(both, every = "year")
#' lines <- demo_files()[["order_lines"]]
#' tally_of(lines, by = product, columns = c(order_id, product_id, quantity, unit_price), every = NULL,
#'   make = function(lines) {
#'     orders <- load_table(demo_files()[["orders"]], c(order_id, order_day))
#'     lines <- attach_table(lines, orders, by = order_id, need = "any")
#'     daybook(lines, order_day, quantity * unit_price, product_id, on_bad = "set_aside")
#'   })
tally_of <- function(book, ...) {
  UseMethod("tally_of")
}

#' @export
tally_of.default <- function(book, ...) {
  check_daybook(book)
}

#' @rdname tally_of
#' @export
tally_of.hinterfeld_daybook <- function(book, by = NULL, measures = "revenue", every = "day", ...) {
  rlang::check_dots_empty()
  check_kept_grain(every)
  measures <- measures_given(enquo(measures), book)
  by <- setdiff(pick_columns(enquo(by), names(book$columns), "by"), every)
  measures <- held_sums(line_measures(measures, book))
  check_table_names(by, every, names(measures), NULL)
  keys <- facts_keys(book, by, every)
  # Revenue and lines come first, for the audit and for whoever asks for them.
  plain <- Filter(Negate(is_staged), measures)
  amounts <- lapply(plain, measure_amount)
  first <- lapply(list(.revenue = new_amount("sum", book$columns$revenue), .lines = new_amount("count")),
                  amount_of_lines, times = book$grouped$times)
  main <- tally_rowset(book$lines, keys, c(every, by), c(first, amounts))
  staged <- Filter(is_staged, measures)
  rowsets <- c(list(main), unname(Map(function(m, name) {
    rowset <- tally_rowset(book$lines, c(keys, list(stage_of(m))), c(every, by, stage_column),
                       stats::setNames(list(stage_amount(m)), name))
    check_median_size(m, rowset, book$lines)
    rowset
  }, staged, names(staged))))
  about <- unclass(book)
  about$made_of <- part_of_lines(about$made_of, book$trail[c("what", "why", "lines_after")])
  new_tally(every, by, lapply(measures, about_measure), rowsets, about)
}

check_kept_grain <- function(every, call = caller_env()) {
  check_choice(every, "every", names(grain_kinds), none = TRUE, call = call)
  if (is_recurring(every)) {
    stop_because("argument", sprintf("A tally cannot be kept per %s, a recurring period.", every),
                 i = "Tally by day or month, and total later.", call = call)
  }
}

stage_column <- ".stage"

# every, by  what it keeps
# measures   by name: what about_measure() tells
# parts groups: `columns` as a daybook has them, `lines` how many groups, `amounts` each with values and the number of
#            lines that it took, as 64-bit integers that only compiled code reads
new_tally <- function(every, by, measures, rowsets, about) {
  counted_tally(structure(c(
    list(every = every, by = by, measures = measures, rowsets = rowsets),
    about[c("made_of", "span", "out", "early", "coverage", "calendar", "currency", "trail")],
    list(decimals = about$decimals["revenue"], rounding = about$rounding, orders = about$orders,
         alike = about$alike)
  ), class = "hinterfeld_tally"))
}

# Of a ratio a tally holds the two sums.
held_sums <- function(measures) {
  held <- Filter(Negate(is_ratio), measures)
  for (sum in unlist(lapply(Filter(is_ratio, measures), function(m) m$sums), recursive = FALSE)) {
    same <- vapply(held, function(m) identical(m$spec, sum$spec), NA)
    name <- make_distinct(sum$label, c(names(measures), names(held)), ", total")
    if (!any(same)) held[[name]] <- sum
  }
  held
}

# What a tally remembers of a measure: enough to tell whether it is the one that is asked for.
about_measure <- function(m) {
  list(spec = m$spec, counts = m$counts, label = m$label)
}

# A median of lines keeps every distinct value; if nearly all are distinct, it would keep the lines themselves.
check_median_size <- function(m, rowset, lines, call = caller_env()) {
  if (identical(measure_kinds[[m$kind]]$staged, "value") && is.null(m$per) && rowset$lines > max(lines / 2, 1000)) {
    stop_because("facts",
                 sprintf("A tally with the median %s would have to keep %s distinct values of %s.", m$label,
                         group_digits(rowset$lines), count_of(lines, "line")),
                 i = "Take the median of totals per day or order, or ask the daybook.", call = call)
  }
}

# Groups of lines, or of groups of lines, by keys whose columns get these names.
tally_rowset <- function(lines, keys, names, amounts) {
  amounts <- lapply(amounts, function(amount) replace(amount, "counts", list(TRUE)))
  narrow <- narrow_keys(keys)
  result <- tally_kernel(lines, kernel_keys(narrow), kernel_amounts(amounts), TRUE, threads_wanted())
  if (isTRUE(result$overflow)) stop_overflow("a measure", NULL)
  codes <- widen_codes(result$codes, narrow)
  columns <- stats::setNames(Map(key_column, keys, codes), names)
  held <- Map(function(amount, values, counted) list(kind = amount$kind, values = values, counted = counted),
              amounts, result$values, result$counted)
  list(columns = columns, lines = length(result$counted[[1]]), amounts = held)
}

# The codes of groups as a column: text as a factor, everything else as the values that it was.
key_column <- function(key, codes) {
  codes <- replace(codes, codes == 0L, NA)
  if (is.character(key$labels)) factor_of(codes, key$labels) else key$labels[codes]
}

check_tally <- function(x, name, call = caller_env()) {
  check_made(inherits(x, "hinterfeld_tally"), x, name, "a tally", "Make one with `tally_of()`.", call)
}

# As facts ---------------------------------------------------------------------------------------------------

#' @export
rowsets_of.hinterfeld_tally <- function(facts) {
  facts$rowsets
}

#' @export
take_rowsets.hinterfeld_tally <- function(facts, rows) {
  facts$rowsets <- Map(function(rowset, rows) {
    rowset$columns <- take_rows(rowset$columns, rows)
    rowset$amounts <- lapply(rowset$amounts, function(amount) {
      amount[c("values", "counted")] <- take_rows(amount[c("values", "counted")], rows)
      amount
    })
    rowset$lines <- length(rows)
    rowset
  }, facts$rowsets, rows)
  counted_tally(facts)
}

counted_tally <- function(tally) {
  tally$lines <- lines_and_revenue(tally)[1]
  tally
}

#' @export
lines_and_revenue.hinterfeld_tally <- function(facts, rows = NULL) {
  amounts <- facts$rowsets[[1]]$amounts[c(".lines", ".revenue")]
  if (!is.null(rows)) {
    amounts <- lapply(amounts, function(amount) {
      replace(amount, c("values", "counted"), take_rows(unname(amount[c("values", "counted")]), rows))
    })
  }
  sums <- tally_lines(length(amounts[[1]]$values), list(), lapply(amounts, held_amount))
  vapply(sums$values, function(value) if (length(value)) value else 0, 0, USE.NAMES = FALSE)
}

held_amount <- function(amount) {
  replace(new_amount(amount$kind, amount$values), "lines", list(amount$counted))
}

#' @export
check_grain.hinterfeld_tally <- function(facts, every, call = caller_env()) {
  if (is.null(facts$every) || !derivable_from(every, facts$every, facts$calendar)) {
    stop_not_held(facts, sprintf("The tally cannot be split by %s.", grain_kinds[[every]]$name), call)
  }
}

#' @export
facts_measures.hinterfeld_tally <- function(facts, measures, call = caller_env()) {
  # A name means the tally's own measure of that name.
  if (is.character(measures)) measures <- as.list(measures)
  if (is.list(measures) && !inherits(measures, "hinterfeld_measure")) {
    bare <- rlang::names2(measures) == "" & vapply(measures, rlang::is_string, NA)
    names(measures) <- replace(rlang::names2(measures), bare, unlist(measures[bare]))
  }
  named_measures(measures, function(measure, call) held_measure(measure, facts, call), call)
}

# The measure of a tally that is asked for, by its name or by what it takes.
held_measure <- function(asked, tally, call) {
  if (!is.character(asked) && asked$kind == "ratio") {
    return(held_ratio(asked, tally, call))
  }
  held_measures <- c(tally$measures, standing_measures(tally))
  if (is.character(asked)) {
    name <- asked
  } else {
    spec <- tally_spec(asked, tally, call)
    name <- names(Filter(function(held) takes_the_same(held$spec, spec), held_measures))[1]
  }
  if (is.na(name) || !name %in% names(held_measures)) {
    what <- if (is.character(asked)) sprintf("`%s`", asked) else measure_words(spec)
    stop_not_held(tally, sprintf("The tally does not hold %s.", what), call)
  }
  taken_measure(held_measures[[name]], name, if (is.character(asked)) held_measures[[name]]$spec else spec, tally)
}

held_ratio <- function(asked, tally, call) {
  sums <- lapply(ratio_sums(asked), held_measure, tally = tally, call = call)
  m <- list(kind = "ratio", margin = "recompute", sums = sums, decimals = c(sums$x$decimals, sums$to$decimals),
            counts = ratio_counts(sums$x$counts, sums$to$counts), label = ratio_label(sums))
  m$spec <- replace(tally_spec(asked, tally, call), "decimals", list(m$decimals))
  c(m, m$spec["where"])
}

# Every tally has these.
standing_measures <- function(tally) {
  revenue <- list(kind = "sum", x = "revenue", to = NULL, per = NULL, where = NULL, incomplete = "leave_out",
                  margin = "recompute", decimals = tally$decimals[["revenue"]], language = TRUE)
  lines <- replace(revenue, c("kind", "x", "decimals"), list("lines", NULL, 0L))
  list(revenue = list(spec = revenue, counts = "money", label = "revenue", at = ".revenue"),
       lines = list(spec = lines, counts = "lines", label = NULL, at = ".lines"))
}

# What is asked for, as plain data. The columns that it is taken of may be none of the tally's any more.
tally_spec <- function(asked, tally, call) {
  columns <- unique(c("revenue", unlist(lapply(tally$measures, function(m) all.vars(m$spec$x))),
                    unlist(lapply(tally$measures,
                                  function(m) c(m$spec$x[is.character(m$spec$x)], m$spec$per, all.vars(m$spec$where)))),
                    tally$by, tally$every))
  per <- rlang::quo_get_expr(asked$per)
  m <- list(kind = asked$kind, margin = asked$margin, decimals = asked$decimals,
            per = if (!is.null(per)) as.character(per))
  if (measure_kinds[[asked$kind]]$takes == "column") m$label <- expression_text(rlang::quo_get_expr(asked$x))
  bare <- rlang::quo_get_expr(asked$x)
  columns <- union(columns, if (is.symbol(bare)) as.character(bare))
  tryCatch(plain_measure(asked, m, columns, call), error = function(cnd) {
    if (inherits(cnd, "hinterfeld_error")) rlang::cnd_signal(cnd)
    # The expression uses a name that is neither a column of the tally nor a variable.
    stop_not_held(tally, sprintf("The tally does not hold `%s`: %s.", expression_text(asked$x),
                                 conditionMessage(cnd)), call)
  })
}

# Do two measures take the same of the lines? Sum and mean are told from one amount.
takes_the_same <- function(held, asked) {
  what <- function(m) {
    c(list(if (m$kind == "mean" && is.null(m$per)) "sum" else m$kind),
      lapply(m[c("x", "per", "where", "incomplete")], without_parentheses))
  }
  identical(what(held), what(asked))
}

taken_measure <- function(held, name, spec, tally) {
  spec$decimals <- held$spec$decimals
  m <- c(list(kind = spec$kind, margin = spec$margin, label = held$label, per = spec$per,
              incomplete = spec$incomplete, decimals = held$spec$decimals,
              counts = held$counts, spec = spec), list(where = spec$where))
  staged <- names(Filter(is_staged_spec, tally$measures))
  m$rowset <- if (is_staged_spec(held)) match(name, staged) + 1L else 1L
  rowset <- tally$rowsets[[m$rowset]]
  amount <- rowset$amounts[[held$at %||% name]]
  m$tallied <- list(amount$values, amount$counted)
  if (m$rowset > 1) m$stage <- key_of_column(NULL, rowset$columns[[stage_column]])
  m
}

is_staged_spec <- function(held) {
  is_staged(held$spec)
}

stop_not_held <- function(tally, problem, call) {
  stop_because("facts", problem,
               i = sprintf("It holds %s%s.", and_list(unique(c(names(tally$measures), "revenue", "lines"))),
                           paste(c("", if (!is.null(tally$every)) paste("per", tally$every),
                                   if (length(tally$by)) paste("by", and_list(tally$by))), collapse = " ")),
               i = "Ask the daybook, or make a tally of what is needed.", call = call)
}

# Merging ----------------------------------------------------------------------------------------------------

#' @rdname tally_of
#' @export
merge_tallies <- function(a, b) {
  check_tally(a, "a")
  check_tally(b, "b")
  call <- rlang::current_env()
  joined_tallies(a, b, both_audits(a, b, call), call)
}

# The same of parts that are surely different ones, such as chunks of a file.
joined_tallies <- function(a, b, audits = added_audits(a, b), call = caller_env()) {
  measures <- Map(merged_measure, a$measures, b$measures[names(a$measures)])
  same <- c(
    every = identical(a$every, b$every), by = identical(a$by, b$by),
    measures = identical(names(a$measures), names(b$measures)) && !any(vapply(measures, is.null, NA)),
    calendar = identical(a$calendar, b$calendar), currency = identical(a$currency, b$currency)
  )
  if (!all(same)) {
    stop_because("argument", "These tallies cannot be merged.",
                 x = sprintf("They differ in %s.", and_list(names(same)[!same])),
                 i = "Make both of daybooks with the same calendar and currency, `by`, `every` and `measures`.",
                 call = call)
  }
  decimals <- max(a$decimals, b$decimals)
  a <- widened_tally(a, measures, decimals)
  b <- widened_tally(b, measures, decimals)
  names <- c(a$every, a$by)
  rowsets <- Map(merge_rowsets, a$rowsets, b$rowsets)
  about <- list(made_of = union(a$made_of, b$made_of), calendar = a$calendar, currency = a$currency,
                alike = unique(c(a$alike, b$alike)), decimals = c(revenue = decimals), rounding = a$rounding)
  about <- with_coverage(c(about, audits), merge_coverage(a$coverage, b$coverage))
  new_tally(a$every, a$by, measures, rowsets, about)
}

# The trail and the orders of both. What two parts of the same lines did before they parted counts once, and what each
# kept since is one step.
both_audits <- function(a, b, call) {
  lines <- lapply(list(a$made_of, b$made_of), function(parts) unique(sub("/.*", "", parts)))
  if (length(intersect(lines[[1]], lines[[2]])) == 0) {
    return(added_audits(a, b))
  }
  twice <- function(x) stop_because("argument", "These tallies hold the same lines twice.", x = x,
                                    i = "Merge tallies of different lines, each once.", call = call)
  if (!setequal(lines[[1]], lines[[2]])) twice("Some of the parts that they were merged of are in both.")
  shared <- shared_steps(a$trail, b$trail)
  if (shared == nrow(a$trail) || shared == nrow(b$trail)) twice("One holds all lines that the other has.")
  if (length(intersect(a$made_of, b$made_of))) twice("The same part is in both.")
  a <- parted_at(a, shared)
  b <- parted_at(b, shared)
  last <- shared + 1L
  trail <- a$trail
  sums <- c("lines_after", "revenue_after")
  trail[last, sums] <- trail[last, sums] + b$trail[last, sums]
  trail$why[last] <- paste(trail$why[last], "or", b$trail$why[last])
  if (trail$lines_after[last] > trail$lines_before[last]) {
    twice(sprintf("Of %s, they hold %s.", count_of(trail$lines_before[last], "line"),
                  group_digits(trail$lines_after[last])))
  }
  steps <- list(first = seq_len(last), second = seq_len(last))
  list(trail = trail, orders = merge_orders(a$orders, b$orders, steps))
}

# Steps of different lines are added up.
added_audits <- function(a, b) {
  together <- steps_together(a$trail, b$trail)
  list(trail = merge_trails(a$trail, b$trail, together), orders = merge_orders(a$orders, b$orders, together))
}

# Lines, and which part of them is left after some steps.
part_of_lines <- function(made_of, steps) {
  paste0(made_of, "/", rlang::hash(as.list(steps)))
}

# How many steps two trails begin with in common.
shared_steps <- function(a, b) {
  n <- min(nrow(a), nrow(b))
  own <- c("what", "why", "lines_before", "lines_after", "revenue_before", "revenue_after")
  same <- Reduce(`&`, Map(function(x, y) x == y | is.na(x) & is.na(y), a[seq_len(n), own], b[seq_len(n), own]))
  sum(cumprod(same %in% TRUE))
}

# A tally whose steps after the shared ones are one.
parted_at <- function(tally, shared) {
  trail <- tally$trail
  n <- nrow(trail)
  rest <- trail[seq_len(n) > shared & trail$what %in% c("keep", "leave out"), ]
  why <- ifelse(rest$what == "keep", rest$why, paste("not", rest$why))
  step <- new_trail("keep", paste(why, collapse = " and "), trail$lines_before[shared + 1L], trail$lines_after[n],
                   trail$revenue_before[shared + 1L], trail$revenue_after[n], trail$decimals[n])
  tally$trail <- add_steps(trail[seq_len(shared), ], step)
  if (!is.null(tally$orders)) {
    reached <- tally$orders$reached
    tally$orders$reached <- ifelse(reached == n, shared + 1L, pmin(reached, shared))
    tally$orders$steps <- shared + 1L
  }
  tally
}

# One measure of two tallies, with the larger of their decimals; NULL where they are two.
merged_measure <- function(a, b) {
  decimals <- max(a$spec$decimals, b$spec$decimals)
  a$spec$decimals <- b$spec$decimals <- decimals
  alike <- function(m) replace(m, "spec", list(lapply(m$spec, without_parentheses)))
  if (identical(alike(a), alike(b))) a
}

# Amounts in minor units of more decimals.
widened_tally <- function(tally, measures, decimals) {
  staged <- Filter(is_staged_spec, tally$measures)
  widen <- function(rowset, name, by) {
    rowset$amounts[[name]]$values <- widened_amount(rowset$amounts[[name]], by)
    rowset
  }
  more <- function(name) measures[[name]]$spec$decimals - tally$measures[[name]]$spec$decimals
  tally$rowsets[[1]] <- widen(tally$rowsets[[1]], ".revenue", decimals - tally$decimals[["revenue"]])
  for (name in setdiff(names(tally$measures),
                       names(staged))) tally$rowsets[[1]] <- widen(tally$rowsets[[1]], name, more(name))
  for (i in seq_along(staged)) {
    name <- names(staged)[i]
    rowset <- widen(tally$rowsets[[i + 1]], name, more(name))
    by_value <- identical(measure_kinds[[staged[[i]]$spec$kind]]$staged, "value") && is.null(staged[[i]]$spec$per)
    if (by_value) rowset$columns[[stage_column]] <- rowset$columns[[stage_column]] * 10^more(name)
    tally$rowsets[[i + 1]] <- rowset
  }
  tally
}

widened_amount <- function(amount, by) {
  if (by == 0 || amount$kind == "count") {
    return(amount$values)
  }
  widened <- widen_kernel(amount$values, 10^by)
  if (is.null(widened)) stop_overflow("a measure", NULL)
  widened
}

# The groups of both, and those that are one group tallied together.
merge_rowsets <- function(a, b) {
  names <- names(a$columns)
  columns <- Map(merge_columns, a$columns, b$columns)
  keys <- unname(Map(key_of_column, names, columns))
  amounts <- Map(function(of_a, of_b) {
    held_amount(list(kind = of_a$kind, values = c(of_a$values, of_b$values), counted = c(of_a$counted, of_b$counted)))
  }, a$amounts, b$amounts)
  tally_rowset(a$lines + b$lines, keys, names, amounts)
}

merge_columns <- function(a, b) {
  if (!is_coded(a)) {
    return(if (inherits(a, "Date")) plain_days(c(as.double(a), as.double(b))) else c(a, b))
  }
  labels <- unique(c(levels(a), levels(b)))
  now <- function(x) recode_kernel(x, match(levels(x), labels), NA_integer_, threads_wanted())
  factor_of(c(now(a), now(b)), labels)
}
