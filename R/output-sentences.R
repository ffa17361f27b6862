# Plain words for what a table is, how it was computed, and what was left out before it.

#' In plain words: what a table is and how it was computed
#'
#' @param t A totals table or a crosstab.
#' @return Text, one sentence per element: what is totalled from which lines, what each measure is, what subtotals are,
#'   which periods are incomplete, and what was left out beforehand. Each prints as a paragraph.
#' @section Errors: `hinterfeld_error_argument` for anything else.
#' @export
#' @examples
#' in_words(totals(demo_daybook(), by = region, every = "month", subtotals = TRUE))
in_words <- function(t) {
  listing <- listing_of(t)
  if (!is.null(listing)) {
    return(new_words(paste0(listing_title(listing), "."), listing_sentences(listing)))
  }
  if (!inherits(t, "hinterfeld_crosstab")) check_totals(t)
  answer <- answer_of(t)
  new_words(
    table_words(answer), lapply(names(measures_totalled(answer)), measure_sentence, answer = answer),
    subtotal_words(answer),
    if (answer$inquiry$fill) "Combinations without lines show sums and counts of 0.",
    recurring_note(answer),
    alike_note(t, answer),
    incomplete_words(answer), empty_note(t, answer),
    if (is.null(answer$grid)) step_sentences(answer) else crosstab_sentences(answer),
    if (answer$cut && nrow(t) < answer$rows) {
      sprintf("It shows %s of %s.", group_digits(nrow(t)), count_of(answer$rows, "row"))
    },
    left_out_words(answer$about)
  )
}

new_words <- function(...) {
  structure(unlist(list(...)), class = "hinterfeld_words")
}

table_words <- function(answer) {
  split <- c(per_words(answer$inquiry$every), if (length(by_words(answer))) paste("by", and_list(by_words(answer))))
  sprintf("%s: %s, %s.", paste(c(capital(measures_named(answer, " in %s")), split), collapse = " "),
          count_of(answer$about$lines, "line"), span_words(answer$about))
}

# What a table is, for those who meet it in a file: title, sentences, and what each column holds.
table_description <- function(x) {
  listing <- listing_of(x)
  described <- !is.null(listing) || !is.null(answer_of(x))
  list(
    title = if (!is.null(listing)) listing_title(listing) else if (described) table_title(x),
    sentences = if (described) as.character(unclass(in_words(x))) else character(),
    unit = currency_of(x), columns = column_forms(x)
  )
}

table_title <- function(x, unit = FALSE) {
  answer <- answer_of(x)
  if (inherits(x, "hinterfeld_crosstab")) {
    shown <- answer$grid$shown
    named <- if (unit) measures_named(answer) else and_list(name_words(shown$of))
    sprintf("%s: %s by %s", capital(named), and_list(name_words(shown$rows)), and_list(name_words(shown$columns)))
  } else {
    title_words(answer, unit)
  }
}
