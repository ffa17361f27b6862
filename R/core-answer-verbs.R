# The verbs that users apply to a totals table or a crosstab: it stays an answer as long as its rows and columns still
# mean the same, and says so when they do not.

drop_answer <- function(x, why) {
  kind <- if (inherits(x, "hinterfeld_crosstab")) "crosstab" else "totals table"
  # Who writes a file with R's own functions keeps the table as it is.
  written <- any(vapply(seq_len(sys.nframe()), function(i) identical(sys.function(i), utils::write.table), NA))
  if (!written) say("plain", sprintf("%s: this is now a plain tibble, no longer a %s.", why, kind))
  as_tibble.hinterfeld_totals(x)
}

# A table again after rows or columns of it were taken. `x` has its class and whatever attributes.
keep_answer <- function(x, t) {
  answer <- answer_of(t)
  keys <- c(answer$keys, answer$level)
  lost <- setdiff(keys, names(x))
  if (length(lost)) {
    return(drop_answer(x, sprintf("Without %s its rows cannot be told apart", columns_named(lost))))
  }
  here <- names(answer$columns) %in% names(x)
  if (!has_measure_among(answer, names(x))) {
    return(drop_answer(x, "It has no measure left"))
  }
  gone <- nrow(x) < nrow(t) || length(answer$cells) > 0 && !all(here)
  attr(x, "answer") <- attr(t, "answer")
  x <- set_answer(x, columns = answer$columns[here], cut = answer$cut || gone, by_hand = answer$by_hand || gone)
  if (nrow(x) < nrow(t) && is.null(answer$grid)) stats_again(x) else x
}

# The same after verbs that may have done anything: `data` is what they made of `t`. It is still an answer when its rows
# are rows of `t`, each at most once, and its columns say of them what they said.
restore_answer <- function(data, t) {
  answer <- answer_of(t)
  out <- tibble::new_tibble(unclass_columns(data), nrow = nrow(data), class = class(t)[class(t) %in% answer_classes])
  if (anyDuplicated(names(out))) {
    return(drop_answer(out, "Two columns have the same name"))
  }
  keys <- c(answer$keys, answer$level)
  if (!all(keys %in% names(out))) {
    return(keep_answer(out, t))
  }
  at <- match_rows(out, t, keys)
  if (anyNA(at)) {
    return(drop_answer(out, "Some rows do not come from the totals table"))
  }
  if (anyDuplicated(at)) {
    return(drop_answer(out, "Some rows occur twice"))
  }
  before <- as.list(t)
  here <- intersect(answer$values, names(out))
  same <- vapply(here, function(name) same_values(.subset2(out, name), before[[name]], at), NA)
  if (all(same)) keep_answer(out, t) else drop_answer(out, sprintf("%s changed", columns_named(here[!same])))
}

unclass_columns <- function(data) {
  columns <- unclass(data)
  attributes(columns) <- list(names = names(data))
  columns
}

same_values <- function(x, before, at) {
  identical(class(x), class(before)) && identical(as.vector(x), as.vector(before[at]))
}

# For each row of `x` the row of `among` that has the same values in these columns; NA where there is none.
match_rows <- function(x, among, columns) {
  pairs <- lapply(columns, function(name) {
    theirs <- distinct_codes(.subset2(among, name))
    ours <- distinct_codes(.subset2(x, name))
    same <- identical(class(.subset2(x, name)), class(.subset2(among, name)))
    to <- if (same) match(ours$labels, theirs$labels) else rep(NA_integer_, length(ours$labels))
    list(x = recode_kernel(ours$codes, to, NA_integer_, threads_wanted()), among = theirs$codes,
         size = length(theirs$labels))
  })
  at <- find_groups(lapply(pairs, function(pair) pair$x), lapply(pairs, function(pair) pair$among),
                    vapply(pairs, function(pair) pair$size, 0L))
  unknown <- Reduce(`|`, lapply(pairs, function(pair) is.na(pair$x)), rep(FALSE, nrow(x)))
  replace(rep_len(at, nrow(x)), unknown, NA)
}

# Verbs of base R ----------------------------------------------------------------------------------------

#' @export
`[.hinterfeld_totals` <- function(x, i, j, ..., drop = FALSE) {
  plain <- as_tibble.hinterfeld_totals(x)
  if (!missing(i)) check_period_test(substitute(i), i, x)
  columns_only <- nargs() - (!missing(drop)) < 3
  if (columns_only) {
    return(retain_part(if (missing(i)) plain else plain[i], x))
  }
  out <- if (missing(i) && missing(j)) {
    plain
  } else if (missing(i)) {
    plain[, j, drop = drop]
  } else if (missing(j)) {
    plain[i, , drop = drop]
  } else {
    plain[i, j, drop = drop]
  }
  if (!is.data.frame(out)) out else if (missing(i)) retain_part(out, x) else retain_part(out, x, taken_rows(x, i))
}

# The numbers of the rows that are taken, whatever they are taken by.
taken_rows <- function(t, i) {
  tibble::new_tibble(list(at = seq_len(nrow(t))), nrow = nrow(t))[i, ]$at
}

# A part of `t`, of the rows `i`, which may be no rows of it, or some of them twice.
retain_part <- function(out, t, i = NULL) {
  class(out) <- class(t)
  if (anyNA(i)) {
    return(drop_answer(out, "Some rows do not come from the totals table"))
  }
  if (anyDuplicated(i)) {
    return(drop_answer(out, "Some rows occur twice"))
  }
  if (anyDuplicated(names(out))) {
    return(drop_answer(out, "Two columns have the same name"))
  }
  # A key with a single value does not tell rows apart, so it can go.
  answer <- answer_of(t)
  lost <- setdiff(c(answer$keys, answer$level), names(out))
  single <- function(key) length(unique(if (is.null(i)) t[[key]] else t[[key]][i])) == 1
  if (length(lost) && ncol(out) > 0 && all(vapply(lost, single, NA))) {
    return(columns_listing(out, answer))
  }
  keep_answer(out, t)
}

# A period is a date, and no date equals the number of a year.
check_period_test <- function(expr, i, t) {
  if (!is.logical(i) || any(i, na.rm = TRUE) || !rlang::is_call(expr, c("==", "%in%")) || nrow(t) == 0) {
    return(invisible())
  }
  answer <- answer_of(t)
  number <- Filter(is.numeric, as.list(expr)[-1])
  dates <- answer$periods[vapply(answer$periods, function(name) !is.factor(t[[name]]), NA)]
  named <- intersect(c(all.vars(expr), all.names(expr)), dates)
  if (length(number) && length(named)) {
    stop_because("period",
                 sprintf("No `%s` equals %s: a period is stored as the date of its first day.", named[1],
                         format(number[[1]][1])),
                 i = sprintf("Keep its rows with `in_period(t, \"%s\")`.", format(number[[1]][1])), call = NULL)
  }
}

#' @export
`[.hinterfeld_crosstab` <- `[.hinterfeld_totals`

#' @export
`names<-.hinterfeld_totals` <- function(x, value) {
  answer <- attr(x, "answer", exact = TRUE)
  old <- names(x)
  x <- as_tibble.hinterfeld_totals(x)
  names(x) <- value
  class(x) <- c("hinterfeld_totals", class(x))
  if (anyDuplicated(value)) {
    return(drop_answer(x, "Two columns have the same name"))
  }
  attr(x, "answer") <- renamed_answer(answer, old, value)
  x
}

# The inquiry keeps the names that columns had first; what is shown of it is told in the present ones.
renamed_answer <- function(answer, old, new) {
  names(answer$columns) <- new[match(names(answer$columns), old)]
  answer$levels <- lapply(answer$levels,
                          function(level) replace(level, "columns", list(new[match(level$columns, old)])))
  answer
}

# The columns of a crosstab are named after what they hold.
#' @export
`names<-.hinterfeld_crosstab` <- function(x, value) {
  if (identical(names(x), value)) {
    return(x)
  }
  x <- as_tibble.hinterfeld_crosstab(drop_answer(x, "Columns were renamed"))
  names(x) <- value
  x
}

# After an assignment: new columns are welcome, changed keys and measures are not what was totalled.
after_change <- function(out, before) {
  answer <- answer_of(before)
  kept_names <- names(answer$columns)
  same <- vapply(kept_names, function(name) identical(.subset2(out, name), .subset2(before, name)), NA)
  class(out) <- class(before)
  if (!all(same)) {
    return(drop_answer(out, sprintf("%s changed", columns_named(kept_names[!same]))))
  }
  attr(out, "answer") <- attr(before, "answer")
  out
}

# As in tibble, which may not be loaded yet, part of a name matches nothing.
#' @export
`$.hinterfeld_totals` <- function(x, name) {
  if (name %in% names(x)) .subset2(x, name) else do.call(`$`, list(as_tibble.hinterfeld_totals(x), name))
}

#' @export
`$.hinterfeld_crosstab` <- `$.hinterfeld_totals`

#' @export
`$<-.hinterfeld_totals` <- function(x, name, value) {
  out <- as_tibble.hinterfeld_totals(x)
  out[[name]] <- value
  after_change(out, x)
}

#' @export
`[[<-.hinterfeld_totals` <- function(x, i, j, ..., value) {
  out <- as_tibble.hinterfeld_totals(x)
  if (missing(j)) out[[i]] <- value else out[[i, j]] <- value
  after_change(out, x)
}

#' @export
`[<-.hinterfeld_totals` <- function(x, i, j, ..., value) {
  out <- as_tibble.hinterfeld_totals(x)
  if (nargs() < 4) {
    if (missing(i)) out[] <- value else out[i] <- value
  } else if (missing(i)) {
    if (missing(j)) out[] <- value else out[, j] <- value
  } else if (missing(j)) {
    out[i, ] <- value
  } else {
    out[i, j] <- value
  }
  after_change(out, x)
}

#' @export
`$<-.hinterfeld_crosstab` <- `$<-.hinterfeld_totals`

#' @export
`[[<-.hinterfeld_crosstab` <- `[[<-.hinterfeld_totals`

#' @export
`[<-.hinterfeld_crosstab` <- `[<-.hinterfeld_totals`

#' @export
rbind.hinterfeld_totals <- function(...) {
  given <- lapply(list(...),
                  function(item) if (inherits(item, answer_classes)) as_tibble.hinterfeld_totals(item) else item)
  say("plain", "Rows of several tables were bound: this is now a plain tibble, no longer a totals table.")
  do.call(rbind, given)
}

#' @export
rbind.hinterfeld_crosstab <- rbind.hinterfeld_totals

#' @export
cbind.hinterfeld_totals <- function(...) {
  given <- list(...)
  t <- given[[1]]
  if (!inherits(t, answer_classes)) {
    plain <- function(item) if (inherits(item, answer_classes)) as_tibble.hinterfeld_totals(item) else item
    return(do.call(cbind, lapply(given, plain)))
  }
  restore_answer(do.call(cbind, c(list(as.data.frame(t)), given[-1])), t)
}

#' @export
cbind.hinterfeld_crosstab <- cbind.hinterfeld_totals

#' @export
merge.hinterfeld_totals <- function(x, y, ...) {
  restore_answer(merge(as.data.frame(x), y, ...), x)
}

#' @export
merge.hinterfeld_crosstab <- merge.hinterfeld_totals

# Methods for verbs of other packages, registered when these are loaded ---------------------------------------------

#' @exportS3Method vctrs::vec_proxy
vec_proxy.hinterfeld_totals <- function(x, ...) {
  as_tibble.hinterfeld_totals(x)
}

#' @exportS3Method vctrs::vec_proxy
vec_proxy.hinterfeld_crosstab <- vec_proxy.hinterfeld_totals

#' @exportS3Method vctrs::vec_restore
vec_restore.hinterfeld_totals <- function(x, to, ...) {
  restore_answer(x, to)
}

#' @exportS3Method vctrs::vec_restore
vec_restore.hinterfeld_crosstab <- vec_restore.hinterfeld_totals

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.hinterfeld_totals <- function(data, template) {
  restore_answer(data, template)
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.hinterfeld_crosstab <- dplyr_reconstruct.hinterfeld_totals

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.hinterfeld_totals <- function(data, i, ...) {
  data[if (is.logical(i)) which(i) else i, ]
}

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.hinterfeld_crosstab <- dplyr_row_slice.hinterfeld_totals

#' @exportS3Method dplyr::dplyr_col_modify
dplyr_col_modify.hinterfeld_totals <- function(data, cols) {
  out <- as_tibble.hinterfeld_totals(data)
  for (name in names(cols)) out[[name]] <- cols[[name]]
  lost <- setdiff(names(attr(data, "answer")$columns), names(out))
  if (length(lost)) retain_part(out, data) else after_change(out, data)
}

#' @exportS3Method dplyr::dplyr_col_modify
dplyr_col_modify.hinterfeld_crosstab <- dplyr_col_modify.hinterfeld_totals

# Grouped rows are another kind of table.
#' @exportS3Method dplyr::group_by
group_by.hinterfeld_totals <- function(.data, ...) {
  .data <- drop_answer(.data, "Grouped")
  NextMethod()
}

#' @exportS3Method dplyr::group_by
group_by.hinterfeld_crosstab <- group_by.hinterfeld_totals

#' @exportS3Method dplyr::rowwise
rowwise.hinterfeld_totals <- function(data, ...) {
  data <- drop_answer(data, "Row by row")
  NextMethod()
}

#' @exportS3Method dplyr::rowwise
rowwise.hinterfeld_crosstab <- rowwise.hinterfeld_totals
