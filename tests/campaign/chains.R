# Random chains: conditions, a table of totals, then steps, cuts and renamings. A move is plain data: the call that
# makes it in R, and what SQLite is to be asked.

# Conditions -----------------------------------------------------------------------------------------------

random_condition <- function(made) {
  text <- pick(c("region", "place", "product"))
  values <- unique(c(some(look_alikes, 1), some(trimws(made$lines[[text]][!is.na(made$lines[[text]])]), 2)))
  values <- values[nzchar(values)]
  day <- sample(made$lines$day, 1)
  sqled <- function(x) paste(sprintf("'%s'", gsub("'", "''", x, fixed = TRUE)), collapse = ", ")
  name <- as.symbol(text)
  one <- list(
    function() list(r = bquote(.(name) == .(values[1])), sql = sprintf("%s = %s", text, sqled(values[1]))),
    function() list(r = bquote(.(name) != .(values[1])), sql = sprintf("%s <> %s", text, sqled(values[1]))),
    function() list(r = bquote(.(name) %in% .(values)), sql = sprintf("coalesce(%s IN (%s), 0)", text, sqled(values))),
    function() list(r = bquote(is.na(.(name))), sql = sprintf("%s IS NULL", text)),
    function() list(r = quote(units > 2), sql = "pieces > 2"),
    function() list(r = quote(revenue >= 0), sql = "revenue >= 0"),
    function() list(r = quote(shelf < 10), sql = "shelf < 10"),
    function() list(r = bquote(day >= as.Date(.(format(day)))), sql = sprintf("day >= '%s'", day),
                    days = function(x) x >= day),
    function() list(r = bquote(day < as.Date(.(format(day)))), sql = sprintf("day < '%s'", day),
                    days = function(x) x < day),
    # Whole periods.
    function() list(r = bquote(year(day) == .(year_of(day))), sql = sprintf("substr(day, 1, 4) = '%d'", year_of(day)),
                    days = function(x) year_of(x) == year_of(day)),
    function() list(r = bquote(month(day) %in% .(month_of(day))),
                    sql = sprintf("substr(day, 6, 2) = '%02d'", month_of(day)),
                    days = function(x) month_of(x) == month_of(day))
  )
  a <- pick(one)()
  if (chance(0.6)) {
    return(a)
  }
  b <- pick(one)()
  and <- chance(0.5)
  days <- if (and) {
    if (is.null(a$days)) b$days else if (is.null(b$days)) a$days else function(x) a$days(x) & b$days(x)
  } else if (!is.null(a$days) && !is.null(b$days)) {
    function(x) a$days(x) | b$days(x)
  }
  # Of "neither a nor b" each part speaks for itself: not a, and not b.
  apart <- if (!and) Filter(Negate(is.null), list(a$days, b$days))
  list(r = call(if (and) "&" else "|", a$r, b$r),
       sql = sprintf("((%s) %s (%s))", a$sql, if (and) "AND" else "OR", b$sql), days = days,
       neither = if (length(apart)) function(x) Reduce(`|`, lapply(apart, function(f) f(x))))
}

year_of <- function(day) as.POSIXlt(day)$year + 1900L
month_of <- function(day) as.POSIXlt(day)$mon + 1L

random_restriction <- function(made) {
  condition <- random_condition(made)
  keep <- chance(0.6)
  # Days for which an "and" with another column does not hold are not days without lines.
  both <- rlang::is_call(condition$r, "&")
  days <- if (keep) condition$days else if (both &&
                                            !all(all.vars(condition$r) == "day")) NULL else condition$neither %||%
                                            condition$days
  list(kind = if (keep) "keep" else "leave_out",
       call = as.call(list(as.symbol(if (keep) "keep_lines" else "leave_out"), quote(book), condition$r)),
       sql = condition$sql, days = if (!is.null(days)) if (keep) days else function(x) !days(x))
}

# Measures -------------------------------------------------------------------------------------------------

# What SQLite is asked for: `x` in whole numbers with `scale` decimals, over lines, or over totals per `per`.
random_measure <- function(made) {
  d <- made$decimals
  columns <- list(
    revenue = list(r = quote(revenue), sql = "revenue", scale = d),
    units = list(r = quote(units), sql = "pieces", scale = 0),
    cost = list(r = quote(cost), sql = "cost_whole", scale = made$places$cost),
    profit = list(r = quote(revenue - units * cost), scale = max(d, made$places$cost), sql = sprintf(
      "(revenue * %d - pieces * cost_whole * %d)", 10^max(0, made$places$cost - d), 10^max(0, d - made$places$cost)
    ))
  )
  x <- pick(columns[c("revenue", "revenue", "units", "cost", "profit")])
  kind <- pick(c("sum", "sum", "sum", "lines", "distinct", "mean", "median", "smallest", "largest", "ratio"))
  to <- pick(columns)
  per <- if (kind %in% c("mean", "median", "smallest", "largest") &&
             chance(0.5)) pick(c("day", "order", "product", "month"))
  where <- if (chance(0.25)) random_condition(made)
  margin <- if (kind %in% c("distinct", "smallest", "largest") && chance(0.4)) "add_up" else "recompute"
  incomplete <- !is.null(per) && chance(0.3)
  counted <- pick(c("order", "product", "region", "shelf"))
  taken <- if (kind == "distinct") as.symbol(counted) else if (kind != "lines") x$r
  r <- as.call(c(
    as.symbol(c(sum = "sum_of", lines = "count_lines", distinct = "count_distinct", mean = "mean_of",
                median = "median_of", smallest = "smallest_of",
                largest = "largest_of", ratio = "ratio_of")[[kind]]),
    taken, if (kind == "ratio") list(to = to$r), if (!is.null(per)) list(per = per),
    if (!is.null(where)) list(where = where$r),
    if (margin == "add_up") list(margin = margin), if (incomplete) list(incomplete = "count")
  ))
  list(r = r, kind = kind, per = if (identical(per, "order")) "order_" else per, where = where$sql, margin = margin,
       incomplete = incomplete,
       x = if (kind == "distinct") sub("^order$", "order_", counted) else x$sql,
       y = if (kind == "ratio") to$sql,
       scale = if (kind %in% c("lines", "distinct")) 0 else x$scale - if (kind == "ratio") to$scale else 0)
}

sums_up <- function(m) m$kind %in% c("sum", "lines") || m$margin == "add_up"

# Tables and steps -----------------------------------------------------------------------------------------

random_totals <- function(made) {
  by <- sample(c("product", "region", "place", "shelf", "order"), sample(0:3, 1, prob = c(1, 3, 4, 2)),
               prob = c(4, 4, 3, 1, 1))
  every <- pick(list(NULL, "day", "week", "month", "quarter", "year", "weekday", "month_of_year", "quarter_of_year"))
  named <- sample(c("m1", "revenue", "a b", "m_rank"), sample(3, 1))
  measures <- lapply(stats::setNames(nm = named), function(name) random_measure(made))
  split <- c(every, by)
  subtotals <- if (length(split) && chance(0.5)) if (chance(0.6)) TRUE else some(c(split, "Total"), 2)
  fill <- chance(0.15)
  r <- rlang::expr(totals(book, by = !!by, every = !!every,
                          measures = !!as.call(c(quote(list), lapply(measures, function(m) m$r))),
                          subtotals = !!subtotals, fill = !!fill))
  list(kind = "totals", call = r, by = by, every = every, measures = measures, subtotals = subtotals, fill = fill)
}

# What the generator knows of the table so far.
shape_of <- function(move, days) {
  list(by = move$by, every = move$every, measures = move$measures, columns = names(move$measures), ranked = character(),
       days = days)
}

steps_for <- function(shape) {
  sums <- names(Filter(sums_up, shape$measures))
  days <- !is.null(shape$every) && !shape$every %in% recurring_names
  within <- function() some(c(shape$every, shape$by), sample(0:2, 1))
  name <- function() paste0("x", length(shape$columns))
  of <- function() pick(names(shape$measures))
  scales <- function(of) shape$measures[[of]]$kind %in% c("sum", "lines", "distinct")
  ties <- function() pick(c("standard", "dense", "ordinal", "modified", "fractional"))
  taken <- function(kind, call, ...) list(kind = kind, call = call, ...)
  steps <- list(
    rank = function() {
      p <- list(of = of(), within = within(), ties = ties(), highest = chance(0.7), name = name())
      taken("rank", rlang::expr(add_rank(t, !!p$of, !!p$within, ties = !!p$ties, highest_first = !!p$highest,
                                         name = !!p$name)), p = p)
    },
    share = if (length(sums)) function() {
      p <- list(of = pick(sums), within = within(), name = name())
      taken("share", rlang::expr(add_share(t, !!p$of, !!p$within, name = !!p$name)), p = p)
    },
    pareto = if (length(sums)) function() {
      p <- list(of = pick(sums), within = within(), name = name())
      taken("pareto", rlang::expr(add_pareto(t, !!p$of, !!p$within, name = !!p$name)), p = p)
    },
    running = if (length(sums) && !is.null(shape$every)) function() {
      longer <- if (days) list(day = c("month", "year"), week = "year", month = c("quarter", "year"),
                               quarter = "year")[[shape$every]]
      p <- list(of = pick(sums), restart = if (length(longer) && chance(0.5)) pick(longer), name = name())
      taken("running", rlang::expr(add_running_total(t, !!p$of, restart = !!p$restart, name = !!p$name)), p = p)
    },
    moving = if (length(sums) && !is.null(shape$every)) function() {
      p <- list(of = pick(sums), last = sample(1:4, 1), what = pick(c("sum", "mean")), name = name())
      taken("moving", rlang::expr(add_moving(t, !!p$of, last = !!p$last, what = !!p$what, name = !!p$name)), p = p)
    },
    change = if (days) function() {
      versus <- pick(c("year_before", "period_before"))
      p <- list(of = of(), versus = versus, align = if (versus == "year_before") pick(c("date", "weekday")) else "date",
                like = chance(0.8), name = name())
      p$open <- scales(p$of) && chance(0.3)
      taken("change", rlang::expr(add_change(t, !!p$of, versus = !!p$versus, align = !!p$align,
                                             like_for_like = !!p$like, per_open_day = !!p$open, name = !!p$name)),
            p = p)
    },
    named = if (is.null(shape$every)) function() {
      p <- c(list(of = of(), like = chance(0.8), name = name()), random_periods(shape$days))
      p$open <- scales(p$of) && chance(0.3)
      named <- list(now = p$now, then = p$then)
      asked <- as.call(c(quote(list), lapply(named, function(days) bquote(as.Date(.(format(days)))))))
      taken("named", rlang::expr(add_change(t, !!p$of, periods = !!asked, like_for_like = !!p$like,
                                            per_open_day = !!p$open, name = !!p$name)), p = p)
    },
    sorted = function() {
      columns <- some(c(shape$every, shape$by, names(shape$measures)), 2)
      down <- stats::runif(length(columns)) < 0.5
      keys <- Map(function(name, down) if (down) call("down", as.symbol(name)) else as.symbol(name), columns, down)
      taken("sorted", rlang::expr(sort_rows(t, !!!unname(keys))), columns = columns, down = down)
    },
    best = function() {
      p <- list(of = of(), n = sample(1:4, 1), within = within(), ties = ties(), best = chance(0.7))
      verb <- if (p$best) quote(best_sellers) else quote(slow_sellers)
      taken("best", rlang::expr((!!verb)(t, !!p$n, of = !!p$of, within = !!p$within, ties = !!p$ties)), p = p)
    }
  )
  Filter(Negate(is.null), steps)
}

# Two periods near the days of the lines: years, months that begin alike, or any.
random_periods <- function(days) {
  at <- days[1] + sample(0:max(1, as.integer(diff(days))), 1)
  start <- as.Date(format(at, pick(c("%Y-01-01", "%Y-%m-01", "%Y-%m-%d"))))
  long <- pick(c(5, 30, 89, 365))
  then <- start - sample(1:400, 1)
  # The same date a year or two before; 29 February has none.
  same <- as.Date(sprintf("%d-%s", year_of(start) - sample(2, 1), format(start, "%m-%d")), optional = TRUE)
  if (!is.na(same) && chance(0.6)) then <- same
  list(now = start + c(0, long), then = then + c(0, pick(c(long, 30))))
}

# Verbs that users apply, base R's and dplyr's; `rows` tells which rows stay, in their order.
verbs_for <- function(shape) {
  first <- names(shape$measures)[1]
  column <- as.symbol(first)
  key <- pick(c(shape$by, NA))
  keep <- function(call, rows) list(kind = "cut", call = call, rows = rows)
  Filter(Negate(is.null), list(
    head = function() keep(quote(utils::head(t, 3)), function(t) utils::head(seq_len(nrow(t)), 3)),
    above = function() keep(bquote(t[which(t[[.(first)]] > 0), ]), function(t) which(t[[first]] > 0)),
    reverse = function() keep(quote(t[rev(seq_len(nrow(t))), ]), function(t) rev(seq_len(nrow(t)))),
    filter = function() keep(bquote(dplyr::filter(t, .(column) > 0)), function(t) which(t[[first]] > 0)),
    slice = function() keep(quote(dplyr::slice(t, 2:4)), function(t) intersect(2:4, seq_len(nrow(t)))),
    arrange = function() keep(bquote(dplyr::arrange(t, .(column))), function(t) order(t[[first]], na.last = TRUE)),
    rename = if (!is.na(key) && !"moved" %in% c(shape$by, shape$columns)) function() {
      list(kind = "rename", from = key, to = "moved", call = if (chance(0.5)) {
        bquote(dplyr::rename(t, moved = .(as.symbol(key))))
      } else {
        bquote(stats::setNames(t, replace(names(t), names(t) == .(key), "moved")))
      })
    },
    note = function() list(kind = "note", call = quote(dplyr::mutate(t, note = "mine"))),
    twice = function() list(kind = "plain", call = quote(dplyr::bind_rows(t, t)), never = nonempty),
    double = function() list(kind = "plain", call = bquote(dplyr::mutate(t, !!.(first) := 2 * .(column) + 1)),
                             never = any_number(first))
  ))
}

# Verbs after which a table is not an answer any more; of an empty table nothing changes.
nonempty <- function(t) nrow(t) > 0
any_number <- function(name) function(t) any(!is.na(t[[name]]))

random_ending <- function(shape, made) {
  split <- c(shape$every, shape$by)
  two <- if (length(split) > 1) sample(split, 2)
  pick(Filter(Negate(is.null), list(
    NULL, function() list(kind = "reconcile", call = quote(reconcile(t))),
    if (length(two)) function() {
      p <- list(rows = two[1], columns = two[2], of = pick(names(shape$measures)), margins = chance(0.7),
                empty = pick(c("blank", "zero")))
      list(kind = "crosstab", p = p, call = rlang::expr(crosstab(t, !!p$rows, !!p$columns, of = !!p$of,
                                                                 margins = !!p$margins, empty = !!p$empty)))
    },
    function() {
      ending <- pick(c("csv", "tsv", "json", "parquet", "xlsx", "md"))
      list(kind = "deliver", call = rlang::expr(deliver(t, !!paste0("table.", ending))), ending = ending)
    },
    function() list(kind = "words", call = quote(in_words(t)))
  )))
}

random_chain <- function(made) {
  chain <- if (chance(0.4)) list(random_restriction(made))
  if (chance(0.15)) chain <- c(chain, list(random_restriction(made)))
  start <- random_totals(made)
  shape <- shape_of(start, range(made$lines$day))
  chain <- c(chain, list(start))
  for (i in seq_len(sample(0:4, 1))) {
    move <- if (chance(0.7)) pick(steps_for(shape))() else pick(verbs_for(shape))()
    chain <- c(chain, list(move))
    if (move$kind == "plain") {
      return(chain)
    }
    if (!is.null(move$p$name)) shape$columns <- c(shape$columns, move$p$name)
    if (move$kind == "rename") shape$by[shape$by == move$from] <- move$to
  }
  ending <- random_ending(shape, made)
  c(chain, if (!is.null(ending)) list(ending()))
}
