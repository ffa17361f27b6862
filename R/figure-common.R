# What all figures share: their data, their words, their labels.

# Rows to draw: the detail without subtotals, with the measure as `value`.
figure_rows <- function(t, of, call = caller_env()) {
  check_totals(t, call = call)
  if (nrow(t) == 0) {
    stop_because("figure", "The table has no rows to draw.", i = "See with `audit()` which conditions left nothing.",
                 call = call)
  }
  t <- detail_rows(t)
  answer <- answer_of(t)
  of <- of %||% names(answer$measures)[1]
  if (!of %in% names(answer$measures)) {
    stop_because("figure", sprintf("There is no measure `%s` to draw.", of),
                 i = sprintf("The table holds %s.", columns_named(names(answer$measures))), call = call)
  }
  drawn_measure(list(t = t, data = as_tibble.hinterfeld_totals(t)), answer, of)
}

# Subtotals are not drawn beside what they add up; the subtitle has the row of all members, if the table has one.
whole_row <- function(t, period) {
  answer <- answer_of(t)
  by <- setdiff(answer$by, answer$periods)
  if (length(answer$levels) < 2 || length(by) == 0) {
    return(integer())
  }
  plain <- as_tibble.hinterfeld_totals(t)
  whole <- Reduce(`&`, lapply(plain[by], function(x) as.character(x) %in% answer$labels$total))
  which(whole & if (is.null(period)) TRUE else row_days(t) %in% period)
}

# NULL for the first.
figure_measure <- function(of, t) {
  if (!rlang::quo_is_null(of)) columns_given(of, t)
}

# A figure speaks of the measure it draws.
drawn_measure <- function(rows, answer, of) {
  rows$data$value <- rows$data[[of]]
  answer$measures <- answer$measures[of]
  list(t = rows$t, data = rows$data, answer = answer, of = of)
}

stop_figure <- function(problem, ..., call = caller_env()) {
  stop_because("figure", problem, i = ..., call = call)
}

# The column that a step has added with this part; the figure cannot be drawn without one.
figure_column <- function(answer, step, output, call = caller_env()) {
  name <- added_columns(answer, step, output)
  if (length(name) == 0) {
    stop_figure(sprintf("The table has no column of `add_%s()`.", step),
                sprintf("Add it first with `add_%s()`.", step), call = call)
  }
  name[1]
}

# The name of each row's member: its `by` columns. Names are made unique, so that two places of the same name in two
# regions, or names that become equal when joined, are not taken for one. `about` is an answer or a listing.
member_names <- function(data, by, about) {
  members <- named_members(data, by, about)
  members$names[members$codes]
}

# The same as the code of each row and the name of each code.
named_members <- function(data, by, about) {
  if (length(by) == 0) {
    return(list(codes = rep(1L, nrow(data)), names = "all"))
  }
  groups <- member_groups(data, by)
  parts <- lapply(by,
                  function(name) shown_values(data[[name]][groups$first], about$columns[[name]], about$about$calendar))
  names <- distinguishable(do.call(paste, c(parts, sep = ", ")))
  alike <- names %in% names[duplicated(names)]
  names[alike] <- do.call(paste, c(parts, sep = " / "))[alike]
  list(codes = groups$codes, names = make.unique(names, " "))
}

# Title, sentences as subtitle (a figure has no columns, so they are not named), what was left out as caption.
figure_words <- function(rows, sentences = NULL, title = NULL, subtitle = NULL, caption = NULL, notes = NULL,
                         dashed = FALSE) {
  answer <- rows$answer
  spoken <- paste(c(table_words(answer), sentences), collapse = " ")
  incomplete <- incomplete_words(answer, if (dashed) "is incomplete and drawn dashed" else "is not complete")
  together <- Filter(function(shared) !any(shared$apart %in% answer$inquiry$by), answer$about$alike)
  noted <- c(notes, incomplete, empty_note(rows$t, answer), alike_words(together, answer$inquiry$by),
             left_out_note(answer$about, ""))
  prose <- function(words) in_prose(words, names(answer$columns))
  figure_labels(title %||% title_words(answer),
                subtitle %||% structure(prose(spoken), sentences = prose(sentences)), caption %||% prose(noted))
}

# " by region and customer id"
scope_phrase <- function(columns, how = "by") {
  if (length(columns)) sprintf(" %s %s", how, and_list(name_words(columns))) else ""
}

# Columns as words, in sentences that name them as a table does.
in_prose <- function(words, columns) {
  columns <- grep("^[[:alnum:]]+(_[[:alnum:]]+)+$", columns, value = TRUE)
  for (column in unique(c(columns, capital(columns)))) {
    words <- gsub(sprintf("\\b%s(s?)\\b", column), paste0(name_words(column), "\\1"), words)
  }
  words
}

# The rows of lines with several points: of lines with one, ggplot2 would say that it draws nothing.
longer_lines <- function(data, line) {
  data[points_of_line(data, line) > 1, ]
}

single_points <- function(data, line) {
  data[points_of_line(data, line) == 1, ]
}

points_of_line <- function(data, line) {
  stats::ave(as.integer(!is.na(data$value)), line, FUN = sum)
}

# How wide figures are laid out, in pixels at 144 to an inch: as files are, or as a page has room for.
layout_width <- function() {
  getOption("hinterfeld.layout_width", 1280)
}

# A narrow figure is higher than wide.
layout_height <- function() {
  layout_width() * figure_aspect(layout_width())
}

figure_aspect <- function(width) {
  if (width < 937) 1.4 else 0.625
}

in_layout <- function(width, code) {
  rlang::with_options(code, hinterfeld.layout_width = width)
}

# In the theme's sizes, as millimetres. The caption keeps its sentences, for a page that shows the first and opens the
# rest.
figure_labels <- function(title, subtitle, caption) {
  wide <- layout_width() / 1280
  wrapped <- wrap_words(paste(caption, collapse = " "), 150 * wide, 12 * 0.75 * 25.4 / 72)
  ggplot2::labs(title = wrap_words(title, 80 * wide, 12 * 1.35 * 25.4 / 72),
                subtitle = structure(wrap_words(subtitle, 114 * wide, 12 * 0.95 * 25.4 / 72),
                                     sentences = attr(subtitle, "sentences")),
                caption = structure(wrapped, sentences = caption))
}

# Lines of at most this many characters, fewer where these are wide: no line leaves the figure.
wrap_words <- function(x, width, size) {
  repeat {
    lines <- sub("^  ", "", text_notes(x, width))
    if (width < 20 || max(text_widths(lines, size), 0) <= layout_width() - 65) break
    width <- floor(width * 0.95)
  }
  paste(lines, collapse = "\n")
}

# At most `most` members, the largest; how many were left out, and which.
largest_members <- function(size, most) {
  order <- names(sort(size, decreasing = TRUE))
  list(names = utils::head(order, most), rest = max(0, length(order) - most), left = utils::tail(order, -most))
}

# `names` are those of the others, of which a line holds some.
others_note <- function(rest, noun = "others", names = NULL) {
  if (rest > 0) {
    sprintf("And %s %s, not drawn%s.", group_digits(rest), noun,
            if (length(names)) paste0(": ", some_names(names)) else "")
  }
}

some_names <- function(names, most = 6) {
  first <- utils::head(names, most)
  more <- length(names) - length(first)
  short <- gsub("\u2026", "...", distinct_names(first, shorten(first, 24)), fixed = TRUE)
  all <- c(short, if (more > 0) sprintf("%s more", group_digits(more)))
  # Commas inside names need a stronger mark between them.
  if (length(all) < 2 || !any(grepl(", ", short, fixed = TRUE))) {
    return(and_list(all))
  }
  paste(paste(all[-length(all)], collapse = "; "), "and", all[length(all)])
}

# Long names lose their middle, for it is often the end that tells them apart; the data keep them whole.
shorten <- function(x, width = 30) {
  long <- !is.na(x) & nchar(x) > width
  end <- width %/% 3
  x[long] <- paste0(trimws(substr(x[long], 1, width - end - 1)), "\u2026",
                    trimws(substring(x[long], nchar(x[long]) - end + 1)))
  x
}

# Names no wider than this part of a panel: the longest lose their middle, by as many characters as it takes.
fitting_names <- function(x, size, columns, fraction) {
  whole <- x
  wide <- function(text) text_widths(text, size) > fraction * panel_width(columns)
  for (most in seq(44, 8, by = -2)) {
    long <- wide(x)
    if (!any(long)) break
    x[long] <- shorten(whole[long], most)
  }
  distinct_names(whole, x)
}

# Names that were shortened to the same show their start and the part that tells them apart.
distinct_names <- function(whole, short) {
  for (text in unique(short[duplicated(short)])) {
    same <- which(short == text)
    if (length(unique(whole[same])) == 1) next
    letters <- strsplit(whole[same], "")
    least <- min(lengths(letters))
    front <- shared_length(lapply(letters, utils::head, least))
    back <- shared_length(lapply(letters, function(text) rev(utils::tail(text, least))))
    back <- min(back, least - front)
    short[same] <- vapply(letters, function(text) {
      middle <- text[seq(max(front - 3L, 1L), max(length(text) - back, front + 1L))]
      paste(c(utils::head(text, 6), "\u2026", middle[!is.na(middle)], if (back > 0) "\u2026"), collapse = "")
    }, "")
  }
  short
}

# How many letters all of these begin with.
shared_length <- function(letters) {
  same <- Reduce(`&`, lapply(letters[-1], function(letter) letter == letters[[1]]))
  match(FALSE, same, length(same) + 1L) - 1L
}

# In pixels of a layout.
text_widths <- function(text, size) {
  # ggplot2 gives text sizes in millimetres; a point is a 72nd of an inch.
  systemfonts::string_width(text, family = figure_family(), size = size * 72 / 25.4, res = 144)
}

# With this many panels side by side.
panel_width <- function(columns) {
  (layout_width() - 50) / columns - 16
}

# The widest of these texts as a part of a panel, with this many panels side by side.
text_fraction <- function(text, size, columns = 1) {
  min(0.6, (max(text_widths(text, size), 0) + 26) / panel_width(columns))
}

# Axis labels such as "0", "25 k", "1.2 M"; the unit, where the measure is money, stands with the highest.
axis_money <- function(unit) {
  function(x) {
    text <- short_money(x)
    top <- which.max(replace(x, is.na(x), -Inf))
    if (!is.null(unit) && length(top)) text[top] <- paste(text[top], unit)
    text
  }
}

short_money <- function(x) {
  held_together(short_number(x))
}

# A value beside its bar: whole units, spaces between thousands.
bar_money <- function(x) {
  ifelse(is.na(x), "", sub("-", "\u2212", held_together(fixed_number_text(round(x), 0)), fixed = TRUE))
}

signed_percent <- function(x) {
  held_together(sub("-", "\u2212", percent_text(x, signed = TRUE)))
}

# Heights for labels at the ends of lines: near `y`, in the same order, at least `gap` apart.
spread_labels <- function(y, gap) {
  order <- order(y)
  at <- y[order]
  for (round in seq_len(200)) {
    near <- which(diff(at) < gap * 0.999)
    if (length(near) == 0) break
    for (i in near) {
      push <- (gap - (at[i + 1] - at[i])) / 2
      if (push > 0) at[c(i, i + 1)] <- at[c(i, i + 1)] + c(-push, push)
    }
  }
  at[order(order)]
}

# Text inside the panel, in the figure's typeface.
label_text <- function(..., size = 3.6, colour = ink) {
  with_device_glyphs(ggplot2::geom_text(..., size = size, colour = colour, family = figure_family()))
}

# A layer whose labels are written in the glyphs that the device has.
with_device_glyphs <- function(layer) {
  plain <- layer$geom
  layer$geom <- ggplot2::ggproto(NULL, plain, parameters = function(self, extra = FALSE) plain$parameters(extra),
    draw_panel = function(self, data, ...) {
      data$label <- device_glyphs(data$label)
      plain$draw_panel(data, ...)
    })
  layer
}

# R's own PDF and PostScript devices write eight bits: their hyphen is a minus sign, and they have no sign for what was
# left out. Asked while a figure is drawn.
device_glyphs <- function(text) {
  if (!names(grDevices::dev.cur()) %in% c("pdf", "postscript")) {
    return(text)
  }
  gsub("\u2026", "...", gsub("\u2212", "-", text, fixed = TRUE), fixed = TRUE)
}

# A label that hides what is behind it.
line_label <- function(..., size = 3.8) {
  # The line around a label has been called by another name since ggplot2 4.0.
  border <- if (utils::packageVersion("ggplot2") >= "4.0.0") list(border.colour = NA) else list(label.size = NA)
  with_device_glyphs(rlang::exec(ggplot2::geom_label, ..., size = size, family = figure_family(), fill = paper,
                                 hjust = 0, label.padding = grid::unit(0.1, "lines"), !!!border))
}

at_break <- function(data, x) {
  data$x <- x
  data
}

# Two slanted cuts in the paper's colour across a bar that goes on beyond the axis: at `x`, `width` apart.
bar_break <- function(data, width) {
  if (nrow(data) == 0) {
    return(NULL)
  }
  cuts <- data[rep(seq_len(nrow(data)), each = 2), ]
  cuts$cut <- cuts$x + c(-0.5, 0.5) * width
  ggplot2::geom_segment(ggplot2::aes(x = .data$cut - width * 0.25, xend = .data$cut + width * 0.25,
                                     y = .data$row - 0.42, yend = .data$row + 0.42),
                        cuts, colour = paper, linewidth = 1.6)
}

# ", 2026-05": the period of which a title tells; nothing where there is none.
of_period <- function(period, answer) {
  if (is.null(period)) "" else paste0(", ", period_label(period, answer$every, answer$about$calendar))
}
