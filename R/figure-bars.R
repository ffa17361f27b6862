# Bars in panels, on one page or several.

panel_columns <- function(quo, t, usual = NULL, call = caller_env()) {
  answer <- answer_of(t)
  within <- if (rlang::quo_is_null(quo)) usual %||% utils::head(answer$keys, -1) else pick_within(quo, t, call = call)
  if (length(setdiff(answer$keys, within)) == 0) {
    stop_figure("`within` holds every column of the table: there are no bars to draw.",
                "Split the table by one more column.", call = call)
  }
  within
}

panel_rows <- function(data, rows, within, rank = 0) {
  data$panel <- scope_names(data, within, rows$answer)
  data$member <- member_names(data, setdiff(name_order(rows$answer), within), rows$answer)
  in_panels(data, data[intersect(within, rows$answer$periods)], data[[rows$of]], rank)
}

scope_names <- function(data, within, about) {
  if (length(within)) member_names(data, within, about) else rep_len("", nrow(data))
}

# Rows by panel, each with its own order of rows: by period where the rows have some, by rank, then from the largest.
# The rest of a scope stands below its members, however large it is.
in_panels <- function(data, periods, size = data$value, rank = 0) {
  data$panel <- factor(data$panel, panel_order(data$panel, size, periods))
  order <- do.call(order, c(list(data$panel, data$quiet), unname(as.list(periods)),
                            list(rep_len(rank, nrow(data)), -data$value)))
  data <- data[order, ]
  data$place <- stats::ave(seq_len(nrow(data)), data$panel, FUN = seq_along)
  data
}

# Panels of periods follow the calendar, others begin with the largest.
panel_order <- function(panel, size, periods) {
  first <- which(!duplicated(panel))
  sizes <- tapply(size, factor(panel, panel[first]), sum, na.rm = TRUE)
  panel[first][do.call(order, c(unname(lapply(periods, `[`, first)), list(-sizes, panel[first])))]
}

# How many bars each of some panels below each other has room for, at 15.5 pixels each: a panel has a heading, and a
# page its title and caption.
bars_below <- function(stacked) {
  pmax(floor(((layout_height() - 190) / stacked - 68) / 15.5), 1)
}

# How many panels can stand side by side, so that bars are seen between names and numbers.
panels_beside <- function() {
  most <- min(max(layout_width() %/% 420, 1), 3)
  min(most, 2):most
}

panels_of_page <- function(longest) {
  max(panels_beside()) * max(which(bars_below(1:5) >= longest), 1)
}

# Pages of at most `most`, evenly filled.
even_pages <- function(x, most) {
  pages <- ceiling(length(x) / most)
  unname(split(x, (seq_along(x) - 1L) %/% ceiling(length(x) / pages)))
}

# The rows of each page. Panels that are longer than a page continue on the next.
panel_pages <- function(data) {
  most <- min(bars_below(1), 32)
  longest <- max(data$place)
  data$piece <- (data$place - 1L) %/% most
  data$place <- data$place - most * data$piece
  pieces <- unique(data[c("panel", "piece")])
  pages <- even_pages(seq_len(nrow(pieces)), if (longest > most) 1 else panels_of_page(longest))
  page <- rep(seq_along(pages), lengths(pages))
  at <- page[match(paste(data$panel, data$piece), paste(pieces$panel, pieces$piece))]
  # Of the whole panel, though it goes on on another page.
  of_panel <- tapply(abs(data$value) * !data$quiet, data$panel, function(x) max(0, x, na.rm = TRUE))
  lapply(split(data, at), function(page_rows) {
    largest <- as.vector(of_panel[levels(data$panel) %in% page_rows$panel])
    page_rows$panel <- droplevels(page_rows$panel)
    page_rows$row <- -page_rows$place
    # Panels of very different size each have a scale of their own, so that the bars of all can be compared in them.
    uneven <- max(largest) > 4 * min(largest[largest > 0], Inf)
    page_rows$scale <- if (uneven) largest[as.integer(page_rows$panel)] else max(largest)
    page_rows
  })
}

# What stands on a page: its panels, or the members of its only one.
page_holds <- function(page) {
  panels <- levels(page$panel)
  if (length(panels) > 1) panels else page$member
}

# `scales` are those of the panels, or what they are of where each panel has its own.
scale_note <- function(scales) {
  if (length(unique(scales)) > 1) "Each panel has a scale of its own."
}

# Panels in few columns, which leave the bars room, as long as all rows have room for a line of text.
panel_columns_across <- function(data) {
  panels <- length(unique(data$panel))
  columns <- if (panels == 1) 1L else panels_beside()
  fit <- bars_below(ceiling(panels / columns)) >= max(table(data$panel))
  c(columns[fit], max(columns))[1]
}

draw_bars <- function(data) {
  data$scale[data$scale == 0] <- 1
  # In parts of the panel's scale. The rest can be far larger than any member: its bar ends at the edge, and its number
  # tells.
  length_of <- data$value / data$scale
  data$end <- pmax(pmin(length_of, 1.08), -1)
  data$end[is.na(data$end)] <- 0
  beyond <- data[length_of > 1.08 & data$quiet & !is.na(length_of), ]
  alone <- length(unique(data$panel)) == 1
  columns <- panel_columns_across(data)
  size <- if (alone) 3.6 else 3.1
  names <- fitting_names(data$member, size, columns, 0.42)
  # Names and numbers get the room they need, bars the rest.
  left <- text_fraction(names, size, columns)
  right <- text_fraction(data$text, size, columns)
  low <- min(0, data$end)
  whole <- (1.08 - low) / (1 - left - right)
  # Bars do not get thicker when there are few.
  tall <- max(-data$row, min(4, bars_below(ceiling(length(unique(data$panel)) / columns))))
  ggplot2::ggplot(data, ggplot2::aes(y = .data$row)) +
    ggplot2::geom_rect(ggplot2::aes(xmin = pmin(0, .data$end), xmax = pmax(0, .data$end), ymin = .data$row - 0.34,
                                    ymax = .data$row + 0.34,
                                    fill = .data$quiet)) +
    bar_break(at_break(beyond, 0.92 * beyond$end), 0.05) +
    label_text(ggplot2::aes(x = pmax(0, .data$end) + whole * 0.008, label = .data$text), hjust = 0, size = size) +
    label_text(ggplot2::aes(x = pmin(0, .data$end) - whole * 0.008, label = names), hjust = 1, size = size) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = columns,
                        labeller = function(labels) lapply(labels, function(x) {
                          device_glyphs(fitting_names(as.character(x), 3.7, columns, 0.97))
                        })) +
    ggplot2::scale_fill_manual(values = c("TRUE" = quiet_bar, "FALSE" = bar_ink)) +
    ggplot2::scale_x_continuous(limits = c(low - left * whole, 1.08 + right * whole),
                                expand = ggplot2::expansion(mult = 0)) +
    ggplot2::scale_y_continuous(limits = c(-tall - 0.6, -0.4), expand = ggplot2::expansion(mult = 0)) +
    theme_bars() +
    ggplot2::theme(axis.text.y = ggplot2::element_blank(),
                   strip.text = if (alone) ggplot2::element_blank() else ggplot2::element_text())
}
