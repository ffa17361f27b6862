#' Figure: places on a map
#'
#' One circle per place, whose area shows the measure; with [add_change()], the signed percentage is written beside the
#' name, and the circle has the colour for more or for less. Names are placed where there is room, largest places first;
#' a place without room for its name gets a number, which the list beside the map explains.
#'
#' @inheritParams figure_trend
#' @param of The measure, a bare name or text; by default the table's first.
#' @param t A totals table with one row per place; with a period, its latest is drawn.
#' @param places A data frame with the place columns of `t`, and `longitude` and `latitude` in degrees.
#' @param outline Text: path of a GeoJSON file with polygons to draw below, in the same coordinates.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` if `places` lacks columns or contains none of the table's places, and the
#'   errors of reading `outline`.
#' @references GeoJSON is RFC 7946.
#' @export
#' @examples
#' files <- demo_files()
#' t <- add_change(totals(demo_daybook(), by = c(region, town), every = "year"))
#' figure_places(t, load_table(files[["towns"]]), outline = files[["island"]])
figure_places <- function(t, places, outline = NULL, of = NULL, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, figure_measure(enquo(of), t))
  check_table(places, "places")
  period <- change_period(rows, NULL)
  data <- if (is.null(period)) rows$data else rows$data[row_days(rows$t) %in% period, ]
  placed <- place_rows(data, rows, places)
  shape <- if (!is.null(outline)) load_outline(outline)
  pct <- added_columns(rows$answer, "change", "pct")
  labelled <- labelled_map(placed$rows, if (length(pct)) placed$rows[[pct[1]]], shape)
  placed$rows$kind <- if (length(pct)) change_kind(placed$rows[[pct[1]]]) else "none"
  named <- of_period(period, rows$answer)
  sentence <- if (length(pct)) change_sentences(rows$answer, pct[1])
  draw_places(placed$rows, labelled, shape, rows$of, unit_of(rows$answer, rows$of), length(pct) > 0) +
    figure_words(rows, sentence,
                 title %||% paste0(capital(name_words(rows$of)), scope_phrase(rows$answer$by), named), subtitle,
                 caption,
                 if (placed$missing > 0) {
                   sprintf("%s without coordinates: not drawn.", count_of(placed$missing, "place"))
                 })
}

change_kind <- function(pct) {
  ifelse(is.na(pct) | pct == 0, "none", ifelse(pct > 0, "more", "less"))
}

place_rows <- function(data, rows, places, call = caller_env()) {
  wanted <- c("longitude", "latitude", intersect(rows$answer$by, names(places)))
  lacking <- setdiff(c("longitude", "latitude"), names(places))
  by <- setdiff(wanted, c("longitude", "latitude"))
  if (length(lacking) || length(by) == 0) {
    stop_figure("`places` needs `longitude`, `latitude` and the place columns of the table.",
                sprintf("It has %s; the table splits by %s.", columns_named(names(places)),
                        columns_named(rows$answer$by)), call = call)
  }
  places <- as.data.frame(places)
  groups <- member_groups(places, by)
  if (groups$count < nrow(places)) {
    twice <- unique(member_names(places, by, rows$answer)[duplicated(groups$codes)])
    stop_figure(sprintf("`places` has %s more than once by %s: the table does not tell them apart.", examples_of(twice),
                        and_list(by)),
                "Split the table by a column that distinguishes them, such as their region, or keep one row per place.",
                call = call)
  }
  text <- function(table) tibble::new_tibble(lapply(as.list(table)[by], plain_value), nrow = nrow(table))
  at <- match_rows(text(data), text(places), by)
  if (all(is.na(at))) {
    stop_figure("None of the table's places is in `places`.", "Check that both spell the names the same way.",
                call = call)
  }
  data$longitude <- places$longitude[at]
  data$latitude <- places$latitude[at]
  placed <- data[!is.na(at), ]
  placed$name <- place_names(placed, by, rows$answer)
  list(rows = placed[order(-placed$value), ], missing = sum(is.na(at)))
}

# The place alone; with the columns that stand before it where two places share a name.
place_names <- function(data, by, answer) {
  name <- plain_value(data[[by[length(by)]]])
  alike <- name %in% name[duplicated(name)]
  replace(name, alike, member_names(data, rev(by), answer)[alike])
}

draw_places <- function(data, map, shape, of, unit, changed) {
  data$size <- pmax(data$value, 0)
  frame <- map$frame
  key <- list(fill = quiet_bar, colour = faint_ink)
  ggplot2::ggplot(data, ggplot2::aes(.data$longitude, .data$latitude)) +
    (if (!is.null(shape)) {
      ggplot2::geom_polygon(ggplot2::aes(group = .data$ring), shape, fill = "#F1ECDF", colour = quiet_bar,
                            linewidth = 0.5)
    }) +
    ggplot2::geom_point(ggplot2::aes(size = .data$size, fill = .data$kind), shape = 21, colour = paper, alpha = 0.9,
                        stroke = 0.6) +
    label_text(ggplot2::aes(x = .data$x, y = .data$y, label = .data$text), map$labels, size = 3.1, hjust = 0) +
    label_text(ggplot2::aes(x = .data$x, y = .data$y, label = .data$text), map$list, size = 3.1, hjust = 0, vjust = 1,
               lineheight = 1.1) +
    ggplot2::scale_size_area(max_size = 11, name = paste(c(name_words(of), unit), collapse = ", "),
                             labels = short_money, breaks = size_breaks(data$size),
                             guide = ggplot2::guide_legend(override.aes = key, order = 1)) +
    ggplot2::scale_fill_manual(values = c(change_colours()[c("more", "less")], none = bar_ink), name = "change",
                               breaks = c("more", "less", "none"),
                               labels = c(more = "more", less = "less", none = "level, or no earlier value"),
                               guide = if (changed) ggplot2::guide_legend(override.aes = list(size = 4)) else "none") +
    ggplot2::coord_cartesian(frame$x, frame$y, expand = FALSE, clip = "off") +
    theme_hinterfeld() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid.major = ggplot2::element_blank(),
                   legend.position = "right", legend.justification = "bottom",
                   legend.title = ggplot2::element_text(colour = faint_ink, size = ggplot2::rel(0.8)),
                   legend.text = ggplot2::element_text(colour = faint_ink, size = ggplot2::rel(0.8)))
}

# Three round values for the key of sizes.
size_breaks <- function(size) {
  top <- signif(max(size, 1e-9), 1)
  if (top > max(size)) top <- top / 2
  top * c(1, 0.5, 0.1)
}

# The frame of the map, the labels on it, and the list beside it of the places whose names found no room, which have
# numbers. The list takes its room from the map.
labelled_map <- function(data, pct, shape) {
  texts <- paste0(shorten(data$name, 22), if (!is.null(pct)) ifelse(is.na(pct), "", paste0("  ", signed_percent(pct))))
  room <- 0
  for (columns in 0:2) {
    frame <- map_frame(c(data$longitude, shape$longitude), c(data$latitude, shape$latitude), room)
    labels <- place_labels(data, texts, frame)
    listed <- which(!labels$shown)
    width <- max(text_widths(sprintf("99  %s", texts[listed]), 3.1), 0) + 20
    if (length(listed) <= columns * list_lines) break
    if (columns < 2) room <- (columns + 1) * width
  }
  labels$text[listed] <- as.character(seq_along(listed))
  list(frame = frame, labels = numbered_places(data, labels, frame), list = place_list(texts[listed], frame, width))
}

list_lines <- 22L

place_list <- function(texts, frame, width) {
  lines <- sprintf("%d  %s", seq_along(texts), texts)
  most <- 2L * list_lines
  if (length(lines) > most) {
    lines <- c(lines[seq_len(most - 1L)], sprintf("and %s more", group_digits(length(lines) - most + 1L)))
  }
  pieces <- split(lines, (seq_along(lines) - 1L) %/% list_lines)
  columns <- length(pieces)
  data.frame(x = frame$x[2] - (columns - seq_along(pieces) + 1) * width * frame$pixel_x, y = rep(frame$y[2], columns),
             text = vapply(pieces, paste, "", collapse = "\n"))
}

# The panel of a figure of 1280 by 800 is about 1090 by 540 pixels: limits in degrees that fill it without
# distortion but for the room on the right, and what one pixel is. One degree of longitude is shorter than one of
# latitude, by the cosine.
map_frame <- function(longitude, latitude, room) {
  x <- range(longitude)
  y <- range(latitude)
  shrink <- cos(mean(y) * pi / 180)
  across <- 1090 - room
  tall <- max(diff(y) * 1.12, diff(x) * shrink * 1.25 * 540 / across, 0.01)
  wide <- tall * across / 540 / shrink
  list(x = mean(x) + c(-0.5, 0.5 + room / across) * wide, y = mean(y) + c(-0.5, 0.5) * tall, map = mean(x) + wide / 2,
       pixel_x = wide / across, pixel_y = tall / 540)
}

# Names beside their circles, right or left, above or below, wherever they meet no other; the largest places choose
# first.
place_labels <- function(data, texts, frame) {
  out <- data.frame(text = texts, x = NA_real_, y = NA_real_, shown = rep(FALSE, length(texts)))
  placed_labels(data, out, seq_along(texts), frame)
}

# Numbers likewise; where even these find no room they stand on their circle.
numbered_places <- function(data, labels, frame) {
  listed <- which(!labels$shown)
  labels <- placed_labels(data, labels, listed, frame)
  left <- which(!labels$shown)
  labels$x[left] <- data$longitude[left] - 6 * frame$pixel_x
  labels$y[left] <- data$latitude[left]
  labels
}

placed_labels <- function(data, labels, rows, frame) {
  width <- text_widths(labels$text, 3.1) * frame$pixel_x
  height <- 21 * frame$pixel_y
  radius <- sqrt(pmax(data$value, 0) / max(data$value, 1e-9)) * 33
  rx <- pmax(radius, 4) * frame$pixel_x
  ry <- pmax(radius, 4) * frame$pixel_y
  circles <- Map(function(x, y, a, b) c(x - a, x + a, y - b, y + b), data$longitude, data$latitude, rx, ry)
  texts <- lapply(which(labels$shown), function(i) {
    c(labels$x[i], labels$x[i] + width[i], labels$y[i] - height / 2, labels$y[i] + height / 2)
  })
  meets <- function(box, other) box[1] < other[2] && box[2] > other[1] && box[3] < other[4] && box[4] > other[3]
  sides <- list(c(1, 0), c(-1, 0), c(0, 1), c(0, -1), c(1, 1), c(1, -1), c(-1, 1), c(-1, -1))
  gap <- 5 * frame$pixel_x
  for (i in rows) {
    for (side in sides) {
      start <- data$longitude[i] + switch(as.character(side[1]), "1" = rx[i] + gap, "-1" = -rx[i] - gap - width[i],
                                          -width[i] / 2)
      y <- data$latitude[i] + side[2] * (if (side[1] == 0) ry[i] + height / 2 else ry[i] * 0.7)
      box <- c(start, start + width[i], y - height / 2, y + height / 2)
      # There is a margin on the left.
      inside <- box[1] >= frame$x[1] - 30 * frame$pixel_x && box[2] <= frame$map && box[3] >= frame$y[1] &&
        box[4] <= frame$y[2]
      if (inside && !any(vapply(c(circles[-i], texts), meets, NA, box = box))) {
        labels[i, c("x", "y", "shown")] <- list(start, y, TRUE)
        texts <- c(texts, list(box))
        break
      }
    }
  }
  labels
}
