# A totals table remembers what it is: its daybook, keys, measures and levels. It keeps that memory
# as long as its rows and columns still mean the same, and says so when they do not.

new_totals <- function(columns, memory) {
  tibble::new_tibble(columns, memory = memory, class = "hinterfeld_totals")
}

memory_of <- function(t) {
  attr(t, "memory", exact = TRUE)
}

check_totals <- function(t, name = "t", call = caller_env()) {
  if (!inherits(t, "hinterfeld_totals")) {
    stop_because("argument", c(
      sprintf("`%s` must be a totals table.", name),
      i = sprintf("It is %s.", describe(t)),
      i = "Make one with `totals()`."
    ), call = call)
  }
}

key_columns <- function(memory) {
  c(memory$every, memory$by, if (length(memory$levels) > 1) "level")
}


#' @export
as_tibble.hinterfeld_totals <- function(x, ...) {
  attr(x, "memory") <- NULL
  class(x) <- setdiff(class(x), "hinterfeld_totals")
  x
}

forget <- function(x, why) {
  say("plain", sprintf("%s: this is a plain tibble now, no totals table.", why))
  as_tibble.hinterfeld_totals(x)
}

# A totals table again after rows or columns were taken.
retain <- function(x, memory) {
  lost <- setdiff(key_columns(memory), names(x))
  if (length(lost)) {
    return(forget(x, sprintf("Without %s its rows cannot be told apart", columns_named(lost))))
  }
  memory$measures <- memory$measures[names(memory$measures) %in% names(x)]
  if (length(memory$measures) == 0) {
    return(forget(x, "It has no measure left"))
  }
  if (nrow(x) > memory$rows) {
    return(forget(x, "It has more rows than were totalled"))
  }
  memory$derived <- memory$derived[names(memory$derived) %in% names(x)]
  memory$sentences <- memory$sentences[names(memory$sentences) %in% names(x)]
  memory$cut <- memory$cut || nrow(x) < memory$rows
  attr(x, "memory") <- memory
  x
}

#' @export
`[.hinterfeld_totals` <- function(x, i, j, ..., drop = FALSE) {
  out <- NextMethod()
  if (!is.data.frame(out)) {
    return(out)
  }
  rows <- nargs() - (!missing(drop)) > 2 && !missing(i)
  if (rows && is.numeric(i) && anyDuplicated(i)) {
    return(forget(out, "Some rows stand in it twice"))
  }
  retain(out, memory_of(x))
}

#' @export
`names<-.hinterfeld_totals` <- function(x, value) {
  memory <- memory_of(x)
  old <- names(x)
  x <- NextMethod()
  if (anyDuplicated(value)) {
    return(forget(x, "Two columns have one name"))
  }
  rename <- function(names) {
    at <- match(names, old)
    ifelse(is.na(at), names, value[at])
  }
  if ("level" %in% key_columns(memory) && rename("level") != "level") {
    return(forget(x, "`level` was renamed"))
  }
  if (length(memory$by)) memory$by <- rename(memory$by)
  names(memory$measures) <- rename(names(memory$measures))
  if (length(memory$derived)) names(memory$derived) <- rename(names(memory$derived))
  if (length(memory$sentences)) names(memory$sentences) <- rename(names(memory$sentences))
  # A figure that was added is found again by its old names only.
  memory$steps <- NULL
  memory$levels <- lapply(memory$levels, function(level) replace(level, "columns", list(rename(level$columns))))
  if (!is.null(memory$every) && rename(memory$every) != memory$every) {
    return(forget(x, sprintf("The period column `%s` was renamed", memory$every)))
  }
  attr(x, "memory") <- memory
  x
}

# After an assignment: new columns are welcome, changed keys and measures are not what was totalled.
after_change <- function(out, before) {
  memory <- memory_of(before)
  known <- c(key_columns(memory), names(memory$measures), names(memory$derived))
  same <- vapply(known, function(name) identical(.subset2(out, name), .subset2(before, name)), NA)
  if (all(same)) out else forget(out, sprintf("%s changed", columns_named(known[!same])))
}

#' @export
`$<-.hinterfeld_totals` <- function(x, name, value) {
  after_change(NextMethod(), x)
}

#' @export
`[[<-.hinterfeld_totals` <- function(x, i, j, ..., value) {
  after_change(NextMethod(), x)
}

#' @export
`[<-.hinterfeld_totals` <- function(x, i, j, ..., value) {
  after_change(NextMethod(), x)
}

#' @export
rbind.hinterfeld_totals <- function(...) {
  parts <- lapply(list(...), function(part) if (inherits(part, "hinterfeld_totals")) as_tibble.hinterfeld_totals(part) else part)
  say("plain", "Rows of several tables together: this is a plain tibble now, no totals table.")
  do.call(rbind, parts)
}
