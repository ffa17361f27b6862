# The command line: finds the command, runs it, turns conditions into text and exit codes.

cli_commands <- list(
  demo = list(run = function(args) cli_demo(args),
              about = "run the made-up Kilnmoor brief: tables, figures, workbook, report"),
  survey = list(run = function(args) cli_survey(args), about = "what the columns of a file hold"),
  totals = list(run = function(args) cli_totals(args), about = "answer one question from a file of sale lines"),
  new = list(run = function(args) cli_new(args), about = "write a starter brief from the columns of files"),
  `set-aside` = list(run = function(args) cli_set_aside(args), about = "the lines that a brief cannot use, and why"),
  check = list(run = function(args) cli_check(args), about = "list every mistake in a brief"),
  run = list(run = function(args) cli_run(args), about = "run a brief: tables, figures, workbook, report"),
  compare = list(run = function(args) cli_compare(args), about = "what changed between two runs of a brief"),
  store = list(run = function(args) cli_store(args), about = "list what a brief keeps for its next run, or clear it"),
  report = list(run = function(args) cli_report(args), about = "write only the report of a brief"),
  findings = list(run = function(args) cli_findings(args), about = "what stands out in a brief's data, in sentences"),
  desk = list(run = function(args) cli_desk(args), about = "open a page for looking around in a brief's data"),
  completion = list(run = function(args) cli_completion(args, cli_commands),
                    about = "what a shell completes, for bash or zsh"),
  manual = list(run = function(args) cli_manual(args, cli_commands), about = "the manual page, for man")
)

# Runs one command line and returns its exit code. Results go to standard output, messages to
# standard error; with --quiet only errors do.
cli_main <- function(args = commandArgs(TRUE)) {
  code <- in_plain_session(cli_run_line(args))
  if (code == cli_exit[["done"]] && output_failed_kernel()) {
    cli_say("Could not write to standard output: the result is incomplete.")
    code <- cli_exit[["failed"]]
  }
  code
}

cli_run_line <- function(args) {
  quiet <- "--quiet" %in% args
  options(hinterfeld.quiet = quiet)
  say_it <- function(cnd, restart) {
    if (!quiet) cli_say(conditionMessage(cnd))
    invokeRestart(restart)
  }
  tryCatch(
    withCallingHandlers(
      cli_dispatch(args[args != "--quiet"]),
      message = function(cnd) say_it(cnd, "muffleMessage"), warning = function(cnd) say_it(cnd, "muffleWarning")
    ),
    hinterfeld_error_usage = function(cnd) {
      cli_say(c(conditionMessage(cnd),
                sprintf("See hinterfeld %s--help.", if (is_command(args[1])) paste0(args[1], " ") else "")))
      cli_exit[["wrong_use"]]
    },
    error = function(cnd) {
      # A reader such as head that has seen enough closes the pipe: no error of ours.
      if (!inherits(cnd, "hinterfeld_error") && is.null(cnd$parent) && output_closed_kernel()) {
        return(cli_exit[["done"]])
      }
      cli_say(paste("hinterfeld:", problem_with_causes(cnd)))
      cli_exit[["failed"]]
    }
  )
}

is_command <- function(name) {
  isTRUE(name %in% names(cli_commands))
}

cli_dispatch <- function(args) {
  if (length(args) == 2 && args[1] == "help") args <- c(args[2], "--help")
  if (length(args) == 0 || args[1] %in% c("--help", "-h", "help")) {
    writeLines(cli_help())
    return(cli_exit[["done"]])
  }
  if (args[1] == "--version") {
    writeLines(paste("hinterfeld", utils::packageVersion("hinterfeld")))
    return(cli_exit[["done"]])
  }
  command <- cli_commands[[args[1]]]
  if (is.null(command)) {
    near <- c(intersect(former_words[args[1]], names(cli_commands)), nearest(args[1], names(cli_commands), 1))[1]
    stop_because("usage",
                 paste0(sprintf("hinterfeld: there is no command \"%s\".", args[1]),
                        if (!is.na(near)) sprintf(" Did you mean \"%s\"?", near)))
  }
  # A command may end with an exit code of its own, having said why.
  code <- command$run(args[-1])
  if (is.integer(code)) code else cli_exit[["done"]]
}

cli_help <- function() {
  c(
    "Usage: hinterfeld COMMAND [options]",
    "",
    "Product revenue from sale lines, exact to the cent.",
    "",
    "Commands:",
    sprintf("  %-10s %s", names(cli_commands), vapply(cli_commands, function(command) command$about, "")),
    "",
    "  hinterfeld COMMAND --help shows a command's options, with an example.",
    "  hinterfeld --version prints the version.",
    "  --quiet, for every command: print only errors and the result.",
    "",
    "Results go to standard output, messages to standard error. Give - as a file name to read standard input.",
    "Exit codes: 0 success, 1 failure, 2 wrong usage."
  )
}
