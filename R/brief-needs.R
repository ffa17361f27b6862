# What the tables and the report of a brief need of its lines: columns, periods and measures.

# For each table its columns, period and measures; for the report those that it looks at, and its headline numbers.
brief_needs <- function(content, book) {
  all_columns <- names(book$columns)
  tables <- lapply(content$tables, table_needs, columns = all_columns)
  report <- content$report
  columns <- if (!is.null(report)) c("product", report$category %||% "category", report$region %||% "region",
                                     report$place)
  standing <- list(by = intersect(columns, all_columns), every = "day",
                   measures = as.list(intersect(c("revenue", "units"), names(book$roles))))
  if (length(tables)) names(tables) <- paste("table", names(tables))
  c(list(report = standing), if (!is.null(report)) list(headline = headline_need(book)), tables)
}

# The tally is per day, unless only the table's own periods are used; a change always needs days.
needed_grain <- function(spec, asked) {
  every <- unlist(spec$every)
  whole <- length(every) == 1 && every %in% grains && !"day" %in% asked && length(spec$add) == 0
  if (whole) every else "day"
}

headline_need <- function(book) {
  measures <- headline_measures()
  roles <- c("units", "order")[!c("units", "order") %in% names(book$roles)]
  lacking <- unlist(list(units = "units", order = c("orders", "revenue_per_order"))[roles])
  list(every = "day", measures = c(measures[!names(measures) %in% lacking], list(mean_of_a_day = mean_of_a_day())))
}

table_needs <- function(spec, columns) {
  if (!is.null(spec$unsold)) {
    where <- if (!is.null(spec$unsold$where)) all.vars(str2lang(spec$unsold$where))
    by <- c(spec$unsold$product %||% "product", unlist(spec$unsold$within), where)
    return(list(by = intersect(by, columns), every = "day",
                measures = as.list(intersect(c("revenue", "units"), columns))))
  }
  conditions <- unlist(spec[c("keep", "leave_out")])
  asked <- unlist(lapply(conditions, function(text) all.vars(str2lang(text))))
  causes <- causes_asked(spec)
  by <- union(unlist(spec$by), c(setdiff(asked, "day"), causes$over))
  dated <- !is.null(spec$every) || "day" %in% asked || length(spec$add) || length(spec$pick)
  list(by = intersect(by, columns), every = if (dated) needed_grain(spec, asked),
       measures = c(brief_measures(spec$measures), causes$measures))
}

# The columns that the causes of a table are computed over, and what they are computed from.
causes_asked <- function(spec) {
  steps <- Filter(function(step) names(step) == "causes", spec$add)
  asked <- lapply(steps, function(step) utils::modifyList(list(of = "revenue", over = "product", units = "units"),
                                                          as.list(step$causes)))
  own <- brief_measures(spec$measures)
  named <- brief_measure_names(spec$measures)
  measures <- unlist(lapply(asked, function(args) {
    of <- as.list(own)[[match(args$of, named, 1L)]]
    cause_measures(if (is.character(of)) new_measure("sum", brief_quo(of)) else of, args)
  }), recursive = FALSE)
  if (length(measures)) names(measures) <- make.unique(paste("causes:", names(measures)))
  list(over = unlist(lapply(asked, function(args) args$over)), measures = measures,
       of_lines = any(vapply(asked, function(args) isTRUE(args$returns) || !is.null(args$list_price), NA)))
}

# Needs by what they hold, each once; the tables that share one share its tally.
by_need <- function(needs) {
  names <- vapply(needs, need_name, "")
  stats::setNames(needs, names)[!duplicated(names)]
}

need_name <- function(need) {
  flat <- rapply(need, function(x) {
    if (rlang::is_quosure(x)) expression_source(rlang::quo_get_expr(x)) else as.character(x)
  }, how = "unlist")
  sha256_text(paste(names(flat), flat, collapse = "\n"))
}

needs_of_part <- function(kept, content) {
  brief_needs(content, list(columns = stats::setNames(nm = kept$columns), roles = stats::setNames(nm = kept$roles)))
}
