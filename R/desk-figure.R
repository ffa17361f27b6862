# The figure of an answer: drawn for the page, and where each row of the table stands in it.

max_marks <- 150L

# The width and height of a figure in pixels of the page, for the room that it has there. Letters are as large in all
# figures.
figure_room <- function(width = usual_room) {
  wide <- round(min(max(width, 340), 1200))
  c(wide, round(wide * figure_aspect(layout_of(wide))))
}

# Pixels of the page as pixels of a layout, of which 144 are an inch.
layout_of <- function(pixels) {
  144 * pixels / room_per_inch
}

room_per_inch <- 86
usual_room <- 760

# The figures that can be drawn of a table, the one that suits it first.
possible_figures <- function(answer) {
  t <- answer$table
  if (!is.null(listing_of(t))) {
    return("ranking")
  }
  about <- answer_of(t)
  if (inherits(t, "hinterfeld_crosstab")) {
    return("crosstab")
  }
  steps <- vapply(about$added, function(column) column$kind, "")
  recurring <- is_recurring(about$every)
  fits <- vapply(names(figure_kinds), function(kind) {
    needs <- figure_kinds[[kind]]$needs
    met <- is.null(needs) || any(needs %in% steps)
    met && switch(kind,
      trend = has_course(t), years = !is.null(about$every) && !recurring && about$every != "year",
      weekdays = recurring, ranking = , share = length(about$keys) > 0, places = FALSE, running = !is.null(about$every),
      TRUE)
  }, NA)
  suiting <- figure_kind(default_figure(t))
  unique(c(suiting, names(figure_kinds)[fits]))
}

figure_kind <- function(draw) {
  names(figure_kinds)[vapply(names(figure_kinds), function(kind) {
    identical(draw, get(paste0("figure_", kind), mode = "function"))
  }, NA)]
}

# The figure that was chosen, else the first of those that suit that can be drawn; a classed error says why none can.
answer_figure <- function(answer) {
  kinds <- drawn_kinds(answer)
  problem <- NULL
  for (kind in kinds) {
    figure <- tryCatch(suppressWarnings(quietly(draw_kind(answer, kind))), hinterfeld_error = identity)
    if (!inherits(figure, "hinterfeld_error")) {
      return(structure(figure, "kind of figure" = kind))
    }
    problem <- problem %||% figure
  }
  rlang::cnd_signal(problem)
}

# Those that suit, the chosen one first.
drawn_kinds <- function(answer) {
  kinds <- possible_figures(answer)
  unique(c(intersect(answer$state$figure, kinds), kinds))
}

draw_kind <- function(answer, kind) {
  t <- answer$table
  # A panel for each of what the sentence stands within.
  within <- unlist(answer$state$within)
  about <- answer_of(t)
  check_panels(t, about, kind, within)
  if (inherits(t, "hinterfeld_crosstab")) {
    autoplot(t)
  } else if (kind %in% c("ranking", "share") && length(within) && length(setdiff(about$keys, within))) {
    figure_kinds[[kind]]$draw(t, within = tidyselect::all_of(within))
  } else if (kind == "trend") {
    figure_kinds[[kind]]$draw(t, of = utils::head(names(about$measures), 3))
  } else {
    figure_kinds[[kind]]$draw(t)
  }
}

# A picture of thousands of panels takes minutes, and nobody looks through its pages.
max_panels <- 300L

check_panels <- function(t, about, kind, within) {
  if (inherits(t, "hinterfeld_crosstab") && nrow(t) * length(t) > 50000) {
    stop_figure("A crosstab with this many cells cannot be drawn legibly.", "Choose fewer with what counts.",
                call = NULL)
  }
  if (!kind %in% c("ranking", "share") || length(about$keys) == 0) {
    return(invisible())
  }
  scopes <- if (length(within)) within else utils::head(about$keys, -1)
  panels <- member_groups(tibble::as_tibble(t), scopes)
  if (length(scopes) && length(panels$first) > max_panels) {
    stop_figure(sprintf("The figure would have %s panels, too many to read.", group_digits(length(panels$first))),
                "Choose fewer with what counts, or other columns to split by.", call = NULL)
  }
}

# The picture as SVG, and its marks: row of the table, and left, top, width and height in percent of the picture.
drawn_figure <- function(figure, answer, room = figure_room(), page = 1L) {
  file <- temporary_file(".svg")
  on.exit(remove_temporary(file))
  kind <- attr(figure, "kind of figure", exact = TRUE)
  pages <- figure_pages(figure)
  page <- min(page, length(pages))
  figure <- pages[[page]]
  alt <- figure_alt(figure)
  notes <- figure_notes(figure, answer)
  # Subtitle and caption stand in words on the page. What is laid out asks the device for its letters.
  figure <- with_row_marks(figure, answer$table) + ggplot2::labs(subtitle = NULL, caption = NULL)
  inches <- room / room_per_inch
  svglite::svglite(file, inches[1], inches[2])
  marks <- tryCatch(suppressMessages(suppressWarnings({
    built <- ggplot2::ggplot_build(figure)
    picture <- ggplot2::ggplot_gtable(built)
    grid::grid.draw(picture)
    figure_marks(built, picture, inches)
  })), finally = grDevices::dev.off())
  list(svg = readable_svg(file), marks = marks, alt = alt, kind = kind, room = room, notes = notes, page = page,
       pages = length(pages))
}

# What subtitle and caption say of the figure alone: the page says the rest, and what was left out.
figure_notes <- function(figure, answer) {
  said <- unlist(lapply(unname(figure$labels[c("subtitle", "caption")]), attr, which = "sentences", exact = TRUE))
  said <- setdiff(as.character(said), as.character(unclass(in_words(answer$table))))
  said[!startsWith(said, "Left out")]
}

# The picture of an answer in a room of this width.
answer_picture <- function(answer, width, page = 1L) {
  room <- figure_room(width)
  in_layout(layout_of(room[1]), drawn_figure(answer_figure(answer), answer, room, page))
}

# What a picture is drawn of. Sorting and highlighting leave it as it is.
drawn_of <- function(me) {
  state <- me$answer$state
  state$mark <- state$table$sort <- NULL
  list(state = state_text(state), room = me$room, page = me$figure_page)
}

# The picture of this reader, if it still is that of the answer, with its marks at the rows of now; else NULL.
kept_picture <- function(me) {
  of <- drawn_of(me)
  former <- if (identical(me$drawn$of, of)) me$drawn else shared_by_readers(me$desk, list("drawn", of))
  if (is.null(former)) {
    return(NULL)
  }
  keys <- answer_of(me$answer$table)$keys
  marks <- former$picture$marks
  if (!is.null(marks)) {
    marks$row <- match_rows(former$keys[marks$row, ], tibble::as_tibble(me$answer$table)[keys], keys)
    former$picture$marks <- marks[!is.na(marks$row), ]
  }
  former$picture
}

keep_picture <- function(me, picture) {
  keys <- answer_of(me$answer$table)$keys
  me$drawn <- list(of = drawn_of(me), picture = picture, keys = tibble::as_tibble(me$answer$table)[keys])
  share_with_readers(me$desk, list("drawn", me$drawn$of), me$drawn)
  picture
}

# Each layer whose data hold the columns that tell the rows of the table carries the number of its row.
with_row_marks <- function(figure, t) {
  keys <- answer_of(t)$keys
  if (inherits(t, "hinterfeld_crosstab") || length(keys) == 0) {
    return(figure)
  }
  plain <- tibble::as_tibble(t)[keys]
  for (layer in figure$layers) {
    data <- if (inherits(layer$data, "waiver")) figure$data else layer$data
    if (!is.data.frame(data) || !all(keys %in% names(data))) next
    rows <- tryCatch(match_rows(tibble::as_tibble(data)[keys], plain, keys), error = function(cnd) NULL)
    if (is.null(rows)) next
    data[["row of the table"]] <- rows
    layer$data <- data
    layer$mapping <- structure(c(layer$mapping, list(mark = rlang::quo(.data[["row of the table"]]))),
                               class = c("uneval", "list"))
  }
  figure
}

marked_shapes <- c("GeomRect", "GeomBar", "GeomCol", "GeomTile", "GeomSegment", "GeomPoint", "GeomLine")

figure_marks <- function(built, picture, inches) {
  shapes <- vapply(built$plot$layers, function(layer) class(layer$geom)[1], "")
  marked <- which(vapply(built$data, function(data) "mark" %in% names(data), NA))
  # One mark for a row: its bar, else its point, else where its line stands.
  order <- marked[order(match(shapes[marked], marked_shapes))]
  if (length(order) == 0) {
    return(NULL)
  }
  data <- built$data[[order[1]]]
  data <- data[!is.na(data$mark) & !duplicated(data$mark), ]
  if (nrow(data) == 0 || nrow(data) > max_marks) {
    return(NULL)
  }
  layout <- built$layout$layout
  cells <- picture$layout[grepl("^panel", picture$layout$name), ]
  marks <- lapply(split(data, data$PANEL, drop = TRUE), function(rows) {
    at <- layout[layout$PANEL == rows$PANEL[1], ]
    cell <- cells[cells$t == sort(unique(cells$t))[at$ROW] & cells$l == sort(unique(cells$l))[at$COL], ][1, ]
    grid::seekViewport(sprintf("%s.%d-%d-%d-%d", cell$name, cell$t, cell$r, cell$b, cell$l))
    corner <- grid::deviceLoc(grid::unit(c(0, 1), "npc"), grid::unit(c(0, 1), "npc"), valueOnly = TRUE)
    x <- corner$x / inches[1]
    y <- corner$y / inches[2]
    place <- built$layout$coord$transform(rows, built$layout$panel_params[[as.integer(rows$PANEL[1])]])
    within <- function(low, high, from) from[1] + pmin(pmax(cbind(low, high), 0), 1) * diff(from)
    wide <- within(place$xmin %||% (place$x - 0.006), place$xmax %||% (place$x + 0.006), x)
    tall <- within(place$ymin %||% (place$y - 0.012), place$ymax %||% (place$y + 0.012), y)
    left <- pmin(wide[, 1], wide[, 2])
    top <- 1 - pmax(tall[, 1], tall[, 2])
    data.frame(row = rows$mark, left = 100 * left, top = 100 * top,
               width = pmax(100 * abs(wide[, 2] - wide[, 1]), 1), height = pmax(100 * abs(tall[, 2] - tall[, 1]), 1.2))
  })
  grid::upViewport(0)
  do.call(rbind, unname(marks))
}

figure_tags <- function(drawn, answer) {
  tags <- htmltools::tags
  kinds <- possible_figures(answer)
  marks <- drawn$marks
  marked <- marked_rows(answer)
  buttons <- if (!is.null(marks)) {
    names <- vapply(marks$row, function(row) row_name(answer, row), "")
    htmltools::HTML(paste(sprintf(
      paste0('<button type="button" class="mark%s" data-row="%d" tabindex="%d" aria-label="%s" ',
             'style="left:%.2f%%;top:%.2f%%;width:%.2f%%;height:%.2f%%"></button>'),
      ifelse(marked[marks$row], " marked", ""), marks$row, ifelse(seq_along(marks$row) == 1, 0L, -1L), escape(names),
      marks$left, marks$top, marks$width, marks$height
    ), collapse = ""))
  }
  list(
    tags$figure(tags$div(
      class = "picture",
      tags$img(alt = printable(drawn$alt), width = drawn$room[1], height = drawn$room[2], src = svg_address(drawn$svg)),
      buttons
    ), if (length(drawn$notes)) tags$figcaption(class = "quiet", printable(paste(drawn$notes, collapse = " ")))),
    if (drawn$pages > 1) tags$p(
      class = "pages", figure_turn(drawn$page - 1L, "Figure before", drawn$page == 1),
      sprintf(" %d of %d ", drawn$page, drawn$pages),
      figure_turn(drawn$page + 1L, "Figure after", drawn$page == drawn$pages)
    ),
    if (length(kinds) > 1) {
      tags$p(class = "kinds", tags$span(class = "quiet", "Drawn as "), lapply(kinds, function(kind) {
        list(tags$button(type = "button", `data-act` = "figure", `data-figure` = kind,
                         `aria-pressed` = if (kind == drawn$kind) "true" else "false", kind), " ")
      }))
    }
  )
}

figure_turn <- function(page, words, none) {
  htmltools::tags$button(type = "button", `data-act` = "figure-page", `data-page` = page,
                         disabled = if (none) NA, words)
}
