# The best of each scope, and what was not sold, as bars.

listing_figure <- function(t, title, subtitle, caption) {
  listing <- listing_of(t)
  if (listing$kind %in% c("columns", "spread")) {
    stop_figure("These columns do not identify the rows, so nothing can be drawn.", "Draw the whole table.")
  }
  if (nrow(t) == 0) stop_figure("The table has no rows to draw.", "There is nothing to look at.")
  drawn <- listing_bars[[listing$kind]](t, listing)
  pages <- unlist(lapply(drawn$rows, function(rows) panel_pages(listing_rows(rows))), recursive = FALSE)
  paged(lapply(pages, function(page) {
    words <- listing_words(listing, c(page$heading[1], drawn$sentence), drawn$money, scale_note(page))
    labels <- figure_labels(title %||% words$title, subtitle %||% words$subtitle, caption %||% words$caption)
    figure <- draw_bars(page) + labels
    # What it is drawn for is said, however few there are.
    figure + ggplot2::theme(strip.text = if (all(page$panel == "")) ggplot2::element_blank() else
      ggplot2::element_text(face = "bold", hjust = 0, colour = ink))
  }), lapply(pages, page_holds))
}

listing_rows <- function(rows) {
  size <- vapply(split(rows$value, rows$panel), function(x) sum(x, na.rm = TRUE), 0)
  rows$panel <- factor(rows$panel, names(sort(size, decreasing = TRUE)))
  rows <- rows[order(rows$panel, -rows$value), ]
  rows$place <- stats::ave(seq_len(nrow(rows)), rows$panel, FUN = seq_along)
  rows$quiet <- FALSE
  rows
}

# For each kind its bars, on a page of its own for each measure, and what they are.
listing_bars <- list(
  best_of_each = function(x, listing) {
    about <- listing$details
    scopes <- member_names(x, about$within)
    rows <- lapply(about$of, function(of) {
      names <- best_names(of, about$member_label, length(about$of) > 1)
      share <- percent_text(x[[names[5]]])
      data.frame(panel = "", member = scopes, value = x[[names[4]]], heading = sprintf("By %s.", of),
                 text = paste0(shorten(x[[names[2]]], 32), "  ", bar_money(x[[names[4]]]),
                               ifelse(is.na(share), "", paste0("  (", share, ")"))))
    })
    list(rows = rows, sentence = "The best of each, its amount and its share.",
         money = any(vapply(listing$columns[about$of], function(column) column$counts == "money", NA)))
  },
  unsold = function(x, listing) {
    rows <- data.frame(panel = scope_panels(x, listing), member = as.character(x[[listing$details$column]]),
                       value = x$revenue, text = ifelse(x$lines > 0, bar_money(x$revenue), "never sold"))
    list(rows = list(rows), sentence = "Bars show what each sold elsewhere.", money = TRUE)
  },
  coverage = function(x, listing) {
    scopes <- factor(member_names(x, listing$details$within))
    of <- tabulate(scopes)
    sold <- tapply(x$sold, scopes, sum)
    rows <- data.frame(panel = "", member = levels(scopes), value = as.numeric(sold / of),
                       text = sprintf("%s of %s products", group_digits(sold), group_digits(of)))
    list(rows = list(rows), sentence = "The share of the catalogue's products that have a line there.", money = FALSE)
  }
)

scope_panels <- function(x, listing) {
  if (length(listing$details$within)) member_names(x, listing$details$within) else ""
}

listing_words <- function(listing, sentences, money, note) {
  unit <- if (money && !is.null(listing$about$currency)) sprintf(" (%s)", listing$about$currency) else ""
  list(title = paste0(listing_title(listing), unit),
       subtitle = paste(c(sentences, paste0(span_words(listing$about), ".")), collapse = " "),
       caption = c(note, left_out_note(listing$about, "")))
}
