# What must not change anything: the order of lines, chunks, threads, the locale, options for numbers, lines that a
# condition leaves out, the names of columns.

# The table that the calls of a chain give, and what was thrown where one fails.
table_of <- function(made, chain, lines = given_lines(made), book_call = daybook_call(made)) {
  place <- call_place(lines)
  tryCatch({
    place$book <- quiet_eval(book_call, place)
    for (move in chain) {
      value <- quiet_eval(move$call, place)
      if (move$kind %in% c("keep",
                           "leave_out")) place$book <- value else if (!move$kind %in% names(endings)) place$t <- value
    }
    answer_in(place)
  }, hinterfeld_error = function(cnd) list(error = class(cnd)[1]))
}

answer_in <- function(place) {
  if (is.null(place$error)) list(table = if (!is.null(place$t)) tibble::as_tibble(place$t),
                                 book = place$book) else list(error = place$error)
}

variants <- list(
  `order of lines` = function(made, chain) {
    lines <- given_lines(made)
    table_of(made, chain, lines[sample(nrow(lines)), , drop = FALSE])
  },
  threads = function(made, chain) {
    withr::with_options(list(hinterfeld.threads = sample(3, 1)), table_of(made, chain))
  },
  options = function(made, chain) {
    withr::with_options(list(OutDec = ",", scipen = -5, stringsAsFactors = TRUE, digits = 3), table_of(made, chain))
  },
  locale = function(made, chain) {
    withr::with_locale(c(LC_CTYPE = "C", LC_COLLATE = "C", LC_TIME = "C"), table_of(made, chain))
  },
  `time zone` = function(made, chain) withr::with_timezone("Pacific/Auckland", table_of(made, chain)),
  `factors for texts` = function(made, chain) {
    lines <- given_lines(made)
    texts <- vapply(lines, is.character, NA)
    lines[texts] <- lapply(lines[texts], factor)
    table_of(made, chain, lines)
  },
  `names of columns` = function(made, chain) {
    lines <- given_lines(made)
    names(lines)[match(c("price", "pieces", "ticket"), names(lines))] <- c("units", "level", "Total")
    call <- do.call(substitute,
                    list(daybook_call(made), list(price = quote(units), pieces = quote(level), ticket = quote(Total))))
    # A role's own name is kept for the role.
    if (made$per_piece) table_of(made, chain,
                                 stats::setNames(lines, replace(names(lines), names(lines) == "units", "kg")),
                                 do.call(substitute, list(call, list(units = quote(kg))))) else NULL
  },
  `lines from files` = function(made, chain) {
    place <- tryCatch(lines_from_files(made), hinterfeld_error = function(cnd) list(error = class(cnd)[1]))
    if (is.data.frame(place)) table_of(made, chain, place) else place
  },
  `lines that are left out` = function(made, chain) {
    if (any(vapply(chain, function(move) move$kind %in% c("keep", "leave_out"), NA))) return(NULL)
    lines <- given_lines(made)
    more <- lines[sample(nrow(lines), nrow(lines), replace = TRUE), , drop = FALSE]
    more$extra <- "more"
    # Other decimals among them must not change the scale of what is left.
    more$cost <- more$cost + 0.0005
    lines$extra <- "own"
    out <- list(kind = "leave_out", call = quote(leave_out(book, extra == "more")))
    table_of(made, c(list(out), chain), rbind(lines, more))
  }
)

# The lines written as text into some files and read again, in blocks of any size.
lines_from_files <- function(made) {
  place <- rlang::env(asNamespace("hinterfeld"), folder = folder_of_lines(made, 3), types = types_of_lines)
  read <- withr::with_options(list(hinterfeld.block = sample(c(40, 400, 2^25), 1)),
                              quiet_eval(quote(load_table(folder, types = types)), place))
  read[names(given_lines(made))]
}

types_of_lines <- c(product = "text", region = "text", place = "text", ticket = "text", price = "number",
                    cost = "number", pieces = "number", shelf = "number", day = "date")

folder_of_lines <- function(made, most) {
  folder <- tempfile("lines-", scratch())
  dir.create(folder)
  lines <- given_lines(made)
  lines[] <- lapply(lines, function(x) if (is.double(x) && !inherits(x, "Date")) hinterfeld:::number_text(x) else x)
  part <- sort(sample(sample(most, 1), nrow(lines), replace = TRUE))
  for (i in unique(part)) {
    rows <- lines[part == i, sample(ncol(lines)), drop = FALSE]
    utils::write.table(rows, file.path(folder, sprintf("part %d.csv", i)), sep = ",", na = "", row.names = FALSE,
                       qmethod = "double", quote = pick(list(TRUE, which(vapply(rows, is.character, NA)))),
                       fileEncoding = "UTF-8", eol = pick(c("\n", "\r\n")))
  }
  folder
}

# The first of some variants, chosen again for each case, that gives another table; NULL where none does.
vary <- function(made, chain, base, most = 2) {
  for (name in sample(names(variants), most)) {
    other <- variants[[name]](made, chain)
    # More lines may be more than can be exact.
    if (is.null(other) || identical(other$error, "hinterfeld_error_overflow")) next
    if (!identical(base$table, other$table) || !identical(base$error, other$error)) {
      return(sprintf("another table with another: %s. %s", name,
                     toString(utils::head(all.equal(base$table, other$table), 2))))
    }
  }
  once_more <- pick(c(list(chunked, tallied, function(made, chain, base) asked_again(made, chain), two_grains,
                           spread_again, on_the_desk, by_kept_parts, parted, outside_values),
                           if (exists("campaign_server")) grouped_there))
  once_more(made, chain, base)
}

# A month with its year is a month: the same rows with the same numbers, whatever was added to them.
two_grains <- function(made, chain, base) {
  starts <- Filter(function(move) move$kind == "totals", chain)
  one <- if (length(starts)) starts[[1]]$every
  if (!is.null(base$error) || !isTRUE(one %in% c("month", "quarter")) || !is.null(starts[[1]]$subtotals)) return(NULL)
  two <- c("year", paste0(one, "_of_year"))
  if (any(vapply(chain, function(move) move$kind == "sorted" && one %in% move$columns, NA))) return(NULL)
  in_two <- function(x) {
    if (is.call(x)) return(as.call(lapply(as.list(x), in_two)))
    if (is.character(x) && one %in% x) c(setdiff(x, one), two) else x
  }
  place <- moved(made, chain, function(move) {
    if (move$kind == "totals") move$call$every <- two else if (move$kind %in% step_names) move$call <- in_two(move$call)
    move
  })
  ours <- tibble::as_tibble(place$t)
  theirs <- tibble::as_tibble(moved(made, chain)$t)
  same <- setdiff(intersect(names(ours), names(theirs)), c(one, two))
  if (!identical(as.list(ours[same]), as.list(theirs[same]))) {
    sprintf("another table by year and part of it: %s",
            toString(utils::head(all.equal(as.list(ours[same]), as.list(theirs[same])), 2)))
  }
}
step_names <- c("rank", "share", "pareto", "running", "moving", "change", "named", "best")

# The cells of a crosstab of an added column are the rows of its table.
spread_again <- function(made, chain, base) {
  if (!is.null(base$error)) return(NULL)
  t <- moved(made, chain)$t
  answer <- hinterfeld:::answer_of(t)
  of <- names(Filter(function(column) is.numeric(t[[column]]), stats::setNames(nm = names(answer$added))))
  if (length(of) == 0 || length(answer$keys) < 2 || answer$cut || answer$by_hand) return(NULL)
  cut <- sample(length(answer$keys) - 1, 1)
  rows <- answer$keys[seq_len(cut)]
  columns <- setdiff(answer$keys, rows)
  of <- pick(of)
  x <- quiet_eval(rlang::expr(crosstab(!!t, !!rows, !!columns, of = !!of)), call_place(NULL))
  detail <- if (is.null(answer$level)) t else t[t[[answer$level]] == levels(t[[answer$level]])[1], ]
  text <- function(data, names) {
    parts <- lapply(names, function(name) {
      values <- data[[name]]
      grain <- answer$columns[[name]]$every
      shown <- if (is.null(grain)) hinterfeld:::plain_value(values) else hinterfeld:::period_names(values, grain,
                                                                                                  answer$about$calendar)
      replace(shown, is.na(shown), hinterfeld:::answer_of(x)$labels$not_given)
    })
    do.call(paste, c(parts, sep = "\x1f"))
  }
  heads <- vapply(hinterfeld:::answer_of(x)$cells, function(cell) paste(cell$head, collapse = "\x1f"), "")
  body <- tibble::as_tibble(x)
  at <- cbind(match(text(detail, rows), text(body, rows)), match(text(detail, columns), heads))
  cells <- as.matrix(body[names(heads)])[at]
  if (!identical(as.double(cells), as.double(detail[[of]]))) {
    sprintf("the crosstab of `%s` holds other numbers than its table: %s", of,
            toString(utils::head(all.equal(as.double(cells), as.double(detail[[of]])), 2)))
  }
}

# The moves of a chain; `change` may make another one of each.
moved <- function(made, chain, change = function(move) move) {
  place <- call_place(given_lines(made))
  place$book <- quiet_eval(daybook_call(made), place)
  for (move in chain) {
    move <- change(move)
    value <- quiet_eval(move$call, place)
    if (move$kind %in% c("keep", "leave_out")) {
      place$book <- value
    } else if (!move$kind %in% names(endings)) {
      # What a chain ends with is not a table of its own.
      place$t <- value
    }
  }
  place
}

# The inquiry of a table as R calls, and as lines of a brief, gives the identical table.
asked_again <- function(made, chain) {
  if (any(vapply(chain, function(move) move$kind %in% c("cut", "note", "plain"), NA))) return(NULL)
  place <- tryCatch(moved(made, chain), hinterfeld_error = function(cnd) NULL)
  if (!inherits(place$t, "hinterfeld_totals")) return(NULL)
  q <- quiet_eval(quote(inquiry_of(t)), place)
  first <- place$t
  if (!identical(unserialize(serialize(q, NULL)), q)) return("an inquiry does not save as it is")
  for (line in quiet_eval(quote(as_code(inquiry_of(t))),
                          place)) quiet_eval(parse(text = line, keep.source = FALSE)[[1]], place)
  if (!identical(place$t, first)) return(paste("another table by its code:",
                                               toString(utils::head(all.equal(first, place$t), 2))))
  text <- paste(as_brief(q, "again"), collapse = "\n")
  spec <- yaml::yaml.load(text, handlers = hinterfeld:::yaml_handlers, eval.expr = FALSE)$tables$again
  place$t <- quiet_eval(quote(brief_table(book, spec, NULL)), rlang::env(place, spec = spec))
  if (!identical(place$t, first)) paste("another table by its brief:",
                                        toString(utils::head(all.equal(first, place$t), 2)))
}

# The desk answers the same inquiry with the identical table, by way of its link, and what it says of a row is that row:
# only these lines, and all but these. It refuses a measure that has the name of a column and is another number.
on_the_desk <- function(made, chain, base) {
  if (any(vapply(chain, function(move) move$kind %in% c("cut", "note", "plain"), NA))) return(NULL)
  place <- tryCatch(moved(made, chain), hinterfeld_error = function(cnd) NULL)
  if (!inherits(place$t, "hinterfeld_totals")) return(NULL)
  text <- paste(quiet_eval(quote(as_brief(inquiry_of(t), "shown")), place), collapse = "\n")
  spec <- yaml::yaml.load(text, handlers = hinterfeld:::yaml_handlers, eval.expr = FALSE)$tables$shown
  if (!is.null(spec$headings)) return(NULL)
  book <- place$book
  inside <- rlang::env(asNamespace("hinterfeld"), spec = spec, book = book)
  answer <- tryCatch(quiet_eval(quote({
    desk <- new_desk(book)
    state <- new_state(spec, within_of(spec))
    desk_answer(desk, state_of_link(state_link(state), book))
  }), inside), hinterfeld_error_link = identity)
  untrue <- any(vapply(chain, function(move) {
    m <- move$measures$revenue
    !is.null(m) && !(m$kind == "sum" && identical(m$x, "revenue") && is.null(m$where))
  }, NA))
  if (inherits(answer, "error") != untrue) {
    return(if (untrue) "the desk takes a `revenue` that is another number" else conditionMessage(answer))
  }
  if (untrue) return(NULL)
  if (!identical(answer$table, place$t)) {
    return(paste("another table on the desk:", toString(utils::head(all.equal(place$t, answer$table), 2))))
  }
  if (nrow(answer$table) == 0) return(NULL)
  inside$answer <- answer
  inside$row <- sample(nrow(answer$table), 1)
  quiet_eval(quote(html_of(htmltools::tagList(sentence_tags(answer$state, desk), answer_table_tags(answer),
                                              row_menu(answer, desk, row), aside_tags(desk, answer)))), inside)
  behind <- tryCatch(nrow(quiet_eval(quote(lines_behind(answer$table, row)), inside)),
                     hinterfeld_error_argument = function(cnd) NULL)
  texts <- quiet_eval(quote(row_conditions(answer, row)), inside)
  if (is.null(behind) || length(texts) == 0) return(NULL)
  left <- function(rules) {
    tryCatch({
      for (rule in rules) {
        book <- quiet_eval(quote(restrict_by(book, rule)), rlang::env(inside, rule = rule, book = book))
      }
      book$lines
    }, hinterfeld_error_no_lines = function(cnd) 0L)
  }
  only <- left(lapply(texts, function(text) list(keep = text)))
  rest <- left(list(list(leave_out = paste(texts, collapse = " & "))))
  if (only != behind || only + rest != book$lines) {
    sprintf("a row of %d lines has %d by its conditions, and %d of %d are left without: %s", behind, only, rest,
            book$lines, toString(texts))
  }
}

# The brief of a chain, whose lines are an entry of it; NULL where a brief cannot say it.
brief_of_chain <- function(made, chain, folder, lines) {
  kinds <- vapply(chain, function(move) move$kind, "")
  rules <- kinds %in% c("keep", "leave_out")
  if (any(kinds %in% c("cut", "note", "plain")) || any(which(rules) > match("totals", kinds, 0))) return(NULL)
  place <- tryCatch(moved(made, chain), hinterfeld_error = function(cnd) NULL)
  if (!inherits(place$t, "hinterfeld_totals")) return(NULL)
  text <- paste(quiet_eval(quote(as_brief(inquiry_of(t), "shown")), place), collapse = "\n")
  content <- list(
    brief = 1, data = list(lines = lines),
    daybook = list(day = "day", product = "product", revenue = if (made$per_piece) "pieces * price" else "price",
                   units = "pieces", order = "ticket", decimals = made$decimals, rounding = made$rounding,
                   calendar = as.list(made$calendar)[-1],
                   on_bad = "set_aside"),
    restrict = if (any(rules)) lapply(chain[rules], function(move) {
      stats::setNames(list(paste(deparse(move$call[[3]], 500), collapse = " ")), move$kind)
    }),
    tables = yaml::yaml.load(text, handlers = hinterfeld:::yaml_handlers, eval.expr = FALSE)$tables
  )
  brief <- list(path = file.path(folder, "brief.yaml"), folder = folder, content = content)
  file.create(brief$path)
  brief
}

# What differs between a brief's facts and a daybook of all lines: its table, or its audit.
facts_differ <- function(facts, whole, shown, of) {
  tables <- lapply(list(facts$table("shown"), whole), hinterfeld:::brief_table, shown, NULL)
  if (!identical(tibble::as_tibble(tables[[1]]), tibble::as_tibble(tables[[2]]))) {
    return(sprintf("another table of %s: %s", of, toString(utils::head(all.equal(tables[[1]], tables[[2]]), 2))))
  }
  audits <- lapply(list(facts$all, whole), function(x) as.list(audit(x)))
  audits[[1]]$why <- sub(", grouped in the database", "", audits[[1]]$why, fixed = TRUE)
  if (!identical(audits[[1]], audits[[2]])) {
    sprintf("another audit of %s: %s", of, toString(utils::head(all.equal(audits[[1]], audits[[2]]), 3)))
  }
}

# A brief that keeps the parts of its lines, which come one after another, gives the table and the audit of all lines.
by_kept_parts <- function(made, chain, base) {
  folder <- folder_of_lines(made, 5)
  brief <- brief_of_chain(made, chain, folder, list(file = folder, types = as.list(types_of_lines)))
  if (is.null(brief)) return(NULL)
  shown <- brief$content$tables$shown
  first <- brief
  first$content$tables$shown$by <- as.list(finer(unlist(shown$by)))
  later <- sample(list.files(folder, "[.]csv$", full.names = TRUE), 1)
  inside <- rlang::env(asNamespace("hinterfeld"), brief = brief, first = pick(list(brief, first)), later = later)
  both <- tryCatch(quiet_eval(quote({
    first$open_store <- brief$open_store <- open_store(file.path(brief$folder, "kept"))
    on.exit(close_store(brief$open_store))
    if (length(list.files(brief$folder, "[.]csv$")) > 1) {
      file.rename(later, paste0(later, ".later"))
      # What the first run kept may be finer than what the second needs.
      tryCatch(brief_facts(first), hinterfeld_error_no_lines = function(cnd) NULL)
      file.rename(paste0(later, ".later"), later)
    }
    list(brief_facts(brief), brief_daybook(brief))
  }), inside), hinterfeld_error_facts = function(cnd) NULL)
  if (!is.null(both)) quiet_eval(quote(facts_differ(both[[1]], both[[2]], shown, "kept parts")), environment())
}

# A brief whose lines a database groups gives the table and the audit of lines that are fetched. `campaign_server` is
# the database, where there is one: list(con =, address =).
grouped_there <- function(made, chain, base) {
  folder <- tempfile("brief-", scratch())
  dir.create(folder)
  brief <- brief_of_chain(made, chain, folder, list(database = "CAMPAIGN", table = "lines"))
  if (is.null(brief)) return(NULL)
  lines <- given_lines(made)
  types <- ifelse(types_of_lines == "number", "numeric", types_of_lines)
  places <- c(unlist(made$places[c("price", "cost")]), shelf = 1L)
  digits <- vapply(names(places), function(name) {
    largest <- max(abs(as.numeric(lines[[name]])), 0, na.rm = TRUE)
    if (isTRUE(largest * 10^places[[name]] < 1e15)) 15L else 24L
  }, 0L)
  types[names(places)] <- sprintf("numeric(%d, %d)", digits, places)
  brief$content$daybook$decimals <- list(revenue = made$decimals, cost = unname(places[["cost"]]))
  # What a database does not add up is fetched: most of the briefs ask for what it does.
  if (chance(0.8)) {
    brief$content$daybook$revenue <- "price"
    brief$content$tables$shown$measures <- lapply(brief$content$tables$shown$measures, plain_measure)
  }
  DBI::dbWriteTable(campaign_server$con, "lines", lines, overwrite = TRUE, row.names = FALSE,
                    field.types = replace(types, names(types) == "pieces", "integer")[names(lines)])
  withr::local_envvar(CAMPAIGN = campaign_server$address)
  withr::local_options(hinterfeld.grouped = TRUE)
  both <- tryCatch(quiet_eval(quote(with_open_sources(list(brief_facts(brief), brief_daybook(brief)))),
                              rlang::env(asNamespace("hinterfeld"), brief = brief)),
                   hinterfeld_error_facts = function(cnd) NULL)
  if (!is.null(both)) {
    campaign_server$grouped <- campaign_server$grouped + any(grepl("grouped in the database", both[[1]]$all$trail$why))
    quiet_eval(quote(facts_differ(both[[1]], both[[2]], brief$content$tables$shown, "groups")), environment())
  }
}

# A measure of a brief, taken of a column where it was of an expression, and of all lines where its condition looks at
# the amount of each.
plain_measure <- function(entry) {
  if (!is.list(entry)) return(entry)
  lapply(entry, function(spec) {
    taken <- c("sum_of", "mean_of", "median_of", "smallest_of", "largest_of", "ratio_of", "to")
    for (key in intersect(names(spec), taken)) {
      if (!spec[[key]] %in% c("revenue", "units", "cost")) spec[[key]] <- "revenue"
    }
    if (is.null(spec$per)) names(spec) <- sub("median_of", "mean_of", names(spec), fixed = TRUE)
    amounts <- c("revenue", "units", "cost")
    if (!is.null(spec$where) && any(all.vars(str2lang(spec$where)) %in% amounts)) spec$where <- NULL
    spec
  })
}

# The columns that a table is split by and some others.
finer <- function(by) {
  union(by, sample(c("product", "region", "place"), 1))
}

# A tally of days that was merged of chunks, and read from a file, answers as the lines do: the table and all of its
# steps.
tallied <- function(made, chain, base) {
  starts <- Filter(function(move) move$kind == "totals", chain)
  if (!is.null(base$error) || length(starts) == 0 || nrow(made$lines) < 4) return(NULL)
  asked <- starts[[1]]
  path <- file.path(scratch(), "days.tally")
  as_tally <- function(move) {
    if (move$kind != "totals") return(move)
    measures <- as.call(c(quote(list), lapply(asked$measures, function(m) m$r)))
    # A ratio is told from its sums, not held by name.
    ratio <- vapply(asked$measures, function(m) m$kind == "ratio", NA)
    move$call$measures <- as.call(c(quote(list), replace(stats::setNames(as.list(names(ratio)), names(ratio)), ratio,
                                                         lapply(asked$measures[ratio], function(m) m$r))))
    made_of <- quote(book)
    # A tally of a finer tally is that of the lines.
    if (sample(2, 1) == 1) made_of <- bquote(tally_of(book, by = .(finer(asked$by)), measures = .(measures)))
    move$call[[2]] <- bquote(load_tally(save_tally(tally_of(.(made_of), by = .(asked$by), measures = .(measures)),
                                                   .(path))))
    move
  }
  place <- tryCatch(moved(made, chain, as_tally), hinterfeld_error_facts = function(cnd) NULL)
  if (is.null(place)) return(NULL)
  lines <- moved(made, chain)$t
  if (!identical(place$t, lines)) sprintf("a tally of days answers another: %s",
                                          toString(utils::head(all.equal(place$t, lines), 2)))
}

# Tallies of chunks, merged and read from a file, give the totals of all lines.
chunked <- function(made, chain, base) {
  starts <- Filter(function(move) move$kind == "totals", chain)
  if (!is.null(base$error) || length(starts) == 0 || nrow(made$lines) < 4) return(NULL)
  asked <- starts[[1]]
  if (isTRUE(asked$every %in% recurring_names)) return(NULL)
  place <- rlang::env(asNamespace("hinterfeld"), book = base$book)
  measures <- as.call(c(quote(list), lapply(asked$measures, function(m) m$r)))
  lines <- quiet_eval(quote(lines_of(book)), place)
  book_of <- function(rows) {
    place$chunk <- lines[rows, ]
    quiet_eval(rlang::expr(daybook(chunk, day, revenue, product, units = units, order = order,
                                   decimals = !!made$decimals,
                                   rounding = !!made$rounding, calendar = !!made$calendar)), place)
  }
  place$book <- book_of(seq_len(nrow(lines)))
  whole <- quiet_eval(rlang::expr(totals(book, by = !!asked$by, every = !!asked$every, measures = !!measures)), place)
  tallies <- tryCatch(lapply(split(seq_len(nrow(lines)), sample(3, nrow(lines), replace = TRUE)), function(rows) {
    place$book <- book_of(rows)
    quiet_eval(rlang::expr(tally_of(book, by = !!asked$by, every = !!asked$every, measures = !!measures)), place)
  }), hinterfeld_error_facts = function(cnd) NULL)
  if (is.null(tallies)) return(NULL)
  merged <- quiet_eval(quote(Reduce(merge_tallies, tallies)), rlang::env(place, tallies = tallies))
  path <- file.path(scratch(), "merged.tally")
  back <- quiet_eval(quote({
    back <- load_tally(save_tally(merged, path))
    totals(back, by = tidyselect::all_of(back$by), every = back$every, measures = asked)
  }), rlang::env(place, merged = merged, path = path, asked = quiet_eval(measures, place)))
  back <- tibble::as_tibble(back)
  expected <- tibble::as_tibble(whole)
  if (!identical(as.list(back),
                 as.list(expected))) sprintf("merged tallies differ: %s",
                                             toString(utils::head(all.equal(as.list(back), as.list(expected)), 2)))
}

# Tallies of the lines for which a condition holds and of those for which it does not, merged: the lines for which it is
# decided, in totals and in the audit. None of them goes in twice.
parted <- function(made, chain, base) {
  starts <- Filter(function(move) move$kind == "totals", chain)
  if (!is.null(base$error) || length(starts) == 0) return(NULL)
  asked <- starts[[1]]
  if (any(vapply(asked$measures, function(m) identical(m$per, "month"), NA))) return(NULL)
  place <- rlang::env(asNamespace("hinterfeld"), book = base$book)
  condition <- random_condition(made)$r
  measures <- as.call(c(quote(list), lapply(asked$measures, function(m) m$r)))
  tally <- function(verb) {
    quiet_eval(rlang::expr(tally_of((!!verb)(book, !!condition), by = !!asked$by, measures = !!measures)), place)
  }
  sides <- tryCatch(lapply(list(quote(keep_lines), quote(leave_out)), tally),
                    hinterfeld_error_facts = function(cnd) NULL, hinterfeld_error_no_lines = function(cnd) NULL)
  if (is.null(sides)) return(NULL)
  merged <- quiet_eval(quote(merge_tallies(sides[[1]], sides[[2]])), rlang::env(place, sides = sides))
  known <- quiet_eval(rlang::expr(keep_lines(book, !is.na(!!condition))), place)
  ask <- function(facts) {
    asked_now <- rlang::expr(totals(facts, by = !!asked$by, measures = !!measures))
    tibble::as_tibble(quiet_eval(asked_now, rlang::env(place, facts = facts)))
  }
  if (!identical(ask(merged), ask(known))) return("parts of the same lines, merged, have another table")
  last <- function(facts) utils::tail(as.list(as.data.frame(utils::tail(hinterfeld::audit(facts), 1))), -1)
  counts <- c("lines_after", "orders_after", "revenue_after")
  if (!identical(last(merged)[counts],
                 last(known)[counts])) return("parts of the same lines, merged, have another audit")
  again <- tryCatch(quiet_eval(quote(merge_tallies(merged, side)), rlang::env(place, merged = merged,
                                                                              side = sides[[1]])),
                    hinterfeld_error_argument = function(cnd) NULL)
  if (!is.null(again)) "a part was merged twice"
}

# Values of variables in conditions: the table and the audit of the values themselves.
outside_values <- function(made, chain, base) {
  if (!is.null(base$error) || !any(vapply(chain, function(move) move$kind %in% c("keep", "leave_out"),
                                          NA))) return(NULL)
  place <- moved(made, chain, function(move) {
    if (!move$kind %in% c("keep", "leave_out")) return(move)
    values <- list()
    named <- function(x) {
      if (is.call(x)) return(as.call(c(x[[1]], lapply(as.list(x)[-1], named))))
      if (is.symbol(x)) return(x)
      values <<- c(values, list(x))
      as.symbol(sprintf("outside_%d", length(values)))
    }
    move$call[[3]] <- named(move$call[[3]])
    given <- stats::setNames(values, sprintf("outside_%d", seq_along(values)))
    move$call <- bquote({
      list2env(.(given), environment())
      .(move$call)
    })
    move
  })
  if (!identical(hinterfeld::audit(place$book),
                 hinterfeld::audit(base$book))) return("another audit with values of variables")
  table <- if (!is.null(place$t)) tibble::as_tibble(place$t)
  if (!identical(table, base$table)) "another table with values of variables"
}
