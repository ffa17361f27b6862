#' Figure: a crosstab of shaded cells
#'
#' Numbers in cells, darker where they are higher, with the totals of rows and columns beside them. The last
#' twelve columns and the 18 largest rows are drawn; of rows that are periods, the latest.
#'
#' @inheritParams figure_trend
#' @param x A crosstab made by [crosstab()] with its margins.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` for anything but a crosstab of one measure with margins.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = product, every = "month")
#' figure_crosstab(crosstab(t, product, month))
figure_crosstab <- function(x, title = NULL, subtitle = NULL, caption = NULL) {
  answer <- answer_of(x)
  if (!inherits(x, "hinterfeld_crosstab") || length(answer$grid$shown$of) != 1 || !answer$grid$margins) {
    stop_figure("This figure needs a crosstab of one measure, with its margins.",
                "Make one with `crosstab(t, rows, columns)`.")
  }
  totals <- crosstab_totals(x)
  if (length(answer$grid$shown$rows) != 1 || length(answer$grid$shown$columns) != 1) {
    stop_figure("This figure draws one column by one other.", "Make a crosstab with one column as rows and as columns.")
  }
  kind <- answer$grid$measures[[1]]
  if (!is.numeric(x[[totals$cells[1]]])) {
    stop_figure("This figure draws numbers.", "Take a measure or an added column of numbers as `of`.")
  }
  if (sum(totals$rows) != 1 || length(totals$columns) != 1) {
    stop_figure("This part of a crosstab has lost a margin.", "Draw the whole crosstab.")
  }
  cells <- crosstab_cells(x, answer, totals, kind)
  inner <- cells$data[!cells$data$margin, ]
  shown <- answer$grid$shown
  rows <- list(answer = answer, of = shown$of)
  whole <- max(abs(inner$value), 0, na.rm = TRUE)
  scale <- cell_scale(inner$value)
  cells$data$text <- cell_text(cells$data$value, scale, kind)
  both_ways <- isTRUE(kind$signed) || any(inner$value < 0, na.rm = TRUE)
  inner$dark <- !is.na(inner$value) & abs(inner$value) > (if (both_ways) 0.8 else 0.55) * whole
  ggplot2::ggplot(cells$data, ggplot2::aes(.data$column, .data$row)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$value), inner, colour = paper, linewidth = 0.8) +
    label_text(ggplot2::aes(x = .data$column + 0.46, label = .data$text),
               cells$data[!cells$data$key %in% inner$key[inner$dark], ], size = 3.1, hjust = 1) +
    label_text(ggplot2::aes(x = .data$column + 0.46, label = .data$text),
               cells$data[cells$data$key %in% inner$key[inner$dark], ], size = 3.1, hjust = 1,
               colour = paper) +
    ggplot2::geom_hline(yintercept = 0.5, colour = ink, linewidth = 0.4) +
    cell_colours(max(whole, 1e-9), both_ways) +
    ggplot2::scale_x_continuous(breaks = seq_along(cells$columns) + 0.46,
                                labels = function(x) device_glyphs(cells$columns), position = "top",
                                expand = ggplot2::expansion(add = 0.1)) +
    ggplot2::scale_y_continuous(breaks = cells$places, labels = function(x) device_glyphs(cells$rows),
                                expand = ggplot2::expansion(add = c(0.7, 0.55))) +
    theme_bars() +
    ggplot2::theme(axis.text.x = ggplot2::element_text(colour = faint_ink, hjust = 1, size = ggplot2::rel(0.72)),
                   axis.text.y = ggplot2::element_text(hjust = 0)) +
    figure_words(rows, c(crosstab_sentences(answer, named = FALSE), if (scale > 1) "Cells are in thousands."),
                 title %||% table_title(x),
                 subtitle, caption,
                 c(others_note(cells$rest_rows, if (cells$timed) "earlier rows" else "rows"),
                   others_note(cells$rest_columns, if (cells$periods) "earlier columns" else "columns"),
                   if (cells$rest_rows + cells$rest_columns > 0) {
                     "Totals include the rows and columns not drawn."
                   }))
}

crosstab_cells <- function(x, answer, totals, kind, most_rows = 18, most_columns = 12) {
  table <- as.list(x)
  names <- member_names(tibble::as_tibble(x), answer$keys, answer)
  names[totals$rows] <- answer$labels$total
  names <- shorten(names, if (layout_width() < 800) 16 else 32)
  inner <- setdiff(totals$cells, totals$columns)
  # Periods: the latest. Others: the largest, which come first.
  some <- function(x, most, periods) if (periods) utils::tail(x, most) else utils::head(x, most)
  periods <- answer$inquiry$crosstab$columns %in% answer$everys
  timed <- answer$inquiry$crosstab$rows %in% answer$everys
  body <- which(!totals$rows)
  kept <- c(some(body, most_rows, timed), which(totals$rows))
  table <- lapply(table, function(values) values[kept])
  names <- names[kept]
  shown <- some(inner, most_columns, periods)
  shown <- c(some(shown, columns_that_fit(table, shown, totals$columns, names, kind), periods), totals$columns)
  places <- c(rev(seq_len(length(kept) - 1)), 0)
  data <- do.call(rbind, lapply(seq_along(shown), function(j) {
    data.frame(column = j, row = places, value = table[[shown[j]]], margin = j == length(shown) | places == 0,
               key = paste(j, places))
  }))
  list(data = data, columns = grid_heads(shown), rows = names, places = places, periods = periods, timed = timed,
       rest_rows = length(body) - length(kept) + 1, rest_columns = length(inner) - length(shown) + 1)
}

# Heads in lines of few letters: a long one does not make its column wide.
grid_heads <- function(columns) {
  vapply(distinguishable(columns), function(head) paste(strwrap(shorten(head, 36), 14), collapse = "\n"), "",
         USE.NAMES = FALSE)
}

# How many of some columns have room beside the names of rows and the margin, each for its widest number or head.
columns_that_fit <- function(table, columns, margin, names, kind) {
  inner <- unlist(lapply(table[columns], function(values) values[-length(values)]))
  texts <- cell_text(unlist(table[c(columns, margin)]), cell_scale(inner), kind)
  heads <- unlist(strsplit(grid_heads(columns), "\n"))
  room <- layout_width() - 80 - max(text_widths(names, 3.4), 0)
  max(1, floor(room / (max(text_widths(c(texts, heads), 3.1), 0) + 4)) - 1)
}

# Darker for more; from zero in two directions where there are two.
cell_colours <- function(most, both_ways) {
  if (both_ways) {
    return(scale_fill_change(na.value = paper, limits = c(-most, most)))
  }
  ggplot2::scale_fill_gradient(low = "#F1ECDF", high = category_colours(1), na.value = paper, limits = c(0, most))
}

# Thousands where cells would have too many digits, but only where half of them still tell something; the margins
# follow.
cell_scale <- function(values) {
  if (max(abs(values), 0, na.rm = TRUE) >= 1e4 && stats::median(abs(values), na.rm = TRUE) >= 1e3) 1000 else 1
}

cell_text <- function(value, scale, kind) {
  if (kind$counts == "percent") {
    text <- if (isTRUE(kind$signed)) signed_percent(value) else held_together(percent_text(value))
    return(ifelse(is.na(value), "", text))
  }
  digits <- if (scale > 1) 1 else if (max(abs(value), 0, na.rm = TRUE) < 1000) min(kind$decimals %||% 1, 1) else 0
  ifelse(is.na(value), "", sub("^-", "\u2212", held_together(people_number(value / scale, digits))))
}
