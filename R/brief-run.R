#' Run a brief: tables, figures, workbook and report
#'
#' Produces everything that a brief asks for and puts it into its output folder in a single step: a run that fails or is
#' killed leaves the folder unchanged. Only one run at a time can write to a folder (`.NAME.lock` beside it is the
#' lock). A second run with the same brief, data and version does nothing and says so. Files in the folder that were not
#' made by a run stay, unless their names are those of outputs: then the run stops.
#'
#' @param brief A brief, or the path of one.
#' @param into Text: the output folder, instead of the brief's own.
#' @param again Logical: run even when nothing has changed.
#' @param store Text: a folder in which to keep the tally of each part of the lines, instead of the brief's own `store`.
#'   The next run reads only new or changed parts. See [stored_parts()].
#' @param workers Whole number: this many processes of this computer take the parts of the lines, instead of the brief's
#'   own `workers`. See the section on workers.
#' @param anywhere Logical: may the brief's own `folder` and `store` be outside the folder that holds the brief?
#' @return Invisibly, the record of the run, as in `run.json`.
#' @section Record: The output folder's `run.json` holds `brief` and `inputs` (file, size in bytes, XXH128), `versions`,
#'   `lines` (read, kept, left_out, unclear and set_aside, whole numbers), `audit` (each step), `headline` (the currency
#'   and, if there is a report, the best seller of each region), `findings` (of a brief with a report; see
#'   [findings()]), `outputs` (file, rows, keys, types and grains of the columns of tables, size, SHA-256),
#'   `calendar`, `started` (UTC), `seconds`, and `times` (how these seconds divide into reading and checking lines,
#'   computing tables, and drawing and writing). The same inputs give the same bytes in every file, except in this
#'   record and in a report with the section `times`.
#' @section Files that grow: A run that keeps parts, and a watch, take a file when it has not changed for a second;
#'   `options(hinterfeld.rest = )` gives other seconds. A file whose last line has no line end is read, and a message
#'   says so.
#' @section Databases: Lines in PostgreSQL (13 or later), with the tables attached from the same database, are grouped
#'   in the database if two things hold: the brief has no report, or its lines do not fit in memory; and it asks only
#'   for sums, counts, means, smallest and largest amounts, totals per day or order, and distinct values. The result is
#'   the same, to the last bit, as from reading all lines, and the audit says "grouped in the database". Where this
#'   cannot be guaranteed, the lines are fetched, and a message says why. An amount must be a column of type `smallint`
#'   or `integer`, or of type `numeric` with at most 15 digits and no more decimals than the brief keeps (`decimals`);
#'   no condition may look at the amount of each line. Lines that fit in memory are also fetched if there are fewer than
#'   ten to a group, because that is faster.
#'   `options(hinterfeld.grouped = FALSE)` always fetches the lines; `TRUE` groups them in the database wherever
#'   possible.
#' @section Workers: With `workers`, parts of the lines (files, and ranges of large ones) are read and tallied by
#'   several processes, and the tallies are merged; every output is the same, to the last bit. They are started for
#'   the run and stopped after it (package `mirai`). `workers: {url: "tls+tcp://10.0.0.5:5700"}` in a brief waits
#'   there for workers of other hosts, and a message says how to start one; daemons that [mirai::daemons()] has set
#'   are used as they are. Every host must have this version of the package and see the files under the same paths, or
#'   reach the PostgreSQL database under the same name; its table is divided into days, or by the brief's `parts`, and
#'   all workers read it as it was at one moment. A part that fails is tried again. So is a part whose worker is
#'   silent for five times as long as others take, and for at least `options(hinterfeld.worker_patience = 60)` seconds.
#'   A worker that does not answer within `hinterfeld.worker_timeout` (3600) seconds has failed, and
#'   `hinterfeld.worker_wait` (60) is how long a run waits for the first one. Without `mirai`, and for lines of other
#'   databases, one process does everything.
#' @section Errors: `hinterfeld_error_workers` if no worker reports, all are gone, or a part fails twice;
#'   `hinterfeld_error_brief`, which lists every mistake in the brief; the errors of the functions it
#'   calls, which name the table or figure; `hinterfeld_error_file` if the output folder cannot be written to, if
#'   another run is writing to it, if a file to be replaced is not exactly as this brief's last run left it, or if an
#'   input changes during the run.
#' @references SHA-256: FIPS 180-4. XXH128: the xxHash specification, 0.1.1.
#' @export
#' @examples
#' brief <- read_brief(demo_brief())
#' \donttest{
#' run <- run_brief(brief, into = file.path(tempdir(), "kilnmoor-out"))
#' run$lines
#' }
run_brief <- function(brief, into = NULL, again = FALSE, anywhere = FALSE, store = NULL, workers = NULL) {
  check_text(into, "into", none = TRUE)
  check_flag(again, "again")
  check_flag(anywhere, "anywhere")
  check_text(store, "store", none = TRUE)
  check_workers(workers)
  call <- rlang::current_env()
  with_own_words(brief_words, with_open_sources(in_plain_session({
    brief <- brief_to_run(brief, into, anywhere, store, call)
    brief$workers <- workers
    folder <- into %||% output_folder(brief)
    check_output_folder(folder, c(`the brief` = brief$path, `the store` = store_folder(brief)), call)
    if (!is.null(store_folder(brief))) {
      brief$open_store <- open_store(store_folder(brief), call = call)
      on.exit(close_store(brief$open_store))
    }
    settle_left_behind(folder)
    stamps <- stamps_of_files(brief)
    former <- former_record(folder, brief)
    if (!again && is_current(former, input_record(brief), folder)) {
      say("unchanged",
          sprintf("Nothing has changed since the run of %s: \"%s\" is up to date.", former$started, folder),
          i = "Run it anyway with `again = TRUE` (on the command line `--again`).")
      return(invisible(former))
    }
    invisible(run_into(folder, brief, stamps, former))
  })))
}

# A brief without a mistake, and with folders that it may write to.
brief_to_run <- function(brief, into, anywhere, store, call) {
  if (!inherits(brief, "hinterfeld_brief")) brief <- read_brief(brief)
  check_in_order(brief)
  if (is.null(into)) check_brief_folder(brief, brief$content$outputs$folder, anywhere, call)
  if (is.null(store)) {
    check_brief_folder(brief, brief$content$store, anywhere, call, "keeps parts in", "`store`", "`--store`")
  }
  brief$store <- store
  brief
}

run_into <- function(folder, brief, stamps, former, call = caller_env()) {
  started <- Sys.time()
  delayedAssign("made", made_before(former, folder))
  with_former_reported(folder, write_whole_folder(folder, made, function(draft) {
    done <- if (is.null(brief$open_store)) deliver_brief(brief, draft) else
      with_figure_store(brief$open_store$folder, function() lines_in_store(brief), {
        done <- deliver_brief(brief, draft)
        store_figures(brief$open_store, brief)
        done
      })
    files <- file.path(draft, vapply(done$outputs, function(output) output$file, ""))
    # Meanwhile the inputs and the former outputs are hashed.
    done$outputs <- Map(c, done$outputs, output_records(files, list(input_record(brief), made)))
    inputs <- input_record(brief, rows = TRUE)
    check_files_unchanged(stamps, brief)
    record <- c(
      list(brief = basename(brief$path)), inputs, done[c("lines", "audit", "headline", "findings", "outputs",
                                                            "calendar")],
      list(started = format(started, "%Y-%m-%d %H:%M:%S", tz = "UTC"),
           seconds = round(as.numeric(Sys.time() - started, units = "secs"), 1), times = done$times)
    )
    write_text(jsonlite::toJSON(record, auto_unbox = TRUE, pretty = TRUE, digits = NA, na = "null"),
               file.path(draft, "run.json"))
    record
  }, call))
}

# A failed run says what became of the former output.
with_former_reported <- function(folder, code) {
  was <- dir.exists(folder)
  tryCatch(code, error = function(cnd) {
    abort(if (was) sprintf("The run failed; \"%s\" is unchanged.",
                           folder) else sprintf("The run failed; \"%s\" was not created.", folder),
          class = c("hinterfeld_error_run", "hinterfeld_error"), parent = cnd, call = NULL)
  })
}

# Numbers of half an old and half a new file are nobody's.
check_files_unchanged <- function(stamps, brief) {
  now <- stamps_of_files(brief)
  files <- union(names(stamps), names(now))
  changed <- files[!mapply(identical, stamps[files], now[files])]
  if (length(changed)) {
    stop_because("file", sprintf("%s changed while the brief ran.", examples_of(shown_file(changed))),
                 i = "Run it again.", call = NULL)
  }
}

# Everything into the folder `part`.
deliver_brief <- function(brief, draft) {
  content <- brief$content
  times <- new_times()
  facts <- times$of("read", brief_facts(brief))
  book <- facts$all
  tables <- times$of("count", brief_tables(facts, content$tables, brief))
  found <- times$of("count", report_findings(book, brief))
  figures <- times$of("write", named_step("Figure", content$figures, function(spec, name) {
    brief_figure(tables[[spec$table]], spec, brief)
  }))
  outputs <- times$of("write", c(deliver_tables(tables, content$outputs, draft),
                                 deliver_slow(tables, figures, content$outputs, draft)))
  if ("report" %in% names(content)) {
    say_progress("Report")
    path <- file.path(draft, report_file(brief))
    times$of("write", write_report(facts, brief, path, tables, figures, found,
                                   c(times$seconds(), files = length(outputs))))
    outputs <- c(outputs, list(list(file = report_file(brief))))
  }
  headline <- headline_record(facts, brief)
  calendar <- as.list(content$daybook$calendar)
  list(lines = line_counts(book), audit = audit_steps(book), headline = headline,
       findings = findings_record(found), outputs = outputs,
       calendar = calendar[names(calendar) %in% c("year_starts", "week_starts", "weeks")],
       times = as.list(times$seconds()))
}

# The columns that tell the rows of a table apart.
row_keys <- function(t) {
  answer <- answer_of(t)
  if (!is.null(answer)) {
    return(answer$keys)
  }
  about <- listing_of(t)$details
  about <- intersect(c(about$within, about$column), names(t))
  if (length(about)) {
    return(about)
  }
  names(t)[!vapply(as.list(t), function(x) is.numeric(x) && !inherits(x, "Date"), NA)]
}

# What each column is, as load_table() takes it.
column_types <- function(t) {
  lapply(as.list(t), function(x) sub("date-time", "datetime", type_of(x), fixed = TRUE))
}

# The formats in which tables or figures are written.
asked_formats <- function(outputs, what) {
  unlist(outputs[[what]]) %||% c(tables = "csv", figures = "png")[[what]]
}

deliver_tables <- function(tables, outputs, draft) {
  formats <- asked_formats(outputs, "tables")
  unlist(lapply(names(tables), function(name) lapply(formats, function(format) {
    file <- paste0(name, ".", format)
    deliver(tables[[name]], file.path(draft, file))
    t <- tables[[name]]
    list(file = file, rows = nrow(t), keys = as.list(row_keys(t)), columns = column_types(t),
         periods = as.list(long_periods(t)))
  })), recursive = FALSE)
}

# The workbook and the figures, side by side.
deliver_slow <- function(tables, figures, outputs, draft) {
  formats <- asked_formats(outputs, "figures")
  files <- expand.grid(format = formats, name = names(figures), stringsAsFactors = FALSE)
  workbook <- if (length(tables)) outputs$workbook
  if (!is.null(workbook)) say_progress("Workbook %s", workbook)
  if (nrow(files)) say_progress("Drawing %s", count_of(nrow(files), "figure"))
  jobs <- c(list(if (!is.null(workbook)) function() deliver(tables, file.path(draft, workbook))),
            Map(function(name, format) {
              function() deliver(figures[[name]], file.path(draft, paste0(name, ".", format)))
            }, files$name, files$format))
  made <- basename(as.character(unlist(draw_side_by_side(Filter(Negate(is.null), unname(jobs))))))
  lapply(made, function(file) {
    c(list(file = file), if (identical(file, workbook)) list(rows = sum(vapply(tables, nrow, 0L))))
  })
}
