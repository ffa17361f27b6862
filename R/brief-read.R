#' Briefs: one file for data, rules and what to deliver
#'
#' A brief is a YAML file that says which files hold the sale lines and how they attach, what each column is for,
#' which lines count and why, and which tables, figures and report to deliver. [run_brief()] does the job.
#'
#' @param path Text: path of the brief. Paths inside a brief are relative to its folder.
#' @return `read_brief()`: a brief, for [run_brief()] and [sales_report()].
#' @section Parts: Every part except `brief`, `data` and `daybook` may be left out. The keys of a part are the arguments
#'   of the function that does the work; a key that is left out has that function's default.
#' * `brief`: the version of this form, 1.
#' * `data`: `lines`, a file; `settle`, columns of the lines whose spellings are made one as by [settle_spelling()], for
#'   example before they are compared with a table; and `attach`, a list of `table`, `by`, `need`, `name` as in
#'   [attach_table()]. A file is a path, an address, or `file` with the options of [load_table()]; or a `table` of a
#'   `database`, with `types`, and `parts` and `changed` for lines whose parts are kept, see [stored_parts()].
#' * `daybook`: `day`, `product`, `revenue`, `units`, `order`, `decimals`, `rounding`, `currency`, `day_format`,
#'   `covers`, `on_bad` as in [daybook()], and `calendar` with the arguments of [sales_calendar()];
#'   `closed` may also name files with one column of dates.
#' * `store`: a folder in which the tally of each part of the lines is kept, so that the next run reads only what is new
#'   or has changed. See [stored_parts()].
#' * `columns`: further columns of the lines by name, each an expression over columns and the ones before; see
#'   [extend_lines()]. Conditions and tables can use them.
#' * `restrict`: a list of `keep` or `leave_out`, a condition, with `why`; see [keep_lines()].
#' * `tables`: each by its name: `by`, `every`, `measures`, `subtotals`, `fill` as in [totals()], from the lines that
#'   remain after the table's own `keep` and `leave_out` (each a condition or a list of conditions); `add`, a list of
#'   steps; `in_period`, a period to keep, taken after changes and running figures and before shares, ranks and picks;
#'   then `pick`: `best_sellers`, `slow_sellers` or `best_of_each`, or `crosstab`, with, if wanted, the `order` of its
#'   rows and how many of the `best` to keep; `sort`, columns as in [sort_rows()] (`-revenue` from the highest);
#'   `headings`, other names for columns; `columns`, the columns to show, in that order; `decimals_shown`, the decimals
#'   shown in print and in files for people. Or `unsold` with the arguments of [unsold()]. A measure is a column's name,
#'   or `name: {largest_of: revenue, per: day}`, as in [measures]. [as_brief()] writes the entry of a table made in R.
#' * `figures`: each by its name: `draw`, which figure (`trend` is [figure_trend()]), `table`, and the figure's
#'   arguments.
#' * `report`: `file`, `title`, `words` (Markdown), `sections`, `switch` and the columns to report by; see
#'   [sales_report()].
#' * `outputs`: `folder`, the formats of `tables` and `figures`, and `workbook`, a single workbook with all tables.
#'
#' For programs, the same form is described by the JSON Schema in
#' `system.file("brief", "brief.schema.json", package = "hinterfeld")`.
#' @section Steps:
#' `r step_table()`
#' @section Figures:
#' `r figure_table()`
#' @section Expressions: Revenue, conditions and measures may be expressions over columns, as in R. They are read as
#'   data, never run as code. They may contain numbers, texts, `TRUE`, `FALSE`, `NA`, columns, and
#' * arithmetic `+ - * / ^ %% %/%`, `abs()`, `round()`, `pmin()`, `pmax()`;
#' * comparison `== != < <= > >=`, membership `%in% c(...)`, logic `& | !`, `ifelse()`;
#' * missing values `is.na()`; text `tolower()`, `toupper()`, `trimws()`, `startsWith()`, `endsWith()`, `nchar()`,
#'   [reads_as()];
#' * days `as.Date("2026-01-31")` and their parts `year()`, `quarter()`, `month()`, `day_of_month()`, `weekday()` (1 is
#'   Monday).
#' @section Errors: `hinterfeld_error_file` when there is no such file, `hinterfeld_error_brief`, which lists every
#'   mistake in its form with the line number.
#' @references YAML 1.2 (yaml.org); JSON Schema draft 2020-12 (json-schema.org).
#' @seealso [check_brief()] for all mistakes at once, including those in the data.
#' @export
#' @examples
#' read_brief(demo_brief())
read_brief <- function(path) {
  parsed <- parse_brief(path)
  problems <- form_problems(parsed)
  if (nrow(problems)) stop_brief(parsed, problems)
  new_brief(parsed)
}

#' @export
print.hinterfeld_brief <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_brief <- function(x, ...) {
  content <- x$content
  sketch <- function(name) {
    if (length(content[[name]])) sprintf("%s: %s", name, paste(names(content[[name]]), collapse = ", "))
  }
  files <- vapply(brief_files(x), function(file) file$shown, "")
  text_notes(c(
    sprintf("Brief %s", basename(x$path)), sprintf("data: %s", paste(files, collapse = ", ")),
    sketch("tables"), sketch("figures"), if (!is.null(content$report)) sprintf("report: %s", report_file(x)),
    sprintf("into: %s", output_folder(x))
  ))
}

new_brief <- function(parsed) {
  structure(parsed[c("path", "folder", "content", "text")], class = "hinterfeld_brief")
}

# The brief's content as nested lists (maps have names, sequences have none), and its text.
parse_brief <- function(path, call = caller_env()) {
  check_file(path, call)
  text <- brief_text(path, call)
  parsed <- list(path = path, folder = dirname(path), text = text, content = NULL, problems = NULL)
  parsed$content <- tryCatch(
    # What only looks like a number, such as a dot, is checked like any other value.
    suppressWarnings(yaml::yaml.load(paste(text, collapse = "\n"), handlers = yaml_handlers, eval.expr = FALSE)),
    error = function(cnd) cnd
  )
  if (inherits(parsed$content, "error")) {
    parsed$problems <- yaml_problem(conditionMessage(parsed$content), yaml_lines(text))
    parsed$content <- NULL
  }
  parsed
}

# The lines of a brief, which is a page or two of text, whatever its file holds.
brief_text <- function(path, call) {
  if (file.size(path) > 1e6) {
    stop_because("brief",
                 sprintf("%s is larger than 1 000 000 bytes, which is far too large for a brief.", basename(path)),
                 i = "Is it the right file?", call = call)
  }
  bytes <- readBin(path, "raw", file.size(path))
  if (any(bytes == 0)) {
    stop_because("encoding", sprintf("%s holds a NUL byte, so it is not a text file.", basename(path)),
                 i = "Save it as UTF-8.", call = call)
  }
  text <- strsplit(gsub("\r\n?", "\n", rawToChar(bytes), useBytes = TRUE), "\n", fixed = TRUE, useBytes = TRUE)[[1]]
  Encoding(text) <- "UTF-8"
  if (!all(validUTF8(text))) {
    stop_because("encoding", sprintf("%s is not UTF-8 text.", basename(path)), i = "Save it as UTF-8.", call = call)
  }
  check_brief_size(text, path, call)
  text
}

# A few lines of YAML can expand to more than fits in memory.
check_brief_size <- function(text, path, call) {
  too_much <- function(what, hint) stop_because("brief", sprintf("%s %s.", basename(path), what), i = hint, call = call)
  bare <- gsub("\"(\\\\.|[^\"\\\\])*\"|'[^']*'", "", text)
  if (sum(lengths(regmatches(bare, gregexpr("(^|[ ,:[{-])[*][[:alnum:]_]+", bare)))) > 20 &&
      any(grepl("(^|[ ,:[{-])&[[:alnum:]_]+", bare))) {
    too_much("repeats parts of itself more than 20 times (`*name`)", "Write them out.")
  }
  marks <- unlist(regmatches(bare, gregexpr("[][{}]", bare)))
  if (max(0, cumsum(ifelse(marks %in% c("[", "{"), 1, -1))) > 20 || any(nchar(sub("[^ -].*$", "", text)) > 200)) {
    too_much("is nested more than 20 levels deep", "Check the indentation: no key of a brief is that deep.")
  }
  # A document may be marked at its start, before anything else, and at its end.
  said <- grep("^[^#]*[^#[:space:]]", text)
  if (any(grep("^---( |$)", text) > said[1]) || any(said > c(grep("^[.][.][.]( |$)", text), Inf)[1])) {
    too_much("holds more than one YAML document", "Keep one brief in a file.")
  }
}

# Sequences stay lists; of the many words that YAML 1.1 takes for yes and no only `true` and `false` are meant, and
# 12:30 is not a number.
yaml_handlers <- list(
  seq = function(x) x,
  `bool#yes` = function(x) if (tolower(x) == "true") TRUE else x,
  `bool#no` = function(x) if (tolower(x) == "false") FALSE else x,
  `int#base60` = function(x) x, `float#base60` = function(x) x, `int#oct` = function(x) x, `int#hex` = function(x) x
)

yaml_problem <- function(message, lines) {
  if (grepl("Duplicate map key", message)) {
    twice <- lines[duplicated(lines$path), ]
    if (nrow(twice)) {
      first <- lines$line[match(twice$path[1], lines$path)]
      return(new_problem(twice$path[1], sprintf("`%s` is given twice.", last_key(twice$path[1])),
                         sprintf("It was first given in line %d.", first),
                         line = twice$line[1]))
    }
  }
  at <- regmatches(message, regexec("line ([0-9]+), column ([0-9]+)", message))[[1]]
  what <- trimws(sub("at line [0-9]+, column [0-9]+.*$", "", sub("^[^:]*error: *(\\([^)]*\\))?", "", message)))
  new_problem("", sprintf("This cannot be read as YAML: %s.", what),
              "Check the indentation, colons and quotes in this line and the one before.",
              line = if (length(at)) as.integer(at[2]) else 1L)
}

stop_brief <- function(parsed, problems, call = caller_env()) {
  stop_because("brief", sprintf("%s has %s.", basename(parsed$path), count_of(nrow(problems), "mistake")),
               stats::setNames(problem_lines(problems, basename(parsed$path)), rep("x", nrow(problems))),
               problems = problems, call = call)
}
