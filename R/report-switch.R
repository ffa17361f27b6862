# A report that can be switched: some sections are repeated for each value of a column, and the reader chooses.

switched_sections <- c("trend", "change", "best_sellers", "pareto", "running", "crosstab")
switch_choices <- c("region", "category", "year")
max_switched <- 12L

# The report's context for each value to choose, by its name. A year is shown as it stood at its end, so that it has
# the years before it to be compared with.
switch_contexts <- function(context, by, call = caller_env()) {
  if (is.null(by)) {
    return(NULL)
  }
  book <- context$book
  column <- context$columns[[by]]
  if (by != "year" && is.null(column)) {
    stop_because("column", sprintf("The report cannot be switched by %s: there is no such column.", by),
                 i = sprintf("Name it with `%s`, or leave `switch` out.", by), call = call)
  }
  rules <- if (by == "year") year_rules(book) else value_rules(book, column)
  if (length(rules) > max_switched) {
    stop_because("argument",
                 sprintf("A report with a choice of %s would be too large; the limit is %d.",
                         count_of(length(rules), by), max_switched), i = "Switch by a column of fewer values.",
                 call = call)
  }
  lapply(rules, function(rule) {
    context$book <- quietly(restrict(book, rule, expression_text(rule), TRUE, "keep", call))
    context
  })
}

year_rules <- function(book) {
  ends <- period_end(period_start(book$span, "year", book$calendar), "year", book$calendar)
  years <- unique(period_end(seq(ends[1], ends[2], by = "month"), "year", book$calendar))
  day <- as.symbol(book$every %||% "day")
  rules <- lapply(years, function(end) rlang::inject(rlang::quo(!!day <= !!end)))
  rev(stats::setNames(rules, period_label(years, "year", book$calendar)))
}

value_rules <- function(book, column) {
  t <- quietly(totals(book, by = tidyselect::all_of(column)))
  blank <- t[[column]] %in% c(NA, answer_of(t)$labels$not_given)
  name <- as.symbol(column)
  rules <- lapply(t[[column]], function(value) rlang::inject(rlang::quo((!!name) %in% !!value)))
  rules[blank] <- list(rlang::inject(rlang::quo(is.na(!!name))))
  stats::setNames(rules, replace(as.character(t[[column]]), blank, "not given"))
}

# The section again for each value: its blocks, whose tables have names of their own.
with_variants <- function(section, name, context) {
  if (is.null(section) || length(context$switch) == 0 || !name %in% switched_sections) {
    return(section)
  }
  section$variants <- Map(function(variant, k) {
    made <- tryCatch(quietly(suppressWarnings(report_sections[[name]](variant))), hinterfeld_error = identity)
    if (inherits(made, "hinterfeld_error")) {
      return(list(text_block(paste("There is nothing to show here:", rlang::cnd_header(made)))))
    }
    lapply(made$blocks, function(block) {
      if (block$kind == "table") block$name <- paste(block$name, k, sep = "-")
      block
    })
  }, context$switch, seq_along(context$switch))
  section
}

# What the reader chooses by, in the contents.
switch_element <- function(sections) {
  switched <- Filter(function(section) length(section$variants) > 0, sections)
  if (length(switched) == 0) {
    return(NULL)
  }
  tags <- htmltools::tags
  names <- names(switched[[1]]$variants)
  tags$p(class = "switch", tags$label("Show ", tags$select(id = "switch", tags$option(value = "", "everything"), lapply(
    names, function(name) tags$option(value = printable(name), printable(name))
  ))))
}

variants_elements <- function(section) {
  tags <- htmltools::tags
  unname(Map(function(blocks, name) {
    tags$div(class = "variant", `data-variant` = printable(name), hidden = NA,
             tags$p(class = "note", sprintf("Only %s.", printable(name))), lapply(blocks, block_element))
  }, section$variants, names(section$variants)))
}
