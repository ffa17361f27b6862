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
  completion = list(run = function(args) cli_completion(args), about = "what a shell completes, for bash or zsh"),
  manual = list(run = function(args) cli_manual(args), about = "the manual page, for man")
)

cli_exit <- c(done = 0L, failed = 1L, wrong_use = 2L)

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
      # A reader such as head that has seen enough closes the pipe: no error.
      if (grepl("SIGPIPE|Broken pipe|cannot write to this connection", conditionMessage(cnd))) {
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

cli_say <- function(text) {
  lines <- unlist(strsplit(as.character(cli::ansi_strip(text)), "\n", fixed = TRUE))
  writeLines(text_notes(lines), stderr())
}

# What is wrong with the options, without the parser's own name.
option_problem <- function(cnd) {
  trimws(sub("^Error in [[:alnum:]_.]+[(].*[)] : *", "", conditionMessage(cnd)))
}

# Options and files of one command; NULL when its help was asked for and given. `files` says how many files it takes, at
# least and at most, and `of` what they are called. Options that are `repeated` come as a list of name and value, in
# order.
cli_options <- function(command, groups, args, example, files = c(0, 0), of = "", repeated = character(),
                        pairs = character()) {
  if (is.null(names(groups))) groups <- list(Options = groups)
  if (identical(args, "--options")) rlang::signal("", "hinterfeld_options", groups = groups)
  options <- unlist(unname(groups), recursive = FALSE)
  parser <- optparse::OptionParser(option_list = options, add_help_option = FALSE)
  parser <- optparse::add_option(parser, c("-h", "--help"), action = "store_true", default = FALSE)
  wrong <- function(problem) stop_because("usage", sprintf("hinterfeld %s: %s", command, problem))
  takes <- vapply(options, function(option) if (option@action == "store_true") "" else sub("^--", "", option@long_flag),
                  "")
  taken <- take_values(args, takes[nzchar(takes)], pairs, wrong)
  flags <- sub("^--([^=]*).*$", "\\1", taken$flags)
  new <- which(former_words[flags] %in% takes & !flags %in% takes)
  if (length(new)) wrong(sprintf("--%s is called --%s now.", flags[new[1]], former_words[[flags[new[1]]]]))
  own <- vapply(taken$values, function(value) value$name %in% c(repeated, pairs), NA)
  given <- tryCatch(
    optparse::parse_args(parser, c(taken$flags, vapply(taken$values[!own], function(value) {
      sprintf("--%s=%s", value$name, value$value)
    }, "")), print_help_and_exit = FALSE, positional_arguments = TRUE),
    error = function(cnd) wrong(option_problem(cnd))
  )
  if (isTRUE(given$options$help)) {
    usage <- gsub(" +", " ", sprintf("Usage: hinterfeld %s %s [options]", command, of))
    writeLines(c(usage, options_help(groups), "", "Example:", paste0("  ", example)))
    return(NULL)
  }
  if (length(taken$files) < files[1]) wrong(sprintf("%s is missing.", sub(" .*", "", of)))
  if (length(taken$files) > files[2]) wrong(sprintf("unexpected argument \"%s\".", taken$files[files[2] + 1]))
  for (value in taken$values[own]) if (value$name %in% pairs) given$options[[value$name]] <- value$value
  again <- Filter(function(value) value$name %in% repeated, taken$values)
  c(given$options, list(files = taken$files, repeated = again))
}

# Two columns of at most 80 characters, a heading for each group.
options_help <- function(groups) {
  last <- length(groups)
  groups[[last]] <- c(groups[[last]], list(flag("help", "show this help, also as -h")))
  lines <- lapply(groups, function(options) lapply(options, function(option) {
    called <- paste0("  ", option@long_flag, if (option@action != "store_true") paste0(" ", option@metavar))
    said <- strwrap(sub("%default", option@default %||% "", option@help, fixed = TRUE), 80 - help_indent)
    beside <- nchar(called) < help_indent
    c(if (!beside) called,
      paste0(formatC(c(if (beside) called, rep("", length(said) - beside)), width = -help_indent), said))
  }))
  headed <- Map(function(name, options) c("", paste0(name, ":"), unlist(options)), names(groups), lines)
  unlist(headed, use.names = FALSE)
}

help_indent <- 26L

# Options with their values, in order, flags, and files. The parser would take a word that stands twice for one, and
# keep the last of several values only.
take_values <- function(args, takes, pairs, wrong) {
  taken <- list(values = list(), flags = character(), files = character())
  i <- 1
  while (i <= length(args)) {
    # --name VALUE and --name=VALUE are one.
    name <- sub("^--([^=]*).*$", "\\1", args[i])
    joined <- grepl("^--[^=]*=", args[i])
    step <- 1
    if (startsWith(args[i], "--") && name %in% takes) {
      step <- if (joined) 1 else if (name %in% pairs) 3 else 2
      if (i + step - 1 > length(args)) {
        wrong(sprintf("--%s takes %s.", name, if (step == 3) "two values" else "a value"))
      }
      value <- if (joined) sub("^[^=]*=", "", args[i]) else args[i + seq_len(step - 1)]
      taken$values <- c(taken$values, list(list(name = name, value = value)))
    } else if (startsWith(args[i], "-") && args[i] != "-") {
      taken$flags <- c(taken$flags, args[i])
    } else {
      taken$files <- c(taken$files, args[i])
    }
    i <- i + step
  }
  taken
}

option <- function(name, help, metavar = NULL, default = NULL, type = "character") {
  optparse::make_option(paste0("--", name), default = default, metavar = metavar %||% "TEXT", help = help, type = type)
}

flag <- function(name, help) {
  optparse::make_option(paste0("--", name), action = "store_true", default = FALSE, help = help)
}

database_option <- function() {
  option("database",
         "read tables of a database: a variable or a service NAME",
         "NAME")
}

# A file as given, or what comes through standard input.
cli_file <- function(path) {
  if (path != "-") {
    return(path)
  }
  folder <- tempfile("input-")
  dir.create(folder)
  into <- file.path(folder, "standard input")
  from <- file("stdin", "rb")
  on.exit(close(from))
  to <- file(into, "wb")
  while (length(bytes <- readBin(from, "raw", 1e6))) writeBin(bytes, to)
  close(to)
  into
}

# "a, b" as c("a", "b").
cli_list <- function(text) {
  if (is.null(text)) NULL else trimws(strsplit(text, ",", fixed = TRUE)[[1]])
}
