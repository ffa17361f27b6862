#' The sales report: one HTML file
#'
#' The report says what happened in a few sentences. Then it shows headline numbers against the same days of last year,
#' the trend, changes and their causes, best sellers, Pareto classes, the running total of the year, a crosstab, the
#' profile of the week, unsold products, what was left out and why, whether everything adds up, and how each number is
#' computed. The file is self-contained: it needs no network and
#' no other file. Its tables can be sorted and filtered in the browser, and it can be printed.
#'
#' @param x A daybook, a tally (what it does not hold is left out, with a message), a brief made by [read_brief()], or
#'   the path of a brief.
#' @param path Text: the file to write, `.html`. The folder must exist. For a brief, by default its report's name in
#'   its output folder, which must exist.
#' @param title Text: the title.
#' @param words Text: an introduction by the analyst, in Markdown. HTML in it is shown as typed, and pictures are not
#'   loaded.
#' @param category,region,place Text: columns to split products and places by. If the daybook lacks a default column,
#'   the sections that need it are left out.
#' @param catalogue A data frame of all products, as for [unsold()]; the section on unsold products needs it.
#' @param targets A data frame of targets per period, and by product, category, region or place, as for [add_target()];
#'   the section on targets needs it.
#' @param places,outline Coordinates and outline for a map, as for [figure_places()].
#' @param sections Text: the sections to include, in the order wanted, chosen from `"findings"`, `"headline"`,
#'   `"trend"`, `"change"`, `"causes"`, `"targets"`, `"best_sellers"`, `"pareto"`, `"running"`, `"crosstab"`,
#'   `"weekdays"`, `"unsold"`, `"left_out"`, `"checks"`, `"methods"`. By default, all of these. A brief's report may
#'   also have `"times"`, which says how long reading, counting and writing took; the file then differs from run to run.
#' @param switch Text: `"region"`, `"category"` or `"year"`: trend, change, best sellers, Pareto classes, the running
#'   year and the crosstab are repeated for each of at most 12 values (a year as it was at its end), and the reader
#'   chooses between them on the page. `NULL` for no such choice.
#' @param findings Number: at most this many findings at the top (see [findings()]), 0 for none.
#' @param align Text: `"date"` or `"weekday"`, how days are compared with those of the year before; see [add_change()].
#' @param ... For a daybook, the arguments above; for a brief, none, because it sets them itself.
#' @return `path`, invisibly.
#' @section Errors: `hinterfeld_error_file` if `path` is not an `.html` file or its folder does not exist,
#'   `hinterfeld_error_column` for a column that the daybook lacks, `hinterfeld_error_argument` for an unknown section,
#'   and those of [read_brief()] and [run_brief()].
#' @references WCAG 2.2, level AA, for contrast, headings and alternative texts.
#' @export
#' @examples
#' \donttest{
#' sales_report(demo_daybook(), file.path(tempdir(), "sales.html"), title = "Kilnmoor Supply", place = "town")
#' }
sales_report <- function(x, path, ...) {
  UseMethod("sales_report")
}

#' @export
sales_report.default <- function(x, path, ...) {
  check_made(FALSE, x, "x", "a daybook, a tally, a brief, or the path of a brief", call = NULL)
}

#' @rdname sales_report
#' @export
sales_report.hinterfeld_daybook <- function(x, path, title = "Sales performance", words = NULL, category = "category",
                                            region = "region",
                                            place = NULL, catalogue = NULL, places = NULL, outline = NULL,
                                            sections = NULL, switch = NULL, findings = 7, targets = NULL,
                                            align = "date", ...) {
  rlang::check_dots_empty()
  check_choice(switch, "switch", switch_choices, none = TRUE)
  check_choice(align, "align", step_kinds$change$arguments$align$choices)
  check_text(title, "title")
  check_text(words, "words", none = TRUE)
  check_report_path(path)
  check_whole_number(findings, "findings", 0)
  asked <- !is.null(sections)
  sections <- sections %||% usual_sections()
  unknown <- setdiff(sections, names(report_sections))
  if (!is.character(sections) || length(unknown)) {
    stop_because("argument", sprintf("`sections` cannot be %s.", examples_of(unknown)),
                 i = sprintf("The sections are %s.", examples_of(names(report_sections), 20)))
  }
  given <- c(category = !missing(category), region = !missing(region), place = !missing(place))
  columns <- report_columns(x, list(category = category, region = region, place = place), given)
  context <- list(book = x, headline = x, columns = columns, catalogue = catalogue, targets = targets, places = places,
                  outline = outline, findings = findings, align = align,
                  may_lack = !asked && inherits(x, "hinterfeld_tally"))
  context$switch <- switch_contexts(context, switch)
  in_plain_session(write_report_page(as.list(sections), context, title, words, path))
  invisible(path)
}

#' @rdname sales_report
#' @export
sales_report.hinterfeld_tally <- sales_report.hinterfeld_daybook

# Sections are names of standard ones, or sections already made.
write_report_page <- function(sections, context, title, words, path) {
  made <- lapply(sections, function(section) if (is.list(section)) section else make_section(section, context))
  made <- with_pictures(with_closing_sections(Filter(Negate(is.null), made)))
  page <- report_page(made, title, words, context$book)
  write_whole(path, function(draft) write_text(page, draft))
}

# A tally may lack what a section needs: then it is left out, unless it was asked for.
make_section <- function(name, context) {
  lacks <- function(cnd) {
    if (!isTRUE(context$may_lack)) stop(cnd)
    say("section", sprintf("The report has no section \"%s\": %s", name, rlang::cnd_header(cnd)))
    NULL
  }
  made <- tryCatch(quietly_without_years(report_sections[[name]](context)), hinterfeld_error_facts = lacks,
           hinterfeld_error_column = lacks, hinterfeld_error_argument = lacks)
  with_variants(made, name, context)
}

# That several years are added together is said in the report itself.
quietly_without_years <- function(code) {
  suppressMessages(code, classes = "hinterfeld_message_recurring")
}

check_report_path <- function(path, call = caller_env()) {
  check_text(path, "path", call = call)
  if (!grepl("[.]html?$", path, ignore.case = TRUE)) {
    stop_because("file", sprintf("A report cannot be written as \"%s\".", basename(path)),
                 i = "Give a file name that ends in .html.", call = call)
  }
  if (!dir.exists(dirname(path))) {
    stop_because("file", sprintf("There is no folder \"%s\".", dirname(path)), i = "Make it first: `dir.create()`.",
                 call = call)
  }
}

# Columns that were asked for must be there; columns by default may be.
report_columns <- function(book, columns, given, call = caller_env()) {
  choices <- split_columns(book)
  for (name in names(columns)) {
    column <- columns[[name]]
    if (is.null(column) || column %in% choices) next
    if (given[[name]]) {
      stop_because("column", sprintf("`%s` names `%s`, which is not a column.", name, column),
                   i = sprintf("The columns are %s.", columns_named(choices)), i = did_you_mean(column, choices),
                   call = call)
    }
    columns[name] <- list(NULL)
  }
  columns
}
