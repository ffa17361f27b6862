# Draws one figure of each kind from the demo data into the given folder.
suppressPackageStartupMessages(library(hinterfeld))
folder <- commandArgs(TRUE)[1]
book <- demo_daybook()
files <- demo_files()
monthly <- totals(book, every = "month")
figures <- list(
  trend = figure_trend(totals(book, by = category, every = "month")),
  years = figure_years(monthly, cumulative = TRUE),
  change = figure_change(add_change(totals(book, by = town, every = "year"))),
  causes = figure_causes(add_causes(add_change(totals(book, by = region, every = "year")))),
  target = figure_target(add_target(totals(book, by = region, every = "year"), load_table(files[["targets"]]))),
  ranking = figure_ranking(best_sellers(totals(book, by = c(region, product)), n = 5, within = region, others = TRUE)),
  share = figure_share(totals(book, by = c(region, category))),
  running = figure_running(add_running_total(totals(book, by = region, every = "month"), restart = "year")),
  pareto = figure_pareto(add_pareto(totals(book, by = product))),
  crosstab = figure_crosstab(crosstab(totals(book, by = product, every = "month"), product, month)),
  weekdays = suppressMessages(figure_weekdays(totals(book, every = "weekday"))),
  places = figure_places(add_change(totals(book, by = c(region, town), every = "year")), load_table(files[["towns"]]),
                         outline = files[["island"]])
)
for (name in names(figures)) deliver(figures[[name]], file.path(folder, sprintf("figure-%s.png", name)))
