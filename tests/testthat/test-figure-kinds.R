# What R and other packages say, of which nobody should hear.
strange_words <- function(code) {
  said <- character()
  hear <- function(cnd, restart) {
    own <- inherits(cnd, "hinterfeld_message") || grepl("total is 0 or below", conditionMessage(cnd))
    if (!own) said <<- c(said, conditionMessage(cnd))
    invokeRestart(restart)
  }
  withCallingHandlers(tryCatch(code, hinterfeld_error = function(cnd) NULL),
                      warning = function(cnd) hear(cnd, "muffleWarning"),
                      message = function(cnd) hear(cnd, "muffleMessage"))
  said
}

# Tables of a daybook by any columns and periods, with what can be added or picked.
any_tables <- function(book) {
  by <- sample(intersect(c("product", "region", "category", "town"), names(lines_of(book))), sample(0:1, 1))
  every <- sample(list(NULL, "day", "week", "month", "quarter", "year", "weekday", "month_of_year",
                       c("year", "month_of_year"), c("year", "quarter")), 1)[[1]]
  t <- quiet(totals(book, by = tidyselect::all_of(by), every = every, fill = stats::runif(1) < 0.2,
                    subtotals = if (length(by) && stats::runif(1) < 0.2) TRUE))
  ways <- list(
    function() add_change(t, versus = sample(c("year_before", "period_before"), 1)),
    function() add_causes(add_change(t)), function() add_running_total(t, restart = sample(list(NULL, "year"), 1)[[1]]),
    function() add_moving(t, last = 3), function() add_pareto(t), function() best_sellers(t, 3, others = TRUE),
    function() best_sellers(add_share(t), 3, of = "revenue_share"),
    function() slow_sellers(add_change(t), 3, tidyselect::all_of(by), "revenue_change", others = TRUE),
    function() best_sellers(add_running_total(add_change(t)), 4, of = "revenue_running"),
    function() crosstab(t, tidyselect::all_of(by), tidyselect::all_of(utils::tail(every, 1))),
    function() best_of_each(t, within = tidyselect::all_of(every))
  )
  made <- lapply(sample(ways, 3), function(way) tryCatch(quiet(way()), hinterfeld_error = function(cnd) NULL))
  c(list(t), Filter(Negate(is.null), made))
}

test_that("any table is drawn, wide or narrow, or refused with a reason, and printed", {
  for (seed in seeds(3110, 2, 40)) {
    withr::local_seed(seed)
    said <- strange_words({
      for (t in any_tables(any_daybook(seed))) {
        expect_gt(length(format(t)), 0)
        for (kind in sample(setdiff(names(figure_kinds), "places"), 3)) {
          drawn <- strange_words({
            figure <- in_layout(sample(c(500, 900, 1280), 1), made_figure(kind, t))
            deliver(figure_pages(figure)[[1]], withr::local_tempfile(fileext = ".svg"))
          })
          expect_identical(drawn, character(), label = paste(seed, kind))
        }
      }
    })
    expect_identical(said, character(), label = seed)
  }
})
