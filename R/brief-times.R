# How long a run takes from its files to its files: of what is written it is never the same again.

# Seconds spent on reading (with checks and the daybook), on counting the tables, and on drawing and writing.
new_times <- function() {
  seconds <- c(read = 0, count = 0, write = 0)
  of <- function(what, code) {
    started <- proc.time()[["elapsed"]]
    on.exit(seconds[[what]] <<- seconds[[what]] + proc.time()[["elapsed"]] - started)
    force(code)
  }
  list(of = of, seconds = function() round(seconds, 2))
}
