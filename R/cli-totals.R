# hinterfeld totals: one question answered without a brief.

cli_totals <- function(args) {
  given <- cli_options("totals", totals_options(), args, files = c(1, Inf), of = "FILE [FILE ...]",
                       repeated = c(names(totals_rules), "why", "measure"), pairs = c("compare", "covers"), example = c(
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
  given <- read_totals_options(given)
  with_own_words(totals_words, with_databases(print_totals(given)))
}

# The options, by what they are in R.
totals_words <- c(
  `keep_lines()` = "--keep", `leave_out()` = "--leave-out", `best_sellers()` = "--top", `slow_sellers()` = "--slow",
  `best_of_each()` = "--best-of-each", `add_share()` = "--share", `add_rank()` = "--rank",
  `add_running_total()` = "--running", `add_change()` = "--change",
  `add_causes()` = "--causes", `in_period()` = "--period",
  `sort_rows()` = "--sort", `audit()` = "--audit", `set_aside()` = "--audit", `on_bad = "set_aside"` = "--set-aside",
  every = "--every", by = "--by", within = "--within", of = "--of", subtotals = "--subtotals", as_of = "--as-of",
  periods = "--compare", day_format = "--day-format", ties = "--ties", columns = "--crosstab", `...` = "--sort",
  day = "--day", product = "--product", revenue = "--revenue", units = "--units", order = "--order"
)

print_totals <- function(given) {
  book <- cli_facts(given)
  if (given$audit) writeLines(c("What was read, kept and left out", "", format(audit(book)), ""))
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
    shown <- with_decimals_shown(latest_first(t, given), given[["decimals-shown"]])
    writeLines(format(shown, n = given$rows))
  }
}

# Whoever asks for a change looks for the latest.
latest_first <- function(t, given) {
  period <- if (inherits(t, "hinterfeld_totals")) answer_of(t)$periods
  if (is.null(given$change) || is.null(period) || !is.null(given$sort)) {
    return(t)
  }
  rlang::inject(sort_rows(t, !!!order_columns(stats::setNames(rep(TRUE, length(period)), period))))
}

# Conditions can be given several times and apply in their order; the reason follows its condition.
totals_rules <- c(keep = "keep", `leave-out` = "leave_out")

cli_rules <- function(repeated) {
  rules <- list()
  for (given in repeated) {
    if (given$name %in% names(totals_rules)) {
      rules <- c(rules, list(stats::setNames(given["value"], totals_rules[[given$name]])))
    } else if (given$name == "why") {
      if (length(rules) == 0) {
        stop_because("usage", "hinterfeld totals: put --why after the --keep or --leave-out that it explains.")
      }
      rules[[length(rules)]]$why <- given$value
    }
  }
  rules
}

# "profit = sum_of(revenue - cost)": a name and how a brief would write it.
cli_measures <- function(given) {
  asked <- Filter(function(option) option$name == "measure", given$repeated)
  named <- as.list(cli_list(given$measures))
  made <- lapply(asked, function(option) cli_measure(option$value))
  if (length(made) && is.null(given$measures)) named <- list()
  if (length(made)) c(named, unlist(made, recursive = FALSE)) else cli_list(given$measures) %||% "revenue"
}

cli_measure <- function(text) {
  pieces <- regmatches(text, regexec("^\\s*([^=(]*?)\\s*=\\s*(\\w+)\\((.*)\\)\\s*$", text, perl = TRUE))[[1]]
  maker <- pieces[3]
  if (length(pieces) == 0 || !maker %in% measure_makers()) {
    stop_because("usage", sprintf("hinterfeld totals: --measure cannot be \"%s\".", text),
                 sprintf("Write a name and one of %s: for example %s.", and_list(measure_makers()),
                         "--measure 'best_day = largest_of(revenue, per = \"day\")'"))
  }
  stats::setNames(list(brief_measure(measure_spec(maker, pieces[4]))), pieces[2])
}

# The arguments of a measure, as texts by the keys that a brief has for them.
measure_spec <- function(maker, text) {
  call <- tryCatch(parse(text = sprintf("f(%s)", text), keep.source = FALSE)[[1]], error = function(cnd) NULL)
  if (!rlang::is_call(call, "f")) {
    stop_because("usage", sprintf("hinterfeld totals: --measure cannot be read: %s(%s).", maker, text))
  }
  args <- as.list(call)[-1]
  takes <- measure_kinds[[kind_made_by(maker)]]$takes
  places <- c(if (takes != "lines") maker, if (takes == "pair") "to")
  keys <- rlang::names2(args)
  keys[keys == ""] <- utils::head(c(places, rep("?", length(keys))), sum(keys == ""))
  unknown <- setdiff(keys, c(places, "per", "where", "margin", "incomplete"))
  if (length(unknown) || length(setdiff(places, keys))) {
    stop_because("usage",
                 sprintf("hinterfeld totals: %s() takes %s.", maker,
                         and_list(c(c("a column or an expression", "to")[seq_along(places)], "where"))))
  }
  plain <- function(arg) if (rlang::is_string(arg)) arg else expression_source(arg)
  spec <- stats::setNames(lapply(args, plain), keys)
  if (takes == "lines") spec[[maker]] <- TRUE
  spec
}

totals_options <- function() {
  list(
    option("day", "column of the day of sale [default: %default]", "NAME", "day"),
    option("product", "column of the product [default: %default]", "NAME", "product"),
    option("revenue", "column, or expression over columns [default: %default]", "EXPR", "revenue"),
    option("units", "column of the number of pieces", "NAME"),
    option("order", "column of the order's number", "NAME"),
    option("by", "columns to split by, for example region,product", "NAMES"),
    option("every", either(names(grain_kinds)), "PERIOD[,PERIOD]"),
    option("measures", "columns to total, or lines [default: revenue]", "NAMES"),
    option("measure", "for example 'price = ratio_of(revenue, units)'; may be repeated", "NAME=MEASURE"),
    flag("subtotals", "with subtotals and the grand total"),
    option("keep", "keep the lines for which this holds; may be repeated", "COND"),
    option("leave-out", "leave out the lines for which this holds; may be repeated", "COND"),
    option("why", "the reason for the --keep or --leave-out before it, for the audit", "TEXT"),
    option("of", "the measure to rank, share and pick by [default: the first]", "NAME"),
    option("top", "only the N best rows, ties included", "N"),
    option("slow", "only the N slowest rows, ties included", "N"),
    option("ties", paste("how ties are ranked:", either(tie_rules)), "RULE", "standard"),
    flag("best-of-each", "one row per scope: its best"),
    option("unsold", "the products of this file that have no line", "FILE"),
    option("within", "columns within which ranks and shares start afresh", "NAMES"),
    flag("rank", "add the rank"), flag("share", "add the share of the total"),
    flag("running", "add the running total along the period"),
    option("change", paste("add the change against", either(step_kinds$change$arguments$versus$choices)), "WHAT"),
    flag("causes", "split the change into volume, mix, price, new and gone products"),
    option("as-of", "compute the change as if the data ended on this day", "DAY"),
    option("compare", "two periods, the later first, for example \"May 2026\" \"May 2025\"", "PERIOD PERIOD"),
    option("crosstab", "spread these columns side by side; the others are its rows", "NAMES"),
    option("period", "only the rows of a period: 2025, 2026-Q1, 2026-03 or latest", "PERIOD"),
    option("sort", "columns to sort the rows by; -NAME for highest first", "NAMES"),
    option("columns", "the columns to show, in that order", "NAMES"),
    option("decimals-shown", "decimals to print; the data are not rounded", "N"),
    option("decimals", "decimals of revenue [default: %default]", "N", "2"),
    database_option(),
    option("currency", "the currency, as it is to be printed", "TEXT"),
    option("day-format", "how days are written, as in strptime, for example %d/%m/%Y", "FORMAT"),
    option("covers", "first and last day that the data cover [default: those with a line]", "DAY DAY"),
    option("year-starts", "month and day the year starts [default: %default]", "MM-DD", "01-01"),
    flag("set-aside", "set unusable lines aside instead of stopping"),
    flag("audit", "print first what every step did to the lines and the revenue"),
    option("rows", "how many rows to print [default: %default]", "N", "20"),
    flag("csv", "print comma separated text, all rows"),
    option("out", sprintf("write a file instead: %s", either(paste0(".", names(table_writers)))),
           "FILE")
  )
}

# Options that take whole numbers, with the least of each.
whole_options <- c(top = 1, slow = 1, decimals = 0, rows = 0, `decimals-shown` = 0)

read_whole_options <- function(given) {
  for (name in names(whole_options)) {
    value <- given[[name]]
    if (is.null(value)) next
    if (!grepl("^[0-9]{1,9}$", value) || as.integer(value) < whole_options[[name]]) {
      stop_because("usage",
                   sprintf("hinterfeld totals: --%s must be a whole number, %d or more; it is \"%s\".", name,
                           whole_options[[name]], value))
    }
    given[[name]] <- as.integer(value)
  }
  given
}

check_totals_options <- function(given) {
  wrong <- function(option, value, choices) {
    if (!is.null(value) && !value %in% choices) {
      stop_because("usage", sprintf("hinterfeld totals: --%s cannot be \"%s\".", option, value),
                   did_you_mean(value, choices, "\"",
                                otherwise = sprintf("Choose one of %s.", examples_of(choices, 10))))
    }
  }
  for (grain in cli_list(given$every)) wrong("every", grain, names(grain_kinds))
  wrong("change", given$change, step_kinds$change$arguments$versus$choices)
  wrong("ties", given$ties, tie_rules)
  if (given$audit && given$csv) stop_because("usage", "hinterfeld totals: --audit and --csv do not go together.")
  alone <- intersect(c("top", "slow", "best-of-each", "unsold", "crosstab"),
                     names(Filter(function(x) !is.null(x) && !isFALSE(x), given)))
  if (length(alone) > 1) {
    stop_because("usage", sprintf("hinterfeld totals: use only one of %s.", and_list(paste0("--", alone))))
  }
}

# What can be read without the files is read before them.
read_totals_options <- function(given) {
  given$calendar <- sales_calendar(year_starts = given[["year-starts"]])
  given$rules <- cli_rules(given$repeated)
  given$taken <- cli_measures(given)
  given["last"] <- list(if (!is.null(given[["as-of"]])) cli_day(given[["as-of"]], "as-of"))
  given["covered"] <- list(if (!is.null(given$covers)) do.call(c, lapply(given$covers, cli_day, option = "covers")))
  if (!is.null(given$compare)) {
    given$compared <- stats::setNames(lapply(given$compare, cli_period, calendar = given$calendar), given$compare)
  }
  given
}

# The daybook of the lines that count; of more lines than memory takes, a tally of what is asked.
cli_facts <- function(given) {
  # What names something is text, however much it looks like a number; so is a day that a format reads.
  texts <- c(given$product, given$order, if (!is.null(given[["day-format"]])) given$day)
  entries <- given_entries(given, texts)
  tables <- lapply(entries[-1], read_brief_file)
  if (!is_large(entries[[1]])) {
    return(cli_daybook(read_brief_file(entries[[1]]), tables, given))
  }
  say_progress("%s is read in chunks, which are tallied", entries[[1]]$shown)
  source <- open_brief_file(entries[[1]])
  on.exit(close_source(source))
  by <- unique(c(cli_list(given$by), cli_list(given$within), cli_list(given$crosstab),
                 if (!is.null(given$unsold) || given$causes) "product"))
  measures <- c(given$taken, if (given$causes && !"units" %in% unlist(given$taken)) "units")
  tallies_of_chunks(source, function(lines) quietly(cli_daybook(lines, tables, given)), function(book) {
    quietly(list(tally = tally_of(book, tidyselect::any_of(by), measures)))
  })$tally
}

# Of each file the columns that an option names, and those by which files are attached.
given_entries <- function(given, texts) {
  files <- lapply(given$files, given_file, database = given$database)
  columns <- lapply(files, given_columns)
  wanted <- totals_columns(given, unlist(columns))
  Map(function(file, columns) narrowed_entry(file, texts, wanted, columns), files, columns)
}

# A file, folder or pattern, or with --database the name of a table.
given_file <- function(path, database) {
  if (!is.null(database)) {
    return(list(shown = path, path = path, database = database, table = path, options = list()))
  }
  path <- cli_file(path)
  list(shown = path, path = path, options = list())
}

given_columns <- function(file) {
  if (is.null(file$database)) source_columns(file$path) else query_columns(database_named(file$database), file$table)
}

# NULL for all columns if one is named that is not there: the error then says what there is.
totals_columns <- function(given, columns) {
  roles <- unlist(given[c("day", "product", "units", "order")])
  named <- unlist(lapply(given[c("by", "within", "crosstab", "measures")], cli_list))
  repeated <- Filter(function(option) option$name %in% c(names(totals_rules), "measure"), given$repeated)
  expressions <- c(given$revenue, vapply(repeated, function(option) option$value, ""))
  used <- unlist(lapply(expressions, function(text) tryCatch(all.vars(str2lang(text)), error = function(cnd) text)))
  made <- c("day", "product", "revenue", "units", "order", "lines", names(grain_kinds), names(given$taken))
  if (all(roles %in% columns) && all(c(named, used) %in% c(columns, made))) {
    c(roles, named, used, columns[duplicated(columns)])
  }
}

# Further files are attached by the columns that they share with the lines.
cli_daybook <- function(lines, tables, given) {
  for (i in seq_along(tables)) {
    by <- shared_key(lines, tables[[i]], given$files[i + 1])
    lines <- attach_table(lines, tables[[i]], by = tidyselect::all_of(by), need = "any")
  }
  book <- rlang::inject(daybook(
    lines, day = !!given$day, product = !!given$product, revenue = !!brief_quo(given$revenue), units = !!given$units,
    order = !!given$order,
    decimals = given$decimals, currency = given$currency, day_format = given[["day-format"]], covers = given$covered,
    calendar = given$calendar,
    on_bad = if (given[["set-aside"]]) "set_aside" else "stop"
  ))
  for (rule in given$rules) book <- restrict_by(book, rule)
  book
}

shared_key <- function(lines, table, path, call = caller_env()) {
  by <- intersect(names(lines), names(table))
  if (length(by) == 0) {
    stop_because("column", sprintf("%s shares no column with the lines, so it cannot be attached.", basename(path)),
                 i = sprintf("The lines have %s.", columns_named(names(lines))),
                 i = sprintf("It has %s.", columns_named(names(table))), call = call)
  }
  by
}

# Columns are handed over as texts, so that errors name them as they were typed.
cli_table <- function(book, given) {
  within <- cli_list(given$within)
  if (!is.null(given$unsold)) {
    catalogue <- given_file(given$unsold, given$database)
    catalogue <- read_brief_file(narrowed_entry(catalogue, given$product, NULL, given_columns(catalogue)))
    return(cli_shown(rlang::exec(unsold, book, catalogue, within = within, product = given$product), given))
  }
  t <- rlang::exec(totals, book, by = cli_list(given$by), every = cli_list(given$every),
                   measures = given$taken, subtotals = if (given$subtotals) TRUE)
  measures <- names(answer_of(t)$measures)
  # Steps are about a measure; a crosstab may also show what they add.
  of <- if (is.null(given$of) || !is.null(given$crosstab) && !given$of %in% measures) measures[1] else given$of
  if (!is.null(given$change)) t <- add_change(t, of = of, versus = given$change, as_of = given$last)
  if (!is.null(given$compare)) t <- add_change(t, of = of, periods = given$compared)
  if (given$causes) t <- add_causes(t, of)
  if (given$running) t <- rlang::exec(add_running_total, t, of, within = within)
  # Shares, ranks and picks are of the chosen period.
  if (!is.null(given$period)) t <- in_period(t, given$period)
  if (given$share) t <- rlang::exec(add_share, t, of, within = within)
  if (given$rank) t <- rlang::exec(add_rank, t, of, within = within, ties = given$ties)
  if (!is.null(given$top)) t <- rlang::exec(best_sellers, t, given$top, within = within, of = of, ties = given$ties)
  if (!is.null(given$slow)) t <- rlang::exec(slow_sellers, t, given$slow, within = within, of = of, ties = given$ties)
  if (given[["best-of-each"]]) t <- rlang::exec(best_of_each, t, within = within, of = of)
  if (!is.null(given$crosstab)) t <- cli_crosstab(t, cli_list(given$crosstab), given$of)
  cli_shown(t, given)
}

cli_crosstab <- function(t, columns, of) {
  answer <- answer_of(t)
  added <- names(answer$added)
  shown <- of %||% if (length(added)) c(names(answer$measures)[1], added) else names(answer$measures)
  rlang::exec(crosstab, t, rows = setdiff(answer$keys, columns), columns = columns, of = shown)
}

cli_shown <- function(t, given) {
  order <- order_given(cli_list(given$sort))
  if (!is.null(order)) {
    t <- rlang::inject(sort_rows(t, !!!order_columns(order)))
  }
  if (is.null(given$columns)) t else shown_columns(t, cli_list(given$columns), call = NULL)
}

cli_day <- function(text, option) {
  day <- suppressWarnings(as.Date(text, format = "%Y-%m-%d"))
  if (is.na(day)) {
    stop_because("usage",
                 sprintf("hinterfeld totals: --%s must be a day such as 2026-05-31; it is \"%s\".", option, text))
  }
  day
}

# "2026", "2026-Q1", "2026-05", "May 2026" or "2026-05-31": its first and last day.
cli_period <- function(text, calendar) {
  named_period(text, calendar) %||%
    stop_because("usage", sprintf("hinterfeld totals: --compare cannot be \"%s\".", text), period_names_hint)
}
