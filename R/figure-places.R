#' Figure: places on a map
#'
#' A circle per place, its area the measure; with [add_change()], the signed percentage beside its name and the
#' circle in the colour of more or less. Names stand where there is room, the largest places first.
#'
#' @inheritParams figure_trend
#' @param t A totals table with one row per place; with a period, its latest is drawn.
#' @param places A data frame with the place columns of `t`, and `longitude` and `latitude` in degrees.
#' @param outline Text: path of a GeoJSON file with polygons to draw below, in the same coordinates.
#' @return A ggplot, which can be extended.
#' @section Errors: `hinterfeld_error_figure` when `places` lacks columns or knows none of the places, and the errors of
#'   reading `outline`.
#' @references GeoJSON is RFC 7946.
#' @export
#' @examples
#' files <- demo_files()
#' t <- add_change(totals(demo_daybook(), by = c(region, town), every = "year"))
#' figure_places(t, load_table(files[["towns"]]), outline = files[["island"]])
figure_places <- function(t, places, outline = NULL, of = NULL, title = NULL, subtitle = NULL, caption = NULL) {
  rows <- figure_rows(t, of)
  check_table(places, "places")
  period <- change_period(rows, NULL)
  data <- if (is.null(period)) rows$data else rows$data[row_days(rows$t) %in% period, ]
  placed <- place_rows(data, rows, places)
  shape <- if (!is.null(outline)) load_outline(outline)
  pct <- added_columns(rows$answer, "change", "pct")
  frame <- map_frame(c(placed$rows$longitude, shape$longitude), c(placed$rows$latitude, shape$latitude))
  labels <- place_labels(placed$rows, if (length(pct)) placed$rows[[pct[1]]], frame)
  placed$rows$kind <- if (length(pct)) change_kind(placed$rows[[pct[1]]]) else "none"
  named <- if (is.null(period)) "" else paste0(", ",
                                               period_label(period, rows$answer$every, rows$answer$about$calendar))
  sentence <- if (length(pct)) change_sentences(rows$answer, pct[1])
  draw_places(placed$rows, labels, frame, shape) +
    figure_words(rows, c("A circle's area is its value.", sentence),
                 title %||% paste0(capital(rows$of), " by ", and_list(rows$answer$by), named), subtitle, caption,
                 c(if (placed$missing > 0) sprintf("%s without coordinates not drawn.",
                                                   count_of(placed$missing, "place")),
                   if (any(!labels$shown)) sprintf("%s found no room.", count_of(sum(!labels$shown), "name"))))
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
  known <- member_groups(places, by)
  if (known$count < nrow(places)) {
    twice <- unique(member_names(places, by)[duplicated(known$codes)])
    stop_figure(sprintf("`places` has %s more than once by %s: the table does not tell them apart.", examples_of(twice),
                        and_list(by)),
                "Split the table by what tells them apart, such as their region, or keep one row per place.",
                call = call)
  }
  text <- function(table) tibble::new_tibble(lapply(as.list(table)[by], plain_value), nrow = nrow(table))
  at <- match_rows(text(data), text(places), by)
  if (all(is.na(at))) {
    stop_figure("None of the table's places is in `places`.", "Compare how both write their names.", call = call)
  }
  data$longitude <- places$longitude[at]
  data$latitude <- places$latitude[at]
  data$name <- as.character(data[[by[length(by)]]])
  found <- data[!is.na(at), ]
  list(rows = found[order(-found$value), ], missing = sum(is.na(at)))
}

draw_places <- function(data, labels, frame, shape) {
  data$size <- pmax(data$value, 0)
  ggplot2::ggplot(data, ggplot2::aes(.data$longitude, .data$latitude)) +
    (if (!is.null(shape)) {
      ggplot2::geom_polygon(ggplot2::aes(group = .data$ring), shape, fill = "#F1ECDF", colour = quiet_bar,
                            linewidth = 0.5)
    }) +
    ggplot2::geom_point(ggplot2::aes(size = .data$size, fill = .data$kind), shape = 21, colour = paper, alpha = 0.9,
                        stroke = 0.6) +
    label_text(ggplot2::aes(x = .data$x, y = .data$y, label = .data$text), labels[labels$shown, ], size = 3.1,
               hjust = 0) +
    ggplot2::scale_size_area(max_size = 11) +
    ggplot2::scale_fill_manual(values = c(change_colours()[c("more", "less")], none = bar_ink)) +
    ggplot2::coord_cartesian(frame$x, frame$y, expand = FALSE, clip = "off") +
    theme_hinterfeld() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid.major = ggplot2::element_blank())
}

# The panel of a figure of 1280 by 800 is about 1240 by 540 pixels: limits in degrees that fill it without
# distortion, and what one pixel is. One degree of longitude is shorter than one of latitude, by the cosine.
map_frame <- function(longitude, latitude) {
  x <- range(longitude)
  y <- range(latitude)
  shrink <- cos(mean(y) * pi / 180)
  tall <- max(diff(y) * 1.12, diff(x) * shrink * 1.25 * 540 / 1240, 0.01)
  wide <- tall * 1240 / 540 / shrink
  list(x = mean(x) + c(-0.5, 0.5) * wide, y = mean(y) + c(-0.5, 0.5) * tall, pixel_x = wide / 1240,
       pixel_y = tall / 540)
}

# Names beside their circles, right or left, above or below, wherever they meet no other; the largest places choose
# first, and a name without room is not drawn.
place_labels <- function(data, pct, frame) {
  name <- shorten(data$name, 22)
  text <- paste0(name, if (!is.null(pct)) ifelse(is.na(pct), "", paste0("  ", signed_percent(pct))))
  # A text of 3.1 mm is 8.8 points, at 144 pixels per inch 17.6 pixels.
  width_of <- function(text) systemfonts::string_width(text, family = figure_family(), size = 8.8,
                                                       res = 144) * frame$pixel_x
  height <- 21 * frame$pixel_y
  radius <- sqrt(pmax(data$value, 0) / max(data$value, 1e-9)) * 33
  rx <- pmax(radius, 4) * frame$pixel_x
  ry <- pmax(radius, 4) * frame$pixel_y
  boxes <- Map(function(x, y, a, b) c(x - a, x + a, y - b, y + b), data$longitude, data$latitude, rx, ry)
  out <- data.frame(text = text, x = NA_real_, y = NA_real_, shown = FALSE)
  meets <- function(box, other) box[1] < other[2] && box[2] > other[1] && box[3] < other[4] && box[4] > other[3]
  sides <- list(c(1, 0), c(-1, 0), c(0, 1), c(0, -1), c(1, 1), c(1, -1), c(-1, 1), c(-1, -1))
  gap <- 5 * frame$pixel_x
  # Where a name with its change finds no room, the name alone may.
  for (words in list(text, name)) {
    width <- width_of(words)
    for (i in which(!out$shown)) {
      for (side in sides) {
        start <- data$longitude[i] + switch(as.character(side[1]), "1" = rx[i] + gap, "-1" = -rx[i] - gap - width[i],
                                            -width[i] / 2)
        y <- data$latitude[i] + side[2] * (if (side[1] == 0) ry[i] + height / 2 else ry[i] * 0.7)
        box <- c(start, start + width[i], y - height / 2, y + height / 2)
        if (!any(vapply(boxes[-i], meets, NA, box = box))) {
          out[i, c("text", "x", "y", "shown")] <- list(words[i], start, y, TRUE)
          boxes <- c(boxes, list(box))
          break
        }
      }
    }
  }
  out
}
