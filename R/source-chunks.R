# Lines that never stand in memory together: a source is read in chunks, each of which is used and forgotten.

# `use` is given each chunk as a table of lines that know their file and row.
each_chunk <- function(source, use, readings = open_readings(source, call), call = caller_env()) {
  force(readings)
  bar <- reading_bar(source)
  on.exit(bar$done())
  for (i in seq_along(source$scans)) {
    scan <- source$scans[[i]]
    # A range of a part begins behind others.
    before <- scan$before %||% 0
    source$kind$chunks(scan, source$plan, source$options, call = call, take = function(chunk) {
      n <- length(chunk[[1]])
      places <- new_places(source$labels[i], n, before, list(scan$empty))
      use(chunk_lines(chunk, n, places, readings, source))
      before <<- before + n
      bar$add(n)
    })
    bar$part(i)
  }
}

chunk_lines <- function(chunk, n, places, readings, source) {
  columns <- lapply(stats::setNames(nm = names(chunk)), function(name) {
    x <- chunk[[name]]
    if (!is.character(x)) {
      return(x)
    }
    coded <- text_codes(x)
    reading <- readings[[name]]
    if (is.null(reading)) coded_as_text(coded, source$options$blank) else
      reading$values[match(coded$labels, reading$texts)][coded$codes]
  })
  table <- inner_table(columns, n)
  set_origin(table, places, new_trail("read", places$file, 0, n), text_marks(columns, source))
}

# The values of text columns whose type depends on all of their texts; these columns are read once to find it.
open_readings <- function(source, call) {
  open <- names(source$plan)[source$plan == "open"]
  if (length(open) == 0) {
    return(list())
  }
  texts <- stats::setNames(rep(list(character()), length(open)), open)
  for (scan in source$scans) {
    source$kind$chunks(scan, source$plan[open], source$options, call = call, take = function(chunk) {
      for (name in open) texts[[name]] <<- union(texts[[name]], text_codes(chunk[[name]])$labels)
    })
  }
  types <- source$options$types
  readings <- lapply(stats::setNames(nm = open), function(name) {
    texts_of <- texts[[name]]
    given <- texts_of[!texts_of %in% c("", NA, source$options$blank)]
    asked <- if (name %in% names(types)) types[[name]]
    typed <- typed_texts(given, name, asked, source$options$decimal_mark, source$shown, call)
    if (length(typed$bad)) {
      stop_because("type",
                   sprintf("Column `%s` of %s should be %s, but not every value is.", name, source$shown, asked),
                   x = sprintf("It holds %s.", examples_of(given[typed$bad])),
                   i = "Mend the values, or read it as \"text\".", call = call)
    }
    if (!is.null(typed$values)) list(texts = c(given, setdiff(texts_of, given)), values = typed$values)
  })
  Filter(Negate(is.null), readings)
}

# Long work shows how far it is: on a terminal a bar with lines, speed and the time left, elsewhere a line per part.
reading_bar <- function(source) {
  if (!cli::is_dynamic_tty() || isTRUE(getOption("hinterfeld.quiet"))) {
    part <- function(i) {
      if (length(source$scans) > 1) {
        say("progress",
            sprintf("Read %s (%d of %d, %s) ...", source$labels[i], i, length(source$scans),
                    count_of(source$rows[i], "line")))
      }
    }
    return(list(add = function(n) NULL, part = part, done = function() NULL))
  }
  bar <- cli::cli_progress_bar(
    total = sum(source$rows), .auto_close = FALSE, clear = TRUE,
    format = paste("Reading", gsub("([{}])", "\\1\\1", source$shown),
                   "{cli::pb_bar} {cli::pb_eta} left, {cli::pb_current} lines, {cli::pb_rate}")
  )
  list(add = function(n) cli::cli_progress_update(n, id = bar), part = function(i) NULL,
       done = function() cli::cli_progress_done(id = bar))
}

# Tallies of chunks --------------------------------------------------------------------------------------------------

# The tallies that `take` makes of the daybook of each chunk, a list by name, merged: the same as of all lines at once.
tallies_of_chunks <- function(source, make, take, call = caller_env()) {
  chunks <- tallied_chunks(source, make, take, open_readings(source, call), call)
  finished_tallies(chunks$tallies, chunks$chunk_audit, source$shown, call)
}

# Tallies and steps of chunks, merged: of lines that may be some of several parts.
tallied_chunks <- function(source, make, take, readings, call) {
  merged <- new_merger(function(a, b) Map(joined_tallies, a, b))
  steps <- new_merger(merge_chunk_audits)
  each_chunk(source, readings = readings, call = call, use = function(table) {
    book <- usable_book(make, table)
    steps$put(unclass(book)[c("trail", "orders", "coverage", "day_rules", "aside", "used")])
    # Orders are told once for all tallies.
    if (inherits(book, "hinterfeld_daybook")) merged$put(take(replace(book, "orders", list(NULL))))
  })
  list(tallies = merged$all(), chunk_audit = steps$all())
}

# As tallies of all lines.
finished_tallies <- function(tallies, chunk_audit, shown, call) {
  check_mostly_read(chunk_audit$trail, call)
  chunk_audit$trail <- count_unused(chunk_audit$trail, chunk_audit$used)
  if (length(tallies) == 0) {
    stop_because("no_lines", "No line counts, so there is nothing to total.",
                 i = "Check the conditions, and the lines that were set aside.", call = call)
  }
  lapply(tallies, function(tally) {
    coverage <- new_coverage(chunk_audit$coverage$seen, chunk_audit$coverage$said)
    # Days between the parts had no line that a condition could be asked of.
    left <- intersect(tally$coverage$covered, chunk_audit$coverage$seen)
    coverage <- rule_out(coverage, chunk_audit$day_rules, left, "day", tally$calendar, call)
    tally <- with_coverage(tally, coverage)
    tally[c("trail", "orders", "aside")] <- chunk_audit[c("trail", "orders", "aside")]
    tally$trail[1, c("why", "merged")] <- list(shown, 1)
    tally
  })
}

# If most lines have no readable day or amount, the wrong column or format was given.
check_mostly_read <- function(trail, call) {
  lines <- trail$lines_before[match("daybook", trail$what)]
  of <- c("day not readable", "revenue not a number", "units not a number")
  unread <- trail$what == "set aside" & trail$why %in% of
  most <- which(unread & trail$lines_before - trail$lines_after > lines / 2)
  if (length(most)) {
    stop_because(if (trail$why[most[1]] == "day not readable") "day_format" else "role",
                 sprintf("Of %s, %s cannot be used: %s.", count_of(lines, "line"),
                         count_of((trail$lines_before - trail$lines_after)[most[1]], "line"), trail$why[most[1]]),
                 i = sprintf("Say how days are written with %s and numbers with `decimal_mark`, or give other columns.",
                             as_typed("day_format")), call = call)
  }
}

# A chunk may have no line that counts as long as others do; then only its steps are returned.
usable_book <- function(make, lines) {
  old <- options(hinterfeld.chunk = TRUE)
  on.exit(options(old))
  tryCatch(make(lines), hinterfeld_error_no_lines = function(cnd) cnd$left)
}

merge_chunk_audits <- function(a, b) {
  together <- steps_together(a$trail, b$trail)
  list(trail = merge_trails(a$trail, b$trail, together), orders = merge_orders(a$orders, b$orders, together),
       coverage = merge_seen(a$coverage, b$coverage),
       day_rules = if (length(a$day_rules)) a$day_rules else b$day_rules,
       aside = utils::head(merge_asides(a$aside, b$aside), max_aside), used = merge_used_rows(a$used, b$used))
}

# Of lines that were set aside a reader is shown the first; one more tells that there are others.
max_aside <- 51L

merge_asides <- function(a, b) {
  if (NROW(a) == 0) b else if (NROW(b) == 0) a else stack_tables(a, b)
}

# Merges results of similar size, so that a large one is not merged again for every small one.
new_merger <- function(both) {
  waiting <- list()
  put <- function(tallied) {
    rank <- 1
    while (rank <= length(waiting) && !is.null(waiting[[rank]])) {
      tallied <- both(waiting[[rank]], tallied)
      waiting[rank] <<- list(NULL)
      rank <- rank + 1
    }
    waiting[[rank]] <<- tallied
  }
  all <- function() {
    left <- Filter(Negate(is.null), waiting)
    if (length(left)) Reduce(function(a, b) both(b, a), left)
  }
  list(put = put, all = all)
}

#' @rdname tally_of
#' @param make For a path: a function that takes lines and makes a daybook of them.
#' @param columns Columns to read, as in [load_table()], for a path.
#' @param ... For a path, the other options of [load_table()].
#' @export
tally_of.character <- function(book, by = NULL, measures = "revenue", every = "day", make, columns = NULL, ...) {
  if (missing(make) || !is.function(make)) {
    stop_because("argument", "`make` must be a function that turns lines into a daybook.",
                 i = "For example `make = function(lines) daybook(lines, day, revenue, product)`.")
  }
  by <- enquo(by)
  options <- checked_options(...)
  source <- open_files(book, enquo(columns), options)
  on.exit(close_source(source))
  tallies_of_chunks(source, make, function(book) {
    list(tally = rlang::inject(tally_of(book, by = !!by, measures = measures, every = every)))
  })$tally
}
