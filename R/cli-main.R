# The command line: finds the command, runs it, turns conditions into text and exit codes.

cli_commands <- list(
  demo = list(run = function(args) cli_demo(args), about = "total the demo's sales and write tables and a figure")
)

cli_exit <- c(done = 0L, failed = 1L, wrong_use = 2L)

# Runs one command line and returns its exit code. Results go to standard output, messages to
# standard error.
cli_main <- function(args = commandArgs(TRUE)) {
  tryCatch(
    withCallingHandlers(cli_dispatch(args), message = function(cnd) {
      cli_say(conditionMessage(cnd))
      rlang::cnd_muffle(cnd)
    }),
    hinterfeld_error_usage = function(cnd) {
      cli_say(c(conditionMessage(cnd), "See hinterfeld --help."))
      cli_exit[["wrong_use"]]
    },
    error = function(cnd) {
      cli_say(paste("hinterfeld:", conditionMessage(cnd)))
      cli_exit[["failed"]]
    }
  )
}

cli_dispatch <- function(args) {
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
    near <- nearest(args[1], names(cli_commands), 1)
    stop_because("usage", paste0(
      sprintf("hinterfeld: there is no command \"%s\".", args[1]),
      if (length(near)) sprintf(" Did you mean \"%s\"?", near)
    ))
  }
  command$run(args[-1])
  cli_exit[["done"]]
}

cli_help <- function() {
  c(
    "Usage: hinterfeld COMMAND [options]",
    "",
    "Product revenue from sale lines, exact to the cent.",
    "",
    "Commands:",
    sprintf("  %-8s %s", names(cli_commands), vapply(cli_commands, function(command) command$about, "")),
    "",
    "  hinterfeld COMMAND --help tells a command's options, with an example.",
    "  hinterfeld --version tells the version.",
    "",
    "Exit codes: 0 done, 1 failed, 2 wrong use."
  )
}

cli_say <- function(text) {
  writeLines(as.character(cli::ansi_strip(text)), stderr())
}

# What is wrong with the options, without the parser's own name.
option_problem <- function(cnd) {
  trimws(sub("^Error in [[:alnum:]_.]+[(].*[)] : *", "", conditionMessage(cnd)))
}

# Options of one command; NULL when its help was asked for and given.
cli_options <- function(command, options, args, example) {
  parser <- optparse::OptionParser(
    usage = sprintf("hinterfeld %s [options]", command), option_list = options, add_help_option = FALSE,
    epilogue = paste0("Example:\n  ", example)
  )
  parser <- optparse::add_option(parser, c("-h", "--help"), action = "store_true", default = FALSE, help = "show this help")
  given <- tryCatch(
    optparse::parse_args(parser, args, print_help_and_exit = FALSE),
    error = function(cnd) stop_because("usage", sprintf("hinterfeld %s: %s", command, option_problem(cnd)))
  )
  if (isTRUE(given$help)) {
    optparse::print_help(parser)
    return(NULL)
  }
  given
}
