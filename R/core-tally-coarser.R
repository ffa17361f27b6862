# A tally of a tally: fewer columns, longer periods, some of its measures.

#' @rdname tally_of
#' @export
tally_of.hinterfeld_tally <- function(book, by = NULL, measures = "revenue", every = book$every, ...) {
  rlang::check_dots_empty()
  check_kept_grain(every)
  if (!is.null(every)) check_grain(book, every)
  by <- setdiff(pick_columns(enquo(by), split_columns(book), "by"), every)
  measures <- held_sums(facts_measures(book, measures))
  check_table_names(by, every, names(measures), NULL)
  keys <- facts_keys(book, by, every)
  names <- c(every, by)
  rowsets <- rowsets_of(book)
  plain <- lapply(Filter(Negate(is_staged), measures), measure_amount)
  first <- lapply(rowsets[[1]]$amounts[c(".revenue", ".lines")], held_amount)
  main <- tally_rowset(rowsets[[1]]$lines, keys, names, c(first, plain))
  staged <- Filter(is_staged, measures)
  stages <- unname(Map(function(m, name) {
    held <- lapply(keys, function(key) replace(key, "codes", list(key$elsewhere[[m$rowset - 1L]])))
    tally_rowset(rowsets[[m$rowset]]$lines, c(held, list(m$stage)), c(names, stage_column),
               stats::setNames(list(stage_amount(m)), name))
  }, staged, names(staged)))
  new_tally(every, by, lapply(measures, about_measure), c(list(main), stages), book)
}
