#' Figures: best sellers and shares, in panels
#'
#' `figure_ranking()` draws the rows of each scope in a panel, in the order of their ranks, which are written out so
#' that ties are visible (`1=`). `figure_share()` draws the parts of each scope with their percentages of the whole.
#' Panels of periods follow the calendar, others begin with the largest. What one page has no room for is drawn on
#' further pages ([figure_pages()]).
#'
#' @inheritParams figure_trend
#' @param of The measure, a bare name or text; by default the table's first.
#' @param t A totals table. For `figure_ranking()`, one from [best_sellers()]; or any other, of which the `n` best rows
#'   of each scope are drawn; or the result of [best_of_each()], [unsold()] or [coverage()], of which all rows are
#'   drawn. For `figure_share()`, any totals table, with or without [add_share()].
#' @param within Columns, bare or as strings, that define the panels: one for each combination of their values; by
#'   default the scopes in which rows were picked, or all but the last `by` column.
#' @param n Whole number: how many rows of each panel to draw at most.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for a table without rows or without a column left to draw, and the errors
#'   of [best_sellers()].
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = c(region, product))
#' figure_ranking(t)
#' figure_share(totals(demo_daybook(), by = c(region, category)))
figure_ranking <- function(t, within = NULL, of = NULL, n = 5, title = NULL, subtitle = NULL, caption = NULL) {
  if (!is.null(listing_of(t))) {
    return(listing_figure(t, title, subtitle, caption))
  }
  rows <- figure_rows(t, figure_measure(enquo(of), t))
  scope <- picked_within(rows$answer)
  within <- panel_columns(enquo(within), rows$t, scope)
  if (is.null(scope)) {
    rows <- figure_rows(best_sellers(rows$t, n, tidyselect::all_of(within), rows$of, others = TRUE), rows$of)
  }
  data <- rows$data
  rank <- data[[rank_column_drawn(rows$answer, rows$of)]]
  data$tied <- stats::ave(rank, member_names(data, within, rows$answer), rank, FUN = length) > 1
  data$text <- paste0(ifelse(is.na(rank), "", paste0(rank, ifelse(data$tied, "=", ""), "  ")), bar_money(data$value))
  data$quiet <- is.na(rank)
  best <- !any(vapply(rows$answer$inquiry$steps, function(step) step$kind == "slow_sellers", NA))
  title <- title %||% paste0(ranked_words(rows$answer, within, best), scope_phrase(within, "in each"))
  # If the panels are the scopes of the ranks, rows follow their ranks: the slowest comes first among slow sellers.
  panels <- panel_rows(data, rows, within, if (setequal(within, scope %||% within)) rank else 0)
  pages <- panel_pages(panels)
  paged(lapply(pages, function(page) {
    draw_bars(page) +
      figure_words(rows, picked_sentences(rows$answer), title, subtitle, caption, scale_note(page$scale))
  }), lapply(pages, page_holds))
}

#' @rdname figure_ranking
#' @export
figure_share <- function(t, within = NULL, of = NULL, n = 20, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, figure_measure(enquo(of), t))
  within <- panel_columns(enquo(within), rows$t)
  shared <- add_share(rows$t, rows$of, tidyselect::all_of(within), name = ".share")
  rows$data$share <- shared$.share
  data <- rows$data
  data$text <- ifelse(is.na(data$share), "no share", percent_text(data$share))
  data$value <- data$share
  data$quiet <- FALSE
  panels <- panel_rows(data, rows, within)
  cut <- panels$place > n
  title <- title %||% sprintf("Share of %s%s", name_words(rows$of), scope_phrase(within, "in each"))
  pages <- panel_pages(panels[!cut, ])
  paged(lapply(pages, function(page) {
    draw_bars(page) +
      figure_words(rows, column_sentence(answer_of(shared), ".share"), title, subtitle, caption,
                   c(if (any(cut)) sprintf("Each panel shows its %s largest.", group_digits(n)),
                     scale_note(page$scale)))
  }), lapply(pages, page_holds))
}

# "Best sellers", or "Best months" where periods are ranked.
ranked_words <- function(answer, within, best) {
  members <- setdiff(answer$keys, within)
  if (!all(members %in% answer$periods)) {
    return(if (best) "Best sellers" else "Slow sellers")
  }
  every <- answer$columns[[utils::tail(members, 1)]]$every
  paste(if (best) "Best" else "Slowest", sub("^(\\w+)", "\\1s", grain_kinds[[every]]$name))
}

# The columns in whose scopes rows were picked last; NULL if none were.
picked_within <- function(answer) {
  picks <- picks_of(answer)
  if (length(picks)) names_of(answer, as.character(picks[[length(picks)]]$args$within))
}

# The column of ranks by a measure, whether a rank was added or came with a pick; of ranks by another column if rows
# were picked by that.
rank_column_drawn <- function(answer, of) {
  ranks <- Filter(function(column) column$output == "rank", answer$added)
  own <- Filter(function(column) column$of == ids_of(answer, of), ranks)
  utils::tail(names(if (length(own)) own else ranks), 1)
}
