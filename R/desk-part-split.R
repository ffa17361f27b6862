# The parts of the sentence that say what a table is split by.

part_by <- list(
  title = "Split by",
  off = "split by",
  words = function(state, desk) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    if (length(inner)) said(named_words(inner), " by ") else if (length(state$table$every) == 0) said("in all", " ")
  },
  choices = function(state, desk) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    list(column_list("by", desk, inner, setdiff(unlist(state$within), inner), "already under \"within\""),
         if (length(inner) > 1) field_group("Which comes first", lapply(inner[-1], function(name) {
           list(htmltools::tags$button(type = "button", `data-act` = "first", `data-column` = name,
                                       printable(paste(name_words(name), "first"))), " ")
         })))
  },
  change = function(state, given, facts) {
    state$table$by <- as.list(unique(c(unlist(state$within), unlist(given$by))))
    state
  }
)

part_within <- list(
  title = "Within",
  off = "within",
  words = function(state, desk) {
    if (length(state$within)) said(named_words(unlist(state$within)), " within ")
  },
  choices = function(state, desk) {
    inner <- setdiff(unlist(state$table$by), unlist(state$within))
    list(htmltools::tags$p(class = "quiet", "Ranks and shares start afresh in each of these."),
         column_list("within", desk, unlist(state$within), if (length(inner) == 1) inner, "the sentence splits by it"))
  },
  change = function(state, given, facts) {
    inner <- setdiff(unlist(state$table$by), c(unlist(state$within), unlist(given$within)))
    state$within <- as.list(unlist(given$within))
    state$table$by <- as.list(c(unlist(given$within), inner))
    rescoped(state)
  }
)

part_every <- list(
  title = "Per period",
  off = "per period",
  words = function(state, desk) {
    every <- unlist(state$table$every)
    if (length(every)) said(and_list(vapply(every, function(grain) grain_kinds[[grain]]$name, "")), ", per ")
  },
  choices = function(state, desk) {
    now <- paste(unlist(state$table$every), collapse = " ")
    all_grains <- names(grain_kinds)
    both <- c("year quarter", "year month", "year month_of_year", "year quarter_of_year")
    words <- function(every) and_list(vapply(strsplit(every, " ")[[1]], function(x) grain_kinds[[x]]$name, ""))
    offer <- function(every) {
      refused <- tryCatch({
        for (grain in strsplit(every, " ")[[1]]) check_grain(desk$facts, grain)
        NULL
      }, hinterfeld_error = function(cnd) "these data hold only longer periods")
      choice("radio", "every", every, words(every), every == now, why = refused)
    }
    recurring <- vapply(all_grains, is_recurring, NA)
    htmltools::tagList(
      choice("radio", "every", "", "no period", now == ""),
      field_group("Consecutive", lapply(all_grains[!recurring], offer)),
      field_group("Recurring, added up over the years", lapply(all_grains[recurring], offer)),
      field_group("In two columns", lapply(both, offer))
    )
  },
  change = function(state, given, facts) {
    every <- strsplit(given$every %||% "", " ", fixed = TRUE)[[1]]
    scoped <- lapply(c(share = "share", rank = "rank"), function(kind) step_given(state, kind))
    each <- vapply(scoped, function(step) starts_each_period(state, step), NA)
    pick_each <- starts_each_period(state, state$table$pick[[1]])
    state$table$every <- if (length(every)) as.list(every)
    rescoped(state, each = c(each, pick = pick_each) & length(every) > 0)
  }
)
