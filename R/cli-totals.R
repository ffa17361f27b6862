# hinterfeld totals: one question answered without a brief. Its options make the brief, which is checked and asked like
# any other.

cli_totals <- function(args) {
  given <- cli_options("totals", totals_options(), args, files = c(if (file.exists(own_brief)) 0 else 1, Inf),
                       of = "FILE [FILE ...]",
                       repeated = c(names(totals_rules), "why", "measure", "extend"), pairs = c("compare", "covers"),
                       example = c(
    "hinterfeld totals order_lines.csv orders.csv products.csv --day order_day \\",
    "  --revenue \"quantity * unit_price * (1 - discount)\" --set-aside \\",
    "  --keep 'reads_as(status, \"delivered\", \"collected\")' \\",
    "  --by region,product --within region --top 3 --share",
    "hinterfeld totals monthly.yaml --by product --every month --change year_before",
    "hinterfeld totals monthly.yaml --by category --every year --crosstab year"
  ))
  if (is.null(given)) {
    return(invisible())
  }
  check_totals_options(given)
  given <- with_brief_given(given)
  given$calendar <- sales_calendar(year_starts = given[["year-starts"]] %||%
                                     given$brief$content$daybook$calendar$year_starts %||% "01-01")
  with_own_words(totals_words, with_open_sources(print_totals(totals_brief(given), given)))
}

# A brief in the place of the lines' files, or hinterfeld.yaml in this folder where no file is named: its lines, roles
# and restrictions are asked.
own_brief <- "hinterfeld.yaml"

with_brief_given <- function(given) {
  if (length(given$files) == 0) {
    given$files <- own_brief
    say("own_brief", sprintf("Lines, roles and restrictions are those of %s.", own_brief))
  }
  if (is.null(given$database) && grepl("[.]ya?ml$", given$files[1], ignore.case = TRUE)) {
    if (length(given$files) > 1) {
      stop_because("usage", sprintf("hinterfeld totals: %s names its own files, so give no others.", given$files[1]))
    }
    given$brief <- read_brief(given$files)
  }
  given
}

# The options, by what they are in R and in a brief.
totals_words <- c(
  lines = "FILE", attach = "FILE", keep = "--keep", leave_out = "--leave-out", measures = "--measure",
  unsold = "--unsold", sort = "--sort", change = "--change", causes = "--causes", in_period = "--period",
  crosstab = "--crosstab", covers = "--covers", others = "--others", targets = "--target", due = "--due",
  `keep_lines()` = "--keep", `leave_out()` = "--leave-out", `best_sellers()` = "--top", `slow_sellers()` = "--slow",
  `best_of_each()` = "--best-of-each", `add_share()` = "--share", `add_rank()` = "--rank",
  `add_running_total()` = "--running", `add_change()` = "--change", `add_causes()` = "--causes",
  `add_target()` = "--target", `add_moving()` = "--moving", `add_pareto()` = "--pareto",
  `in_period()` = "--period", `sort_rows()` = "--sort", `audit()` = "--audit", `set_aside()` = "--audit",
  `on_bad = "set_aside"` = "--set-aside", every = "--every", by = "--by", within = "--within", of = "--of",
  subtotals = "--subtotals", as_of = "--as-of", periods = "--compare", day_format = "--day-format", ties = "--ties",
  columns = "--crosstab", `...` = "--sort", day = "--day", product = "--product", revenue = "--revenue",
  units = "--units", order = "--order", settle = "--settle", `extend_lines()` = "--extend", closed = "--closed",
  list_price = "--list-price",
  returns = "--returns", per_open_day = "--per-open-day"
)

print_totals <- function(brief, given) {
  check_question(brief)
  # Only what takes long says how far it is.
  large <- is_large(parse_file_entry(brief$content$data$lines, brief))
  facts <- if (large) brief_facts(brief) else
    suppressMessages(brief_facts(brief), classes = "hinterfeld_message_progress")
  if (given$audit) writeLines(c("What was read, kept and left out", "", format(audit(facts$all)), ""))
  t <- brief_table(facts$table("shown"), brief$content$tables$shown, brief)
  if (!is.null(given$out)) {
    deliver(t, given$out)
    writeLines(sprintf("%s  %s", given$out, count_of(nrow(t), "row")))
  } else if (given$csv || given$json) {
    print_file(t, if (given$csv) ".csv" else ".json")
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

# "profit = revenue - cost": a name and an expression.
cli_columns <- function(given) {
  asked <- Filter(function(option) option$name == "extend", given$repeated)
  pieces <- lapply(asked, function(option) {
    found <- regmatches(option$value, regexec("^\\s*([^=()<>!]*?)\\s*=(?!=)\\s*(.*)$", option$value, perl = TRUE))[[1]]
    if (length(found) == 0 || !all(nzchar(found[-1]))) {
      stop_because("usage", sprintf("hinterfeld totals: --extend cannot be \"%s\".", option$value),
                   "Write a name and an expression, for example --extend 'profit = revenue - cost'.")
    }
    found[-1]
  })
  stats::setNames(lapply(pieces, `[`, 2), vapply(pieces, `[`, "", 1))
}

# "profit = sum_of(revenue - cost)": a name and how a brief would write it.
cli_measures <- function(given) {
  asked <- Filter(function(option) option$name == "measure", given$repeated)
  named <- as.list(cli_list(given$measures))
  made <- lapply(asked, function(option) cli_measure(option$value))
  if (length(c(named, made)) == 0) list("revenue") else c(named, made)
}

cli_measure <- function(text) {
  pieces <- regmatches(text, regexec("^\\s*([^=(]*?)\\s*=\\s*(\\w+)\\((.*)\\)\\s*$", text, perl = TRUE))[[1]]
  maker <- pieces[3]
  if (length(pieces) == 0 || !maker %in% measure_makers()) {
    stop_because("usage", sprintf("hinterfeld totals: --measure cannot be \"%s\".", text),
                 sprintf("Write a name and one of %s: for example %s.", and_list(measure_makers()),
                         "--measure 'best_day = largest_of(revenue, per = \"day\")'"))
  }
  stats::setNames(list(measure_spec(maker, pieces[4])), pieces[2])
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
    `The lines` = list(
      option("day", "column of the day of sale [default: day]", "NAME"),
      option("product", "column of the product [default: product]", "NAME"),
      option("revenue", "column, or expression over columns [default: revenue]", "EXPR"),
      option("units", "column of the number of pieces", "NAME"),
      option("order", "column of the order's number", "NAME"),
      option("settle", "columns of text in which case and spaces make no difference", "NAMES"),
      option("extend", "add a column, for example 'profit = revenue - cost'; may be repeated", "NAME=EXPR"),
      option("keep", "keep the lines for which this holds; may be repeated", "COND"),
      option("leave-out", "leave out the lines for which this holds; may be repeated", "COND"),
      option("why", "the reason for the --keep or --leave-out before it, for the audit", "TEXT"),
      flag("set-aside", "set unusable lines aside instead of stopping"),
      option("decimals", "decimals of revenue [default: 2]", "N"),
      option("currency", "the currency, as it is to be printed", "TEXT"),
      option("day-format", "how days are written, as in strptime, for example %d/%m/%Y", "FORMAT"),
      option("covers", "first and last day that the data cover [default: those with a line]", "DAY DAY"),
      option("closed", "closed days: weekdays, dates, or files with dates", "DAYS"),
      option("year-starts", "month and day the year starts [default: 01-01]", "MM-DD"),
      database_option(), option("workers", "let this many processes read the lines", "N")
    ),
    `The question` = list(
      option("by", "columns to split by, for example region,product", "NAMES"),
      option("every", either(names(grain_kinds)), "PERIOD[,PERIOD]"),
      option("measures", "columns to total, or lines [default: revenue]", "NAMES"),
      option("measure", "for example 'price = ratio_of(revenue, units)'; may be repeated", "NAME=MEASURE"),
      flag("subtotals", "with subtotals and the grand total"),
      flag("fill", "with periods and members that have no line, as 0"),
      option("crosstab", "spread these columns side by side; the others are its rows", "NAMES")
    ),
    `Added columns` = list(
      option("of", "the measure to rank, share and pick by, or several to compare [default: the first]", "NAMES"),
      option("within", "columns within which ranks and shares start afresh", "NAMES"),
      flag("share", "add the share of the total"), flag("rank", "add the rank"),
      flag("ascending", "with --rank: the lowest value is first"),
      option("ties", paste("how ties are ranked:", either(tie_rules)), "RULE", "standard"),
      flag("pareto", "add Pareto classes"), flag("running", "add the running total along the period"),
      option("restart", paste("with --running: start again each", either(rev(grains[-1]))), "PERIOD"),
      option("moving", "add the sum of the last N periods", "N"),
      option("change", paste("add the change against", either(step_kinds$change$arguments$versus$choices)), "WHAT"),
      option("align", "with --change: compare days by date or by weekday", "HOW", "date"),
      option("compare", "two periods, the later first, for example \"May 2026\" \"May 2025\"", "PERIOD PERIOD"),
      option("as-of", "compute the change as if the data ended on this day", "DAY"),
      flag("per-open-day", "compare per open day (see --closed)"),
      flag("causes", "split the change into volume, mix, price, new and gone products"),
      option("list-price", "with --causes: split discounts from this column of prices", "NAME"),
      flag("returns", "with --causes: set returns apart"),
      option("target", "set the targets of this file beside the measure", "FILE"),
      option("due", "the part of a target that is due: days or year_before", "HOW", "days")
    ),
    `Some rows only` = list(
      option("top", "only the N best rows, ties included", "N"),
      option("slow", "only the N slowest rows, ties included", "N"),
      flag("others", "with --top or --slow: a row for the rest of each scope"),
      flag("best-of-each", "one row per scope: its best"),
      option("unsold", "the products of this file that have no line", "FILE"),
      option("period", "only the rows of a period: 2025, 2026-Q1, 2026-03 or latest", "PERIOD")
    ),
    `What is shown` = list(
      option("sort", "columns to sort the rows by; -NAME for highest first", "NAMES"),
      option("columns", "the columns to show, in that order", "NAMES"),
      option("decimals-shown", "decimals to print; the data are not rounded", "N"),
      option("rows", "how many rows to print, or all [default: %default]", "N", "20"),
      flag("audit", "print first what every step did to the lines and the revenue"),
      flag("csv", "print comma separated text, all rows"), flag("json", "print JSON, all rows"),
      option("out", sprintf("write a file instead: %s", either(paste0(".", names(table_writers)))), "FILE")
    )
  )
}

# What has a meaning only beside another option.
options_with <- list(returns = "causes", `list-price` = "causes", `per-open-day` = c("change", "compare"),
                     restart = "running", ascending = "rank", others = c("top", "slow"), `as-of` = "change")

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
  wrong("align", given$align, step_kinds$change$arguments$align$choices)
  asked <- function(names) any(vapply(given[names], function(x) !is.null(x) && !isFALSE(x), NA))
  for (option in names(options_with)) if (asked(option) && !asked(options_with[[option]])) {
    stop_because("usage", sprintf("hinterfeld totals: --%s goes with %s.", option,
                                  either(paste0("--", options_with[[option]]))))
  }
  wrong("restart", given$restart, rev(grains[-1]))
  if (sum(c(given$audit, given$csv, given$json)) > 1) {
    stop_because("usage", "hinterfeld totals: use only one of --audit, --csv and --json.")
  }
  given <- names(Filter(function(x) !is.null(x) && !isFALSE(x), given))
  # What is picked by rank can be spread.
  for (apart in list(c("top", "slow", "best-of-each", "unsold"), c("best-of-each", "unsold", "crosstab"))) {
    alone <- intersect(apart, given)
    if (length(alone) > 1) {
      stop_because("usage", sprintf("hinterfeld totals: use only one of %s.", and_list(paste0("--", alone))))
    }
  }
}

# The brief ------------------------------------------------------------------------------------------------------------

totals_brief <- function(given) {
  entries <- if (is.null(given$brief)) lapply(given$files, given_entry, given)
  calendar <- list(year_starts = given[["year-starts"]], closed = lapply(cli_list(given$closed), closed_entry, given))
  daybook <- list(
    day = given$day, product = given$product, revenue = given$revenue, units = given$units, order = given$order,
    decimals = given$decimals, currency = given$currency, day_format = given[["day-format"]],
    covers = if (!is.null(given$covers)) lapply(given$covers, cli_day, option = "covers"),
    on_bad = if (given[["set-aside"]]) "set_aside"
  )
  daybook <- Filter(length, daybook)
  rules <- cli_rules(given$repeated)
  table <- if (is.null(given$unsold)) question_spec(given) else unsold_spec(given)
  table$sort <- as.list(cli_list(given$sort))
  table$columns <- as.list(cli_list(given$columns))
  from <- given$brief$content %||% list(
    data = list(lines = entries[[1]], attach = attached_by_name(entries)),
    daybook = list(day = "day", product = "product", revenue = "revenue", decimals = 2L)
  )
  # What is said beside a brief takes the place of what it says.
  roles <- from$daybook
  roles[names(daybook)] <- daybook
  calendar <- Filter(length, calendar)
  roles$calendar[names(calendar)] <- calendar
  from$data$settle <- c(as.list(unlist(from$data$settle)), as.list(cli_list(given$settle)))
  list(folder = given$brief$folder %||% ".", workers = given$workers, content = list(
    data = Filter(length, from$data), daybook = roles, columns = c(from$columns, cli_columns(given)),
    restrict = c(from$restrict, rules),
    tables = list(shown = Filter(function(x) length(x) > 0, table))
  ))
}

# A file, folder or pattern, from here and not from where a brief is; or with --database the name of a table.
given_entry <- function(path, given) {
  if (!is.null(given$database)) {
    return(list(database = given$database, table = path))
  }
  path <- cli_file(path)
  if (is.null(given$brief)) path else brief_path(list(folder = getwd()), path)
}

closed_entry <- function(text, given) {
  if (is_day_or_weekday(text)) text else given_entry(text, replace(given, "database", list(NULL)))
}

# Further files are attached by the columns that they share with the lines.
attached_by_name <- function(entries, call = caller_env()) {
  columns <- lapply(entries, function(entry) columns_of_file(parse_file_entry(entry, list(folder = "."))))
  lines <- columns[[1]]
  lapply(seq_along(entries)[-1], function(i) {
    by <- intersect(lines, columns[[i]])
    if (length(by) == 0) {
      stop_because("column",
                   sprintf("%s shares no column with the lines, so it cannot be attached.",
                           basename(parse_file_entry(entries[[i]], list(folder = "."))$shown)),
                   i = sprintf("The lines have %s.", columns_named(lines)),
                   i = sprintf("It has %s.", columns_named(columns[[i]])), call = call)
    }
    lines <<- union(lines, columns[[i]])
    list(table = entries[[i]], by = as.list(by), need = "any")
  })
}

unsold_spec <- function(given) {
  about <- list(catalogue = given_entry(given$unsold, given), product = given$product,
                within = as.list(cli_list(given$within)))
  list(unsold = Filter(length, about))
}

question_spec <- function(given) {
  measures <- cli_measures(given)
  names <- brief_measure_names(measures)
  # Steps are about a measure; a crosstab may also show what they add.
  asked <- cli_list(given$of)
  measured <- if (is.null(asked) || !is.null(given$crosstab) && !all(asked %in% names)) names[1] else asked
  within <- as.list(cli_list(given$within))
  step <- function(kind, ..., of = measured[1], of_scopes = TRUE) {
    about <- list(..., of = of, within = if (of_scopes) within)
    list(stats::setNames(list(Filter(function(x) length(x) > 0, about)), kind))
  }
  compared <- if (!is.null(given$compare)) {
    stats::setNames(lapply(given$compare, cli_period, calendar = given$calendar), given$compare)
  }
  last <- if (!is.null(given[["as-of"]])) cli_day(given[["as-of"]], "as-of")
  open <- if (given[["per-open-day"]]) TRUE
  add <- c(
    if (!is.null(given$change)) {
      step("change", versus = given$change, align = if (given$align != "date") given$align, as_of = last,
           per_open_day = open, of = as.list(measured), of_scopes = FALSE)
    },
    if (!is.null(compared)) {
      step("change", periods = compared, per_open_day = open, of = as.list(measured), of_scopes = FALSE)
    },
    if (given$causes) {
      step("causes", list_price = given[["list-price"]], returns = if (given$returns) TRUE, of_scopes = FALSE)
    }, if (given$running) step("running_total", restart = given$restart),
    if (!is.null(given$moving)) step("moving", last = given$moving),
    if (!is.null(given$target)) {
      step("target", targets = given_entry(given$target, given), due = given$due, of_scopes = FALSE)
    },
    if (given$share) step("share"), if (given$pareto) step("pareto"),
    if (given$rank) step("rank", ties = given$ties, highest_first = if (given$ascending) FALSE)
  )
  others <- if (given$others) TRUE
  pick <- c(
    if (!is.null(given$top)) step("best_sellers", n = given$top, ties = given$ties, others = others),
    if (!is.null(given$slow)) step("slow_sellers", n = given$slow, ties = given$ties, others = others),
    if (given[["best-of-each"]]) step("best_of_each")
  )
  list(by = as.list(cli_list(given$by)), every = as.list(cli_list(given$every)), measures = measures,
       subtotals = if (given$subtotals) TRUE, fill = if (given$fill) TRUE, add = add,
       pick = unlist(pick, recursive = FALSE), in_period = given$period,
       crosstab = if (!is.null(given$crosstab)) crosstab_spec(given, names, add))
}

crosstab_spec <- function(given, measures, add) {
  columns <- cli_list(given$crosstab)
  added <- added_names(add, measures, in_cells = TRUE)
  shown <- cli_list(given$of) %||% if (length(added)) c(measures[1], added) else measures
  rows <- setdiff(c(cli_list(given$every), cli_list(given$by)), columns)
  if (length(rows) == 0) {
    stop_because("usage", "hinterfeld totals: --crosstab takes all columns of the table and leaves none for its rows.",
                 i = "Split the table by another column, with --by or --every.")
  }
  list(rows = as.list(rows), columns = as.list(columns), of = as.list(shown))
}

# The checks of a brief, in the words of the options.
check_question <- function(brief) {
  problems <- meaning_problems(brief, "shown")
  if (nrow(problems) == 0) {
    return(invisible())
  }
  options <- vapply(strsplit(problems$where, " > ", fixed = TRUE), function(keys) {
    if (keys[1] == "columns") {
      return("--extend")
    }
    tried <- unlist(lapply(rev(keys), function(key) c(key, paste0(key, "()"), sprintf("add_%s()", key))))
    c(totals_words[intersect(tried, names(totals_words))], rev(keys))[[1]]
  }, "")
  lines <- trimws(sprintf("%s: %s %s", options, problems$problem, ifelse(is.na(problems$hint), "", problems$hint)))
  stop_because("usage", paste("hinterfeld totals:", lines[1]),
               stats::setNames(lines[-1], rep("x", length(lines) - 1)))
}

# Checked, as it was typed.
cli_day <- function(text, option) {
  if (is.na(suppressWarnings(as.Date(text, format = "%Y-%m-%d")))) {
    stop_because("usage",
                 sprintf("hinterfeld totals: --%s must be a day such as 2026-05-31; it is \"%s\".", option, text))
  }
  text
}

# "2026", "2026-Q1", "2026-05", "May 2026" or "2026-05-31": its first and last day.
cli_period <- function(text, calendar) {
  days <- named_period(text, calendar)
  if (is.null(days)) {
    stop_because("usage", sprintf("hinterfeld totals: --compare cannot be \"%s\".", text), period_names_hint)
  }
  as.list(format(days))
}
