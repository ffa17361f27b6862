# The registry of figures: each is one entry, from which briefs and their checks know what can be drawn.

# draw   the function; needs the steps (or the crosstab) of which the table must have one, NULL for none; `every` the
#        periods that the table must have one of; `most` how many columns it may be split by at most
figure_kinds <- list(
  trend = list(draw = function(...) figure_trend(...), needs = NULL, every = grains, most = 1),
  years = list(draw = function(...) figure_years(...), needs = NULL, every = c("week", "month", "quarter"), most = 0),
  change = list(draw = function(...) figure_change(...), needs = "change"),
  causes = list(draw = function(...) figure_causes(...), needs = "causes"),
  target = list(draw = function(...) figure_target(...), needs = "target"),
  ranking = list(draw = function(...) figure_ranking(...), needs = NULL),
  share = list(draw = function(...) figure_share(...), needs = NULL),
  running = list(draw = function(...) figure_running(...), needs = c("running_total", "moving"), every = grains,
                 most = 1),
  pareto = list(draw = function(...) figure_pareto(...), needs = "pareto"),
  crosstab = list(draw = function(...) figure_crosstab(...), needs = "crosstab"),
  weekdays = list(draw = function(...) figure_weekdays(...), needs = NULL, every = setdiff(names(grain_kinds), grains),
                  most = 1),
  places = list(draw = function(...) figure_places(...), needs = NULL)
)

# A figure of plain arguments that carries what it is made of, by which it is found again when it was drawn before.
made_figure <- function(kind, t, ...) {
  args <- list(...)
  figure <- rlang::exec(figure_kinds[[kind]]$draw, t, !!!args)
  made_of <- list(kind, as.list(t), answer_of(t)$inquiry, args)
  pages <- attr(figure, "pages", exact = TRUE)
  if (!is.null(pages)) attr(figure, "pages") <- lapply(pages, structure, made_of = made_of)
  structure(figure, made_of = made_of)
}
