# The parts of the sentence that lay a table out.

part_grid <- list(
  title = "Across",
  off = "across",
  words = function(state, desk) {
    columns <- unlist(state$table$crosstab$columns)
    if (length(columns)) said(paste(named_words(columns), "across"), ", with ")
  },
  choices = function(state, desk) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    columns <- unlist(state$table$crosstab$columns)
    if (length(split) < 2) {
      return(htmltools::tags$p("A table with columns across needs two things to split by."))
    }
    list(lapply(split, function(name) {
      choice("checkbox", "columns", name, paste(name_words(column_or_grain(name)), "across"), name %in% columns)
    }), if (length(columns)) {
      cells <- unlist(state$table$crosstab$of)
      field_group("In the cells", lapply(cell_choices(state$table), function(name) {
        choice("checkbox", "cells", name, name_words(name), name %in% cells)
      }))
    },
    if (length(columns)) htmltools::tags$button(type = "button", `data-act` = "swap", "Swap rows and columns"))
  },
  change = function(state, given, facts) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    columns <- intersect(split, unlist(given$columns))
    rows <- setdiff(split, columns)
    state$table$sort <- NULL
    state$table$crosstab <- if (length(columns) && length(rows)) {
      state$table$pick <- NULL
      list(rows = as.list(rows), columns = as.list(columns), of = as.list(given$cells), margins = TRUE)
    }
    state
  }
)

part_rows <- list(
  title = "Subtotals and empty periods",
  off = "with subtotals",
  words = function(state, desk) {
    extra <- c(if (isTRUE(state$table$subtotals)) "subtotals", if (isTRUE(state$table$fill)) "empty periods as 0")
    if (length(extra)) said(and_list(extra), ", with ")
  },
  choices = function(state, desk) {
    split <- c(unlist(state$table$every), unlist(state$table$by))
    picked <- if (!is.null(state$table$pick)) "not where only the best are shown"
    htmltools::tagList(
      choice("checkbox", "subtotals", "true", "subtotals and a grand total", isTRUE(state$table$subtotals),
             why = if (length(split) < 2) "needs two columns or periods to split by" else picked),
      choice("checkbox", "fill", "true", "periods without sales as 0", isTRUE(state$table$fill),
             why = if (length(state$table$every) == 0) "choose a period first")
    )
  },
  change = function(state, given, facts) {
    state$table$subtotals <- if (isTRUE(given$subtotals)) TRUE
    state$table$fill <- if (isTRUE(given$fill)) TRUE
    state
  }
)

# What can stand in the cells of a grid: the measures, and of each step what a crosstab shows.
cell_choices <- function(table) {
  steps <- Filter(function(step) names(step) %in% c("share", "rank", "change", "running_total", "moving"), table$add)
  measures <- brief_measure_names(table$measures)
  c(measures, added_names(steps, measures, in_cells = TRUE))
}

# A grid has rows and columns of what the table is split by, and shows shares where they are asked for.
settled_grid <- function(table, split) {
  grid <- table$crosstab
  rows <- intersect(unlist(grid$rows), split)
  columns <- intersect(unlist(grid$columns), split)
  rows <- c(rows, setdiff(split, c(rows, columns)))
  if (length(rows) == 0 || length(columns) == 0) {
    return(NULL)
  }
  choices <- cell_choices(table)
  shares <- added_names(Filter(function(step) names(step) == "share", table$add), brief_measure_names(table$measures))
  shown <- intersect(unlist(grid$of), choices)
  if (length(shown) == 0) shown <- c(intersect(shares, choices), choices)[1]
  same <- identical(unlist(grid$rows), rows) && identical(unlist(grid$columns), columns) &&
    identical(unlist(grid$of), shown)
  # Rows that stand in groups have no best of all.
  best <- if (!is.null(grid$best) && length(rows) == 1) list(n = grid$best$n)
  Filter(Negate(is.null), list(rows = as.list(rows), columns = as.list(columns), of = as.list(shown),
                               margins = is.null(table$pick),
                               order = if (same) grid$order, best = best))
}
