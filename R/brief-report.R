# The report of a brief.

#' @rdname sales_report
#' @export
sales_report.character <- function(x, path, ...) {
  sales_report(read_brief(x), path, ...)
}

#' @rdname sales_report
#' @export
sales_report.hinterfeld_brief <- function(x, path, ...) {
  rlang::check_dots_empty()
  with_own_words(brief_words, with_open_sources(in_plain_session(brief_report(x, if (!missing(path)) path))))
}

brief_report <- function(x, path) {
  check_in_order(x)
  if (is.null(path)) {
    check_brief_folder(x, x$content$outputs$folder, anywhere = FALSE)
    path <- file.path(output_folder(x), report_file(x))
  }
  check_report_path(path)
  times <- new_times()
  facts <- times$of("read", brief_facts(x))
  found <- times$of("count", report_findings(facts$all, x))
  own <- unlist(lapply(Filter(is.list, x$content$report$sections), function(section) section[c("table", "figure")]),
                use.names = FALSE)
  wanted <- x$content$figures[intersect(names(x$content$figures), own)]
  tables <- x$content$tables[unique(c(intersect(names(x$content$tables), own),
                                      unlist(lapply(wanted, function(spec) spec$table))))]
  tables <- times$of("count", brief_tables(facts, tables, x))
  figures <- times$of("write", named_step("Figure", wanted, function(spec, name) {
    brief_figure(tables[[spec$table]], spec, x)
  }))
  say_progress("Report")
  write_report(facts, x, path, tables, figures, found, c(times$seconds(), files = 0))
  invisible(path)
}

# The lines that a brief's daybook cannot use.
brief_set_aside <- function(brief) {
  with_own_words(brief_words, with_open_sources(in_plain_session({
    check_in_order(brief)
    brief$content$daybook$on_bad <- "set_aside"
    brief$content["restrict"] <- list(NULL)
    set_aside(brief_daybook(with_closed_days(brief), wanted = NULL))
  })))
}

# What stands out in a brief's data, by the columns of its report.
brief_findings <- function(brief, n) {
  with_own_words(brief_words, with_open_sources(in_plain_session({
    check_in_order(brief)
    found_by_columns(brief_facts(brief)$all, brief, n)
  })))
}

found_by_columns <- function(facts, brief, n, ...) {
  report <- brief$content$report
  columns <- c("product", report$category %||% "category", report$region %||% "region", report$place)
  findings_of(facts, n, by = intersect(columns, split_columns(facts)), ...)
}

# All that its report could tell; NULL for none.
report_findings <- function(facts, brief) {
  if ("report" %in% names(brief$content) && !identical(brief$content$report$findings, 0L)) {
    found_by_columns(facts, brief, .Machine$integer.max, lines = FALSE)
  }
}

write_report <- function(facts, brief, path, tables, figures, found, times) {
  book <- facts$all
  report <- brief$content$report
  columns <- list(category = report$category %||% "category", region = report$region %||% "region",
                  place = report$place)
  given <- vapply(c(category = "category", region = "region", place = "place"), function(name) !is.null(report[[name]]),
                  NA)
  context <- list(
    book = book, headline = facts$headline, columns = report_columns(book, columns, given),
    catalogue = if (!is.null(report$catalogue)) quietly(load_file(report$catalogue, brief, "product")),
    targets = if (!is.null(report$targets)) {
      quietly(load_file(report$targets, brief, columns_of_names(brief$content)))
    },
    places = if (!is.null(report$places)) quietly(load_file(report$places, brief)),
    outline = if (!is.null(report$outline)) brief_path(brief, report$outline),
    findings = report$findings, align = report$align,
    times = c(times, lines = line_counts(book)$read, tables = length(tables))
  )
  context$switch <- switch_contexts(context, report$switch, call = NULL)
  context$found <- found
  sections <- report$sections %||% as.list(usual_sections())
  sections <- lapply(seq_along(sections), function(i) {
    if (is.list(sections[[i]])) custom_section(sections[[i]], i, tables, figures) else sections[[i]]
  })
  write_report_page(sections, context, report$title %||% "Sales performance", report$words, path)
}

# A section of the analyst's own: words, a figure, a table.
custom_section <- function(spec, i, tables, figures) {
  new_section(
    paste0("own-", i), spec$heading, if (!is.null(spec$words)) list(kind = "words", words = spec$words),
    if (!is.null(spec$figure)) figure_block(figures[[spec$figure]]),
    if (!is.null(spec$table)) table_block(spec$table, tables[[spec$table]], name_words(spec$table))
  )
}
