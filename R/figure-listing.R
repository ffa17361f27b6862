# The best of each scope, and what was not sold, as bars.

listing_figure <- function(t, title, subtitle, caption) {
  listing <- listing_of(t)
  if (listing$kind %in% c("columns", "spread")) {
    stop_figure("These columns do not identify the rows, so nothing can be drawn.", "Draw the whole table.")
  }
  if (nrow(t) == 0) stop_figure("The table has no rows to draw.", "There is nothing to look at.")
  drawn <- listing_bars[[listing$kind]](t, listing)
  in_pages <- function(rows) panel_pages(in_panels(cbind(rows, quiet = FALSE), drawn$periods))
  pages <- unlist(lapply(drawn$rows, in_pages), recursive = FALSE)
  paged(lapply(pages, function(page) {
    words <- listing_words(listing, c(page$heading[1], drawn$sentence), drawn$money, scale_note(page$scale))
    labels <- figure_labels(title %||% words$title, subtitle %||% words$subtitle, caption %||% words$caption)
    figure <- draw_bars(page) + labels
    # What it is drawn for is said, however few there are.
    figure + ggplot2::theme(strip.text = if (all(page$panel == "")) ggplot2::element_blank() else
      ggplot2::element_text(face = "bold", hjust = 0, colour = ink))
  }), lapply(pages, page_holds))
}

# For each kind its bars, on a page of its own for each measure, and what they are.
listing_bars <- list(
  best_of_each = function(x, listing) {
    about <- listing$details
    scopes <- member_names(x, about$within, listing)
    rows <- lapply(about$of, function(of) {
      names <- best_names(of, about$member_label, length(about$of) > 1)
      share <- percent_text(x[[names[5]]])
      data.frame(panel = "", member = scopes, value = x[[names[4]]], heading = sprintf("By %s.", of),
                 text = paste0(shorten(x[[names[2]]], 32), "  ", bar_money(x[[names[4]]]),
                               ifelse(is.na(share), "", paste0("  (", share, ")"))))
    })
    list(rows = rows, periods = scope_periods(x, listing), sentence = "The best of each, its amount and its share.",
         money = any(vapply(listing$columns[about$of], function(column) column$counts == "money", NA)))
  },
  unsold = function(x, listing) {
    rows <- data.frame(panel = scope_names(x, listing$details$within, listing),
                       member = as.character(x[[listing$details$column]]), value = x$revenue,
                       text = ifelse(x$lines > 0, bar_money(x$revenue), "never sold"))
    list(rows = list(rows), periods = scope_periods(x, listing), sentence = "Bars show what each sold elsewhere.",
         money = TRUE)
  },
  coverage = function(x, listing) {
    scopes <- factor(member_names(x, listing$details$within, listing))
    of <- tabulate(scopes)
    sold <- tapply(x$sold, scopes, sum)
    rows <- data.frame(panel = "", member = levels(scopes), value = as.numeric(sold / of),
                       text = sprintf("%s of %s products", group_digits(sold), group_digits(of)))
    list(rows = list(rows), periods = scope_periods(x[match(levels(scopes), scopes), ], listing),
         sentence = "The share of the catalogue's products that have a line there.", money = FALSE)
  }
)

# The columns of periods among those of the scopes.
scope_periods <- function(x, listing) {
  as.list(x)[Filter(function(name) !is.null(listing$columns[[name]]$every), listing$details$within)]
}

listing_words <- function(listing, sentences, money, note) {
  unit <- if (money && !is.null(listing$about$currency)) sprintf(" (%s)", listing$about$currency) else ""
  list(title = paste0(listing_title(listing), unit),
       subtitle = paste(c(sentences, paste0(span_words(listing$about), ".")), collapse = " "),
       caption = c(note, left_out_note(listing$about, "")))
}
