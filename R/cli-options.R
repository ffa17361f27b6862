# The options of commands, their help, and what commands share.

cli_exit <- c(done = 0L, failed = 1L, wrong_use = 2L)

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

# As it is in a file: a name may hold a line end of its own.
print_file <- function(t, ending) {
  path <- tempfile(fileext = ending)
  on.exit(unlink(path))
  deliver(t, path)
  cat(rawToChar(readBin(path, "raw", file.size(path))))
}

read_row_count <- function(command, text) {
  if (identical(text, "all")) {
    return(Inf)
  }
  if (!grepl("^[0-9]{1,9}$", text)) {
    stop_because("usage", sprintf("hinterfeld %s: --rows must be a whole number or all; it is \"%s\".", command, text))
  }
  as.integer(text)
}

# Workers as they were typed, a whole number from 1.
cli_workers <- function(command, given) {
  text <- given$workers
  if (is.null(text)) {
    return(NULL)
  }
  if (!grepl("^[1-9][0-9]{0,4}$", text)) {
    stop_because("usage", sprintf("hinterfeld %s: --workers must be a whole number, 1 or more; it is \"%s\".", command,
                                  text))
  }
  as.integer(text)
}
