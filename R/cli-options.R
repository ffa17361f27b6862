# The options of commands, their help, and what commands share.

cli_exit <- c(done = 0L, failed = 1L, wrong_use = 2L)

cli_say <- function(text) {
  lines <- unlist(strsplit(as.character(cli::ansi_strip(text)), "\n", fixed = TRUE))
  writeLines(text_notes(lines), stderr())
}

# Options and files of one command; NULL when its help was asked for and given. `files` says how many files it takes, at
# least and at most, and `of` what they are called. Options that are `repeated` come as a list of name and value, in
# order.
cli_options <- function(command, groups, args, example, files = c(0, 0), of = "", repeated = character(),
                        pairs = character()) {
  if (is.null(names(groups))) groups <- list(Options = groups)
  if (identical(args, "--options")) rlang::signal("", "hinterfeld_options", groups = groups)
  options <- unlist(unname(groups), recursive = FALSE)
  names(options) <- vapply(options, function(option) option$name, "")
  wrong <- function(problem) stop_because("usage", sprintf("hinterfeld %s: %s", command, problem))
  taken <- take_values(args, names(options)[!vapply(options, is_flag, NA)], pairs, wrong)
  check_given_once(taken, options, repeated, wrong)
  check_flags(taken$flags, paste0("--", c(names(options), "help")), wrong)
  own <- vapply(taken$values, function(value) value$name %in% c(repeated, pairs), NA)
  values <- vapply(taken$values[!own], function(value) sprintf("--%s=%s", value$name, value$value), "")
  help <- taken$flags %in% c("-h", "--help")
  given <- parse_given(options, c(taken$flags[!help], values))
  if (any(help)) {
    usage <- gsub(" +", " ", sprintf("Usage: hinterfeld %s %s [options]", command, of))
    writeLines(c(usage, options_help(groups), "", "Example:", paste0("  ", example)))
    return(NULL)
  }
  if (length(taken$files) < files[1]) wrong(sprintf("%s is missing.", sub(" .*", "", of)))
  if (length(taken$files) > files[2]) wrong(sprintf("unexpected argument \"%s\".", taken$files[files[2] + 1]))
  for (value in taken$values[own]) if (value$name %in% pairs) given[[value$name]] <- value$value
  again <- Filter(function(value) value$name %in% repeated, taken$values)
  c(read_whole(given, wrong), list(files = taken$files, repeated = again))
}

# Of two values one would be dropped in silence, and a value that is not there is none.
check_given_once <- function(taken, options, repeated, wrong) {
  names <- vapply(taken$values, function(value) value$name, "")
  twice <- setdiff(c(names[duplicated(names)], sub("^--", "", taken$flags[duplicated(taken$flags)])), repeated)
  if (length(twice)) {
    lists <- grepl("NAMES|DAYS|[[]", options[[twice[1]]]$metavar %||% "")
    wrong(sprintf("--%s is given twice.%s", twice[1], if (lists) " Separate its values with commas." else ""))
  }
  blank <- names[vapply(taken$values, function(value) any(!nzchar(trimws(value$value))), NA)]
  if (length(blank)) wrong(sprintf("--%s has no value.", blank[1]))
}

# The values of options. Only options that are given are made for the parser, because making one is slow; the others
# have their defaults.
parse_given <- function(options, args) {
  asked <- names(options) %in% sub("^--([^=]*).*", "\\1", args)
  parser <- optparse::OptionParser(option_list = lapply(unname(options[asked]), function(option) {
    optparse::make_option(paste0("--", option$name), action = if (is_flag(option)) "store_true" else "store",
                          default = option$default, type = if (is_flag(option)) "logical" else "character")
  }), add_help_option = FALSE)
  defaults <- lapply(options[!asked], function(option) option$default)
  c(optparse::parse_args(parser, args, print_help_and_exit = FALSE), Filter(Negate(is.null), defaults))
}

# Options that take whole numbers, with the least of each.
whole_options <- c(top = 1, slow = 1, moving = 1, n = 1, workers = 1, port = 1, decimals = 0, rows = 0,
                   `decimals-shown` = 0)

read_whole <- function(given, wrong) {
  for (name in intersect(names(whole_options), names(given))) {
    text <- given[[name]]
    least <- whole_options[[name]]
    or_all <- name == "rows"
    if (or_all && text == "all") {
      given[[name]] <- Inf
    } else if (grepl("^[0-9]{1,9}$", text) && as.integer(text) >= least) {
      given[[name]] <- as.integer(text)
    } else {
      wrong(sprintf("--%s must be a whole number, %d or more%s; it is \"%s\".", name, least,
                    if (or_all) ", or all" else "", text))
    }
  }
  given
}

# Whatever begins with a hyphen and was not read with its value must be an option that has none.
check_flags <- function(flags, known, wrong) {
  names <- sub("=.*$", "", flags)
  for (name in setdiff(names, c(known, "-h"))) {
    now <- paste0("--", former_words[sub("^--", "", name)])
    wrong(if (now %in% known) sprintf("%s is called %s now.", name, now) else
      paste(c(sprintf("there is no option %s.", name), did_you_mean(name, known, "")), collapse = " "))
  }
  if (any(names != flags)) wrong(sprintf("%s takes no value.", names[names != flags][1]))
}

# Two columns of at most 80 characters, a heading for each group.
options_help <- function(groups) {
  last <- length(groups)
  groups[[last]] <- c(groups[[last]], list(flag("help", "show this help, also as -h")))
  lines <- lapply(groups, function(options) lapply(options, function(option) {
    called <- paste0("  --", option$name, if (!is_flag(option)) paste0(" ", option$metavar))
    said <- strwrap(sub("%default", option$default %||% "", option$help, fixed = TRUE), 80 - help_indent)
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
    } else if (args[i] == "--") {
      # Whatever follows is a file.
      taken$files <- c(taken$files, args[-seq_len(i)])
      break
    } else if (startsWith(args[i], "-") && args[i] != "-") {
      taken$flags <- c(taken$flags, args[i])
    } else {
      taken$files <- c(taken$files, args[i])
    }
    i <- i + step
  }
  taken
}

option <- function(name, help, metavar = "TEXT", default = NULL) {
  list(name = name, help = help, metavar = metavar, default = default)
}

flag <- function(name, help) {
  list(name = name, help = help, default = FALSE)
}

is_flag <- function(option) {
  isFALSE(option$default)
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
  into <- temporary_file(shown = "standard input")
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
  path <- temporary_file(ending)
  on.exit(remove_temporary(path))
  deliver(t, path)
  cat(rawToChar(readBin(path, "raw", file.size(path))))
}
