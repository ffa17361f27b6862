#' hinterfeld: product revenue, exact to the cent and traceable to its lines
#'
#' The way through the package: [load_table()] reads files, [attach_table()] puts lines, orders and
#' products together, [daybook()] checks every line, [keep_lines()] restricts, [totals()] totals,
#' [add_change()], [add_rank()], [add_share()], [add_running_total()] and [add_pareto()] compare, rank and
#' accumulate, [best_sellers()] picks, [deliver()] writes and [figure_trend()] draws. [audit()] tells what
#' each step took away, [in_words()] how a table was computed, [reconcile()] whether it adds up. [run_brief()] does a
#' whole job that is written down, [sales_report()] reports on a daybook, [tally_of()] totals in chunks.
#'
#' @section Threads: The compiled code uses as many threads as there are processors, at most eight;
#'   `options(hinterfeld.threads = 1)` and other whole numbers say otherwise. Results do not depend on it.
#'
#' @section Memory: Briefs and the command line read lines of more than `options(hinterfeld.in_memory = 2e9)` bytes in
#'   chunks, which are tallied; [tally_of()] does so in R. Results do not depend on it either.
#'
#' @keywords internal
#' @importFrom Rcpp evalCpp
#' @importFrom rlang %||% := .data abort caller_env enquo
#' @useDynLib hinterfeld, .registration = TRUE
"_PACKAGE"
