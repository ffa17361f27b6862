# Tables of the help pages, made from the registries: Markdown, which the help pages are written in.

markdown_rows <- function(heads, rows) {
  line <- function(cells) paste0("| ", paste(cells, collapse = " | "), " |")
  paste(c(line(heads), line(rep("---", length(heads))), vapply(rows, line, "")), collapse = "\n")
}

# The kinds of measures: what makes them, what they are, what they can be taken per and added up as.
measure_table <- function() {
  rows <- lapply(measure_kinds, function(kind) {
    one <- if (kind$per) "line (with `per`: of the totals per day, order ...)" else "line"
    words <- gsub("{one}", one, kind$words, fixed = TRUE)
    for (argument in c("x", "to")) {
      words <- gsub(sprintf("{%s}", argument), sprintf("`%s`", argument), words, fixed = TRUE)
    }
    yes <- function(x) if (x) "yes" else "no"
    c(sprintf("`%s()`", kind$maker), words, yes(kind$adds_up), yes(kind$margin))
  })
  markdown_rows(c("measure", "is", "rows add up", "`margin`"), rows)
}

# The periods, and whether they come again.
grain_table <- function() {
  rows <- Map(function(name, kind) {
    example <- kind$label(as.Date("2026-07-01"), function(what) period_places[[what]], sales_calendar())
    c(sprintf("`\"%s\"`", name), example,
      if (is.null(kind$single)) "" else sprintf("each %s of every year", kind$single))
  }, names(grain_kinds), grain_kinds)
  markdown_rows(c("`every`", "for example", "recurs"), rows)
}

period_places <- list(year = 2026L, quarter = 3L, month = 7L, week = 27L, weekday = 3L)

# The steps that a brief can add, with the arguments of each.
step_table <- function() {
  rows <- Map(function(name, kind) {
    c(sprintf("`%s`", name), sprintf("[%s()]", kind$verb), paste0("`", names(kind$arguments), "`", collapse = ", "))
  }, names(step_kinds), step_kinds)
  markdown_rows(c("key", "does", "arguments"), rows)
}

# The figures that a brief can draw, and what their table must have.
figure_table <- function() {
  rows <- Map(function(name, kind) {
    c(sprintf("`%s`", name), sprintf("[figure_%s()]", name),
      if (is.null(kind$needs)) "" else paste0("`", kind$needs, "`", collapse = ", "))
  }, names(figure_kinds), figure_kinds)
  markdown_rows(c("`draw`", "draws", "the table needs"), rows)
}
