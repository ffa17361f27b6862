# hinterfeld totals: one question answered without a brief.

cli_totals <- function(args) {
  given <- cli_options("totals", totals_options(), args, files = c(1, Inf), of = "FILE [FILE ...]",
                       repeated = names(totals_rules), example = c(
    "hinterfeld totals order_lines.csv orders.csv products.csv --day order_day \\",
    "  --revenue \"quantity * unit_price * (1 - discount)\" --set-aside \\",
    "  --keep 'reads_as(status, \"delivered\", \"collected\")' \\",
    "  --by region,product --within region --top 3 --share"
  ))
  if (is.null(given)) {
    return(invisible())
  }
  given <- read_whole_options(given)
  check_totals_options(given)
  book <- cli_daybook(given)
  for (rule in given$repeated) book <- restrict_by(book, stats::setNames(rule["value"], totals_rules[[rule$name]]))
  t <- cli_table(book, given)
  if (!is.null(given$out)) {
    deliver(t, given$out)
    writeLines(sprintf("%s  %s", given$out, count_of(nrow(t), "row")))
  } else if (given$csv) {
    path <- tempfile(fileext = ".csv")
    on.exit(unlink(path))
    deliver(t, path)
    # As it is: a name may hold a line end of its own.
    text <- rawToChar(readBin(path, "raw", file.size(path)))
    cat(text)
  } else {
    writeLines(format(t, n = given$rows))
    words <- unlist(step_sentences(answer_of(t)))
    if (length(words)) writeLines(text_notes(words))
  }
}

# Conditions can be given several times and apply in their order.
totals_rules <- c(keep = "keep", `leave-out` = "leave_out")

totals_options <- function() {
  list(
    option("day", "column of the day of sale [default: %default]", "NAME", "day"),
    option("product", "column of the product [default: %default]", "NAME", "product"),
    option("revenue", "column, or expression over columns [default: %default]", "EXPR", "revenue"),
    option("units", "column of the number of pieces", "NAME"),
    option("order", "column of the order's number", "NAME"),
    option("by", "columns to split by, for example region,product", "NAMES"),
    option("every", either(names(grain_kinds)), "PERIOD"),
    option("measures", "columns to total, or lines [default: %default]", "NAMES", "revenue"),
    flag("subtotals", "with subtotals and the grand total"),
    option("keep", "keep the lines for which this holds; may be repeated", "COND"),
    option("leave-out", "leave out the lines for which this holds; may be repeated", "COND"),
    option("top", "only the rows ranked so or better", "N"),
    option("within", "columns inside which to rank and take shares", "NAMES"),
    flag("rank", "add the rank"), flag("share", "add the share of the total"),
    flag("running", "add the running total along the period"),
    option("change", paste("add the change against", either(step_kinds$change$arguments$versus$choices)), "WHAT"),
    option("decimals", "decimals of revenue [default: %default]", "N", "2"),
    option("currency", "the currency's mark", "TEXT"),
    option("day-format", "how days are written, as in strptime, for example %d/%m/%Y", "FORMAT"),
    option("year-starts", "month and day the year starts [default: %default]", "MM-DD", "01-01"),
    flag("set-aside", "keep unusable lines apart instead of stopping"),
    option("rows", "how many rows to print [default: %default]", "N", "20"),
    flag("csv", "print comma separated text, all rows"),
    option("out", sprintf("write a file instead: %s", either(paste0(".", names(table_writers)))),
           "FILE")
  )
}

# Options that take whole numbers, with the least of each.
whole_options <- c(top = 1, decimals = 0, rows = 0)

read_whole_options <- function(given) {
  for (name in names(whole_options)) {
    value <- given[[name]]
    if (is.null(value)) next
    if (!grepl("^[0-9]{1,9}$", value) || as.integer(value) < whole_options[[name]]) {
      stop_because("usage", sprintf("hinterfeld totals: --%s must be a whole number from %d on; it is \"%s\".", name,
                                    whole_options[[name]], value))
    }
    given[[name]] <- as.integer(value)
  }
  given
}

check_totals_options <- function(given) {
  wrong <- function(option, value, choices) {
    if (!is.null(value) && !value %in% choices) {
      near <- nearest(value, choices, 1)
      stop_because("usage", c(
        sprintf("hinterfeld totals: --%s cannot be \"%s\".", option, value),
        if (length(near)) sprintf("Did you mean \"%s\"?", near) else sprintf("Choose %s.", examples_of(choices, 10))
      ))
    }
  }
  for (one in cli_list(given$every)) wrong("every", one, names(grain_kinds))
  wrong("change", given$change, step_kinds$change$arguments$versus$choices)
}

# Further files are attached by the columns that they share with the lines.
cli_daybook <- function(given) {
  # What names something is text, however much it looks like a number; so is a day that a format reads.
  texts <- c(given$product, given$order, if (!is.null(given[["day-format"]])) given$day)
  load_given <- function(path) {
    path <- cli_file(path)
    load_table(path, types = text_types(texts, names(read_heading(path))))
  }
  lines <- load_given(given$files[1])
  for (path in given$files[-1]) {
    table <- load_given(path)
    by <- shared_key(lines, table, path)
    lines <- attach_table(lines, table, by = tidyselect::all_of(by), need = "any")
  }
  rlang::inject(daybook(
    lines, day = !!given$day, product = !!given$product, revenue = !!brief_quo(given$revenue), units = !!given$units,
    order = !!given$order,
    decimals = given$decimals, currency = given$currency, day_format = given[["day-format"]],
    calendar = sales_calendar(year_starts = given[["year-starts"]]),
    on_bad = if (given[["set-aside"]]) "set_aside" else "stop"
  ))
}

shared_key <- function(lines, table, path, call = caller_env()) {
  by <- intersect(names(lines), names(table))
  if (length(by) == 0) {
    stop_because("column", c(
      sprintf("%s shares no column with the lines, so it cannot be attached.", basename(path)),
      i = sprintf("The lines have %s.", columns_named(names(lines))),
      i = sprintf("It has %s.", columns_named(names(table)))
    ), call = call)
  }
  by
}

# Columns are handed over as texts, so that errors name them as they were typed.
cli_table <- function(book, given) {
  t <- rlang::exec(totals, book, by = cli_list(given$by), every = cli_list(given$every),
                   measures = cli_list(given$measures), subtotals = if (given$subtotals) TRUE)
  of <- cli_list(given$measures)[1]
  within <- cli_list(given$within)
  if (!is.null(given$change)) t <- add_change(t, of = of, versus = given$change)
  if (given$share) t <- rlang::exec(add_share, t, of, within = within)
  if (given$rank) t <- rlang::exec(add_rank, t, of, within = within)
  if (given$running) t <- rlang::exec(add_running_total, t, of, within = within)
  if (is.null(given$top)) t else rlang::exec(best_sellers, t, given$top, within = within, of = of)
}
