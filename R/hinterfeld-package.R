#' hinterfeld: product revenue, exact to the cent and traceable to its lines
#'
#' The main functions, in the order you need them: [load_table()] reads files, [attach_table()] puts lines, orders and
#' products together, [daybook()] checks every line, [keep_lines()] restricts, [totals()] totals, [add_change()],
#' [add_rank()], [add_share()], [add_running_total()] and [add_pareto()] compare, rank and accumulate, [best_sellers()]
#' picks, [deliver()] writes and [figure_trend()] draws. [audit()] shows what each step removed, [in_words()] explains
#' how a table was computed, and [reconcile()] checks that it adds up. [run_brief()] runs a whole job from a brief,
#' [sales_report()] writes a report on a daybook, and [tally_of()] totals in chunks.
#'
#' @section Threads: The compiled code uses as many threads as there are processors, at most eight; set another number
#'   with, for example, `options(hinterfeld.threads = 1)`. Results do not depend on it.
#'
#' @section Memory: If the lines exceed `options(hinterfeld.in_memory = 2e9)` bytes, briefs and the command line read
#'   and tally them in chunks; in R, use [tally_of()]. Results do not depend on this either.
#'
#' @keywords internal
#' @importFrom Rcpp evalCpp
#' @importFrom rlang %||% := .data abort caller_env enquo
#' @useDynLib hinterfeld, .registration = TRUE
"_PACKAGE"
