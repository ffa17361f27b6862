# Problems of a brief: what is wrong, where, and on which line.

# Problems: where (keys joined by " > "), line, what, and what to do, if there is something.
new_problem <- function(path, problem, hint = NA_character_, line = NA_integer_) {
  n <- length(problem)
  inner_table(list(line = rep_len(line, n), where = rep_len(paste(path, collapse = " > "), n), problem = problem,
                   hint = rep_len(hint %||% NA_character_, n)), n)
}

# What an error says, and what it says to do.
problem_from <- function(path, cnd) {
  said <- strsplit(conditionMessage(cnd), "\n", fixed = TRUE)[[1]]
  hint <- sub("^([\u2139\u2716!xi]|[^[:alnum:]\"`]+) ", "", said[-1])
  new_problem(path, said[1], if (length(hint)) paste(hint, collapse = " "))
}

last_key <- function(path) {
  sub("^.* > ", "", path)
}

# Each problem gets the line of its key, or of the nearest key around it. Without problems `lines` is never evaluated.
with_lines <- function(problems, lines) {
  for (i in which(is.na(problems$line))) {
    path <- problems$where[i]
    while (!path %in% lines$path && grepl(" > ", path)) path <- sub(" > [^>]*$", "", path)
    problems$line[i] <- if (path %in% lines$path) lines$line[match(path, lines$path)] else 1L
  }
  problems[order(problems$line), ]
}

problem_lines <- function(problems, file) {
  where <- ifelse(problems$where == "", "", paste0(problems$where, ": "))
  hint <- ifelse(is.na(problems$hint), "", paste0(" ", problems$hint))
  sprintf("%s:%d: %s%s%s", file, problems$line, where, problems$problem, hint)
}

no_problems <- function() {
  new_problem(character(), character())
}

bind_problems <- function(problems) {
  some_problems <- Filter(function(some) NROW(some) > 0, problems)
  if (length(some_problems)) do.call(rbind, some_problems) else no_problems()
}
