# The sections of the report: what each one computes and shows. A section is its id, its heading and its blocks; the
# page comes later.

report_sections <- list(
  findings = function(context) findings_section(context), headline = function(context) headline_section(context),
  trend = function(context) trend_section(context), change = function(context) change_section(context),
  causes = function(context) causes_section(context), targets = function(context) targets_section(context),
  best_sellers = function(context) best_sellers_section(context),
  pareto = function(context) pareto_section(context), running = function(context) running_section(context),
  crosstab = function(context) crosstab_section(context), weekdays = function(context) weekdays_section(context),
  unsold = function(context) unsold_section(context), left_out = function(context) left_out_section(context),
  checks = function(context) new_section("checks", "Does everything add up?"),
  methods = function(context) new_section("methods", "How each number is computed"),
  times = function(context) times_section(context)
)

# Those that a report has when none are asked for: how long it took is not part of what it tells.
usual_sections <- function() {
  setdiff(names(report_sections), "times")
}

new_section <- function(id, heading, ...) {
  list(id = id, heading = heading, blocks = Filter(Negate(is.null), list(...)))
}

table_block <- function(name, table, title = NULL) {
  list(kind = "table", name = name, table = table, title = title)
}

# A figure of a kind, or one that is made already; in place of one that cannot be drawn, why.
figure_block <- function(figure, ...) {
  tryCatch({
    if (is.character(figure)) figure <- made_figure(figure, ...)
    list(kind = "figure", figure = figure)
  }, hinterfeld_error_figure = function(cnd) text_block(rlang::cnd_header(cnd)))
}

text_block <- function(...) {
  list(kind = "text", text = c(...))
}

cards_block <- function(cards) {
  list(kind = "cards", cards = cards)
}

# What happened ------------------------------------------------------------------------------------------

# Each finding leads to the section that shows more of it.
findings_section <- function(context) {
  n <- context$findings %||% 7
  columns <- unlist(context$columns[c("category", "region", "place")])
  found <- context$found %||%
    if (n > 0) findings_of(context$book, n, by = unique(c("product", unname(columns))), lines = FALSE)
  if (is.null(found) || nrow(found) == 0) {
    return(NULL)
  }
  found <- utils::head(found, n)
  about <- listing_of(found)$details$compared
  new_section("findings", "What happened",
              list(kind = "findings", sentences = found$finding, to = unname(sections_of_findings[found$kind])),
              if (!is.null(about)) text_block(compared_sentence(about)))
}

sections_of_findings <- c(change = "causes", carrier = "change", share = "change", leader = "best_sellers",
                          month = "trend", day = "trend", gap = "trend", silent = "best_sellers", new = "best_sellers",
                          dependence = "pareto", spelling = "left_out")

# Headline ---------------------------------------------------------------------------------------------

headline_section <- function(context) {
  year <- headline_table(context$headline, "year", context$align)
  new_section("headline", "Headline numbers", cards_block(headline_cards(context$headline, year, context$align)),
              table_block("headline", year[headline_columns(year)], "The years, each against the year before"))
}

headline_cards <- function(facts, year = headline_table(facts, "year"), align = NULL) {
  month <- headline_table(facts, "month", align)
  measures <- names(answer_of(year)$measures)
  cards <- c(list(headline_card(year, "revenue")), list(headline_card(month, "revenue", "Revenue of the last month")),
             lapply(setdiff(measures, "revenue"), headline_card, t = year))
  # What was compared is said once.
  same <- duplicated(vapply(cards, function(card) card$against, ""))
  replace(cards, same, lapply(cards[same], replace, "against", ""))
}

headline_measures <- function() {
  list("revenue", units = "units", products_sold = count_distinct("product"), orders = count_distinct("order"),
       revenue_per_order = mean_of("revenue", per = "order"))
}

mean_of_a_day <- function() {
  mean_of("revenue", per = "day")
}

headline_table <- function(book, every, align = NULL) {
  measures <- Filter(function(measure) holds_measure(book, measure), headline_measures())
  t <- totals(book, every = every, measures = measures)
  compared(t, align, names(answer_of(t)$measures))
}

# Against the year before, by date unless the report says otherwise.
compared <- function(t, align, of = names(answer_of(t)$measures)[1]) {
  add_change(t, of = !!of, align = align %||% "date")
}

# Each measure and its change in percent.
headline_columns <- function(t) {
  answer <- answer_of(t)
  measures <- names(answer$measures)
  c(answer$period, "comparable", as.vector(rbind(measures, paste0(measures, "_change_pct"))))
}

headline_card <- function(t, of, label = capital(name_words(of))) {
  answer <- answer_of(t)
  about <- answer$about
  last <- nrow(t)
  shown <- answer_of(quietly(t[last, ]))
  form <- column_forms(t)[[of]]
  period <- t[[answer$period]][last]
  ends <- about$span[2]
  unfinished <- cover_of_periods(about, period, answer$every)$unfinished
  against <- change_sentences(shown, paste0(of, "_before"))
  list(
    label = label,
    period = paste0(period_label(period, answer$every, about$calendar), if (unfinished) paste(", to", format(ends))),
    value = shown_text(t[[of]][last], form, about$calendar), unit = if (form$kind == "money") about$currency,
    pct = t[[paste0(of, "_change_pct")]][last],
    before = shown_text(t[[paste0(of, "_before")]][last], form, about$calendar),
    against = paste(against[names(against) != "what"], collapse = " "), exact = t[[of]][last]
  )
}

# Time ----------------------------------------------------------------------------------------------------

trend_section <- function(context) {
  book <- context$book
  months <- add_moving(compared(totals(book, every = "month"), context$align), last = 12, name = "last_12_months")
  by <- totals(book, by = context$columns$category, every = "month")
  new_section("trend", "Trend", figure_block("trend", by),
              table_block("months", months[rev(seq_len(nrow(months))), ], "Revenue per month, latest first"))
}

running_section <- function(context) {
  t <- totals(context$book, every = "month")
  years <- add_running_total(t, restart = "year", name = "year_to_date")
  new_section("running", "Year to date", figure_block("years", t, cumulative = TRUE),
              table_block("year_to_date", years[rev(seq_len(nrow(years))), ],
                          "Revenue of each year to date, latest first"))
}

weekdays_section <- function(context) {
  mean <- mean_of_a_day()
  held <- holds_measure(context$headline, mean)
  t <- totals(context$headline, every = "weekday", measures = c(list("revenue"), if (held) list(mean_of_a_day = mean)))
  figure <- if (held) {
    figure_block("weekdays", t, of = "mean_of_a_day", title = "Mean revenue per day, by weekday")
  } else {
    figure_block("weekdays", t)
  }
  new_section("weekdays", "Profile of the week", figure,
              table_block("weekdays", add_share(t), "Revenue by weekday"))
}

# Change --------------------------------------------------------------------------------------------------

change_section <- function(context) {
  columns <- context$columns
  splits <- Filter(Negate(is.null), list(columns$category, columns$region, place_split(columns)))
  blocks <- unlist(lapply(splits, change_blocks, book = context$book, align = context$align), recursive = FALSE)
  map <- if (!is.null(columns$place) && !is.null(context$places)) {
    figure_block("places", compared(totals(context$book, by = place_split(columns), every = "year"), context$align),
                 places = context$places, outline = context$outline)
  }
  if (length(blocks) == 0) blocks <- change_blocks("product", context$book, context$align)
  do.call(new_section, c(list("change", "Change against the year before"), list(map), blocks))
}

# The causes of the latest year's change, for the whole and for each region, or else category.
causes_section <- function(context) {
  by <- context$columns$region %||% context$columns$category
  if (!holds_measure(context$book, "units")) {
    return(NULL)
  }
  t <- totals(context$book, by = tidyselect::all_of(by), every = "year", subtotals = if (length(by)) list("year"))
  t <- add_causes(compared(t, context$align))
  latest <- t[t$year == max_period(t), ]
  if (all(latest$revenue_causes == "unknown")) {
    return(NULL)
  }
  parts <- paste0("revenue_", c("change", "volume", "mix", "price", "new", "gone"))
  new_section("causes", "Why it changed", figure_block("causes", latest),
              table_block("causes", shown_columns(latest, c("year", by, answer_of(latest)$level, "revenue", parts)),
                          "The causes of the change, which add up to it"))
}

# The period that targets are for, by the name of their column or of its first value.
period_of_targets <- function(targets, calendar) {
  own <- intersect(names(targets), grains)
  if (length(own)) {
    return(own[1])
  }
  pair <- if (length(targets$period)) named_period(as.character(targets$period[1]), calendar)
  fits <- Filter(function(every) {
    !is.null(pair) && all(period_start(pair, every, calendar) == pair[1], period_end(pair, every, calendar) == pair[2])
  }, grains)
  if (length(fits) == 0) {
    stop_because("targets", "The targets name no period.",
                 i = "Give them a column `year`, `month` or `period`, with names such as \"2026-03\".", call = NULL)
  }
  fits[[1]]
}

# What was reached of the targets of the last period that has some.
targets_section <- function(context) {
  targets <- context$targets
  if (is.null(targets)) {
    return(NULL)
  }
  every <- period_of_targets(targets, context$book$calendar)
  by <- setdiff(names(targets), c("target", "period", every))
  known <- c("product", unlist(context$columns))
  if (!all(by %in% known)) {
    stop_because("targets", sprintf("The targets of a report cannot be by `%s`.", setdiff(by, known)[1]),
                 i = sprintf("They are for periods, and for what the report is split by: %s.", columns_named(known)),
                 i = "Name the column with `category`, `region` or `place`.", call = NULL)
  }
  t <- totals(context$book, by = tidyselect::all_of(by), every = every, subtotals = if (length(by)) list(every))
  t <- add_target(t, targets)
  planned <- t[[every]][!is.na(t$revenue_target)]
  if (length(planned) == 0) {
    return(NULL)
  }
  last <- t[t[[every]] == max(planned), ]
  new_section("targets", "Against the targets", figure_block("target", last),
              table_block("targets", last, sprintf("What was planned for %s, what is due of it, and what was reached",
                                                   period_label(max(planned), every, context$book$calendar))))
}

place_split <- function(columns) {
  if (!is.null(columns$place)) c(columns$region, columns$place)
}

# The latest year of each member against the year before.
change_blocks <- function(by, book, align) {
  t <- totals(book, by = tidyselect::all_of(by), every = "year", subtotals = list("year"))
  t <- compared(t, align)
  latest <- t[t$year == max_period(t), ]
  list(figure_block("change", compared(totals(book, by = tidyselect::all_of(by), every = "year"), align)),
       table_block(paste(c("change", by), collapse = "_"), latest, sprintf("Change by %s", and_list(by))))
}

max_period <- function(t) {
  answer <- answer_of(t)
  period_start(answer$about$span[2], answer$every, answer$about$calendar)
}

# Products --------------------------------------------------------------------------------------------------

best_sellers_section <- function(context) {
  columns <- context$columns
  blocks <- unlist(lapply(Filter(Negate(is.null), columns[c("category", "region")]), function(column) {
    t <- add_share(totals(context$book, by = tidyselect::all_of(c(column, "product"))),
                   within = tidyselect::all_of(column))
    list(figure_block("ranking", totals(context$book, by = tidyselect::all_of(c(column, "product"))),
                      within = column),
         table_block(paste0("best_sellers_", column),
                     best_sellers(t, n = 5, within = tidyselect::all_of(column), others = TRUE),
                     sprintf("Best sellers of each %s", column)))
  }), recursive = FALSE)
  both <- unlist(columns[c("category", "region")])
  if (length(both) == 2) {
    t <- totals(context$book, by = tidyselect::all_of(unname(c(both, "product"))))
    each <- table_block("best_of_each", best_of_each(t, within = tidyselect::all_of(unname(both))),
                        sprintf("The best seller of each %s", paste(both, collapse = " and ")))
  } else {
    each <- NULL
  }
  if (length(blocks) == 0) {
    t <- add_share(totals(context$book, by = "product"))
    blocks <- list(figure_block("ranking", t, n = 15),
                   table_block("best_sellers", best_sellers(t, n = 15), "Best sellers"))
  }
  do.call(new_section, c(list("best_sellers", "Best sellers"), unname(blocks), list(each)))
}

pareto_section <- function(context) {
  t <- add_pareto(totals(context$book, by = "product"))
  new_section("pareto", "Pareto: a few products make most of the revenue", figure_block("pareto", t),
              table_block("pareto", t, "Products from the largest, with their class"))
}

crosstab_section <- function(context) {
  book <- context$book
  calendar <- book$calendar
  check_grain(book, "month")
  from <- period_start(book$span[2], "month", calendar)
  for (i in seq_len(11)) from <- period_start(from - 1, "month", calendar)
  if (from > book$span[1]) {
    when <- rlang::inject(rlang::quo(!!as.symbol(book$every %||% "day") >= !!from))
    book <- restrict(book, when, sprintf("the last 12 months, from %s", from), TRUE, "keep")
  }
  t <- totals(book, by = "product", every = "month")
  shown <- crosstab(t, "product", "month")
  new_section("crosstab", "Products by month",
              table_block("product_by_month", shown, "Revenue of each product in the last 12 months"))
}

unsold_section <- function(context) {
  if (is.null(context$catalogue)) {
    return(NULL)
  }
  within <- context$columns$region
  rows <- unsold(context$book, context$catalogue, within = tidyselect::all_of(within))
  intro <- sprintf("%s %s. Its sales elsewhere are shown beside it.", count_of(nrow(rows), "product", "products"),
                   if (is.null(within)) "never sold" else sprintf("did not sell in at least one %s", within))
  new_section("unsold", "Unsold products", text_block(intro),
              if (nrow(rows)) table_block("unsold", rows, "Products of the catalogue without a kept line"))
}

# Trust --------------------------------------------------------------------------------------------------------

left_out_section <- function(context) {
  # A tally that was made of chunks knows the first of them, any other none.
  aside <- context$book$aside %||% data.frame()
  new_section(
    "left_out", "What was left out, and why", text_block(left_out_words(context$book)),
    table_block("audit", audit_shown(context$book), "Every step from reading to totals"),
    if (nrow(aside)) table_block("set_aside", utils::head(aside, max_aside - 1L),
                                 paste0("Lines set aside", if (nrow(aside) >= max_aside) ", the first 50"))
  )
}

audit_shown <- function(book) {
  steps <- audit(book)
  shown <- tibble::tibble(step = steps$step, what = steps$what, why = steps$why,
                          lines_out = steps$lines_before - steps$lines_after, lines_left = steps$lines_after,
                          orders_left = steps$orders_after, revenue_left = steps$revenue_after)
  within_reading(if (all(is.na(steps$orders_after))) shown[names(shown) != "orders_left"] else shown)
}

# Reading brings lines in and takes none out.
within_reading <- function(rows) {
  rows$lines_out[rows$what %in% c("read", "attach", "settle", "daybook", "extend")] <- NA
  rows
}

# Times --------------------------------------------------------------------------------------------------

times_section <- function(context) {
  times <- context$times
  if (is.null(times)) {
    stop_because("argument", "Only a report made from a brief can say how long it took.",
                 i = "Leave out the section \"times\", or make the report by a brief.", call = NULL)
  }
  seconds <- unname(times[c("read", "count", "write")])
  done <- tibble::tibble(
    work = c("Read and check", "Count", "Draw and write", "Total"),
    of = c(count_of(times[["lines"]], "line"), count_of(times[["tables"]], "table"),
           paste(count_of(times[["files"]], "file"), "and this report"), ""),
    seconds = c(seconds, sum(seconds))
  )
  new_section("times", "How long it took", table_block("times", done, "Seconds from file to file"))
}

# The checks and the sentences are about the tables of all other sections.
with_closing_sections <- function(sections) {
  blocks <- Filter(function(block) block$kind == "table" && !is.null(answer_of(block$table)),
                   unlist(lapply(sections, function(s) s$blocks), recursive = FALSE))
  lapply(sections, function(section) {
    switch(section$id, checks = checks_section(section, blocks), methods = methods_section(section, blocks), section)
  })
}

checks_section <- function(section, blocks) {
  checks <- do.call(rbind, lapply(blocks, function(block) {
    adds <- any(vapply(measures_shown(answer_of(block$table)), function(m) m$adds_up, NA))
    picked <- answer_of(block$table)$others
    if (adds && !picked) {
      table_checks <- reconcile(block$table)
      data.frame(table = block$title %||% block$name, measure = table_checks$measure, of = table_checks$of,
                 in_table = table_checks$table,
                 in_daybook = table_checks$daybook,
                 finding = reconcile_verdicts(table_checks), matches = table_checks$matches)
    }
  }))
  bad <- sum(!checks$matches)
  made <- count_of(NROW(checks), "check")
  checks$matches <- NULL
  verdict <- if (bad == 0) sprintf("All %s passed.", made) else sprintf("%s of %s failed.", group_digits(bad), made)
  section$blocks <- list(text_block(verdict, paste(
    "Each table's sums are compared with the daybook's total, taken from the lines again;",
    "for a table that shows only some rows, each row is checked by itself."
  )),
                         table_block("checks", tibble::as_tibble(checks), "Checks"))
  section
}

# What is so of every table is said once.
methods_section <- function(section, blocks) {
  said <- lapply(blocks, function(block) as.character(unclass(in_words(block$table))))
  common <- if (length(said) > 1) Reduce(intersect, said)
  section$blocks <- c(
    if (length(common)) list(list(kind = "list", sentences = common)),
    Map(function(block, sentences) {
      list(kind = "sentences", title = block$title %||% block$name, sentences = setdiff(sentences, common))
    }, blocks, said)
  )
  section
}
