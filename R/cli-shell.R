# hinterfeld completion and manual: what a shell knows of the command, from the options of the commands themselves.

# The options of a command in their groups: each command says them when it is asked for them instead of run.
options_of <- function(command) {
  tryCatch({
    command$run("--options")
    list()
  }, hinterfeld_options = function(cnd) cnd$groups)
}

all_options <- function(groups) {
  c(unlist(lapply(unlist(unname(groups), recursive = FALSE), function(option) paste0("--", option$name))), "--help")
}

# One script for both shells: that of zsh takes the completions of bash.
cli_completion <- function(args, commands) {
  given <- cli_options("completion", list(), args, files = c(1, 1), of = "SHELL",
                       example = "hinterfeld completion bash > ~/.local/share/bash-completion/completions/hinterfeld")
  if (is.null(given)) {
    return(invisible())
  }
  if (!given$files %in% c("bash", "zsh")) {
    stop_because("usage", sprintf("hinterfeld completion: SHELL is bash or zsh, not \"%s\".", given$files))
  }
  cases <- vapply(names(commands), function(command) {
    sprintf("    %s) words=\"%s\" ;;", command, paste(all_options(options_of(commands[[command]])), collapse = " "))
  }, "")
  writeLines(c(
    if (given$files == "zsh") c("#compdef hinterfeld", "autoload -U +X bashcompinit && bashcompinit"),
    "_hinterfeld() {", "  local words=\"\"", "  case \"${COMP_WORDS[1]}\" in", unname(cases), "  esac",
    sprintf("  [ \"$COMP_CWORD\" -gt 1 ] || words=\"%s\"", paste(c(names(commands), "--help", "--version"),
                                                               collapse = " ")),
    "  COMPREPLY=($(compgen -W \"$words\" -- \"${COMP_WORDS[COMP_CWORD]}\"))", "}",
    "complete -o default -F _hinterfeld hinterfeld"
  ))
}

# The manual page, as man(1) takes it.
cli_manual <- function(args, commands) {
  given <- cli_options("manual", list(), args, example = "hinterfeld manual > hinterfeld.1 && man ./hinterfeld.1")
  if (is.null(given)) {
    return(invisible())
  }
  plain <- function(text) gsub("-", "\\-", gsub("\\", "\\e", text, fixed = TRUE), fixed = TRUE)
  # A line that begins with a dot would be an order.
  said <- function(lines) c(".nf", sub("^([.'])", "\\\\&\\1", plain(lines)), ".fi")
  writeLines(c(
    sprintf(".TH HINTERFELD 1 \"\" \"hinterfeld %s\"", utils::packageVersion("hinterfeld")),
    ".SH NAME", "hinterfeld \\- product revenue from sale lines, exact to the cent",
    ".SH SYNOPSIS", ".B hinterfeld", "COMMAND [options]", ".SH COMMANDS",
    unlist(lapply(names(commands), function(command) {
      about <- plain(capital(commands[[command]]$about))
      c(sprintf(".SS %s", plain(command)), about, said(options_help(options_of(commands[[command]]))))
    })),
    ".SH EXIT CODES", "0 success, 1 failure, 2 wrong usage."
  ))
}
