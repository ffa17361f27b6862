# One row, or one cell of a grid: its numbers in words, and what can be asked from it.

# "Saltcoast, Red clay"
row_name <- function(answer, row) {
  t <- answer$table
  forms <- column_forms(t)
  paste(vapply(row_keys(t), function(name) shown_text(t[[name]][row], forms[[name]], calendar_of(t)), ""),
        collapse = ", ")
}

# "Saltcoast, Red clay: revenue 12 345.60 Mk; 3.4 % of all; +4.2 % on the year before"
row_words <- function(answer, row, column = NULL) {
  t <- answer$table
  about <- answer_of(t)
  forms <- column_forms(t)
  text <- function(name) {
    held_together(sub("^-", "\u2212", shown_text(t[[name]][row], forms[[name]], calendar_of(t))))
  }
  who <- row_name(answer, row)
  unit <- if (!is.null(currency_of(t))) paste0("\u00a0", currency_of(t)) else ""
  money <- function(name) if (identical(forms[[name]]$kind, "money")) unit else ""
  if (inherits(t, "hinterfeld_crosstab")) {
    if (!isTRUE(column %in% names(about$cells))) {
      return(who)
    }
    shares <- vapply(c("row", "column", "all"), function(of) cell_share(answer, row, column, of), "")
    return(sprintf("%s; %s: %s%s%s", who, column, text(column), money(column),
                   if (any(nzchar(shares))) paste0("; ", paste(shares[nzchar(shares)], collapse = ", ")) else ""))
  }
  values <- intersect(about$values, names(t))
  texts <- vapply(values, function(name) {
    sprintf("%s %s%s", sub(" %$", "", name_words(name)), text(name), money(name))
  }, "")
  texts <- texts[!is.na(unlist(lapply(values, function(name) t[[name]][row])))]
  paste0(who, if (nzchar(who)) ": ", paste(c(texts, row_share(answer, row), row_change(answer, row)), collapse = "; "))
}

# The share of a row that the table does not hold itself, of the scope that the sentence stands in.
row_share <- function(answer, row) {
  about <- answer_of(answer$table)
  if (length(added_columns(about, "share", "share")) || length(about$keys) == 0) {
    return(NULL)
  }
  within <- unlist(answer$state$within)
  t <- extra_of(answer, "share", function(t) {
    add_share(t, names(about$measures)[1], within = tidyselect::all_of(within), name = "share of the desk")
  })
  share <- t[["share of the desk"]][row]
  if (!is.null(t) && !is.na(share)) {
    sprintf("%s of %s", percent_text(share), if (length(within)) paste("its", named_words(within)) else "all")
  }
}

row_change <- function(answer, row) {
  about <- answer_of(answer$table)
  if (length(added_columns(about, "change", "change")) || is.null(about$every) || is_recurring(about$every)) {
    return(NULL)
  }
  t <- extra_of(answer, "change", function(t) add_change(t, names(about$measures)[1], name = "change of the desk"))
  if (is.null(t)) {
    return(NULL)
  }
  at <- match_rows(tibble::as_tibble(answer$table)[row, about$keys], tibble::as_tibble(t)[about$keys], about$keys)
  pct <- t[[added_columns(answer_of(t), "change", "pct")[1]]][at]
  if (!is.na(pct)) paste(signed_percent(pct), "on the year before")
}

cell_share <- function(answer, row, column, of) {
  t <- extra_of(answer, paste("share of", of), function(t) add_share(t, of = of))
  codes <- answer_of(answer$table)$cells[[column]]$codes
  beside <- Filter(function(cell) identical(cell$codes, codes) && cell$counts == "percent", answer_of(t)$cells)
  share <- if (length(beside)) t[[utils::tail(names(beside), 1)]][row] else NA
  if (is.na(share)) "" else sprintf("%s of %s", percent_text(share), if (of == "all") "all" else paste("its", of))
}

# What a row is in the facts: a condition for each column that splits it; NULL for a period that conditions cannot tell,
# nothing for a total.
row_conditions <- function(answer, row, column = NULL) {
  t <- answer$table
  about <- answer_of(t)
  facts <- answer$facts
  keys <- keys_named(ids_of(about, about$keys), about$inquiry, facts)
  codes <- Map(function(key, name) row_code(key, t[[name]][row], about), keys, about$keys)
  names <- ids_of(about, about$keys)
  if (!is.null(column) && !is.null(about$cells[[column]])) {
    cell <- check_cell(column, about)
    keys <- c(keys, keys_named(cell$split, about$inquiry, facts))
    codes <- c(codes, as.list(cell$codes))
    names <- c(names, cell$split)
  }
  conditions <- Map(function(key, code, name) {
    if (is.na(code) || code == total_code) {
      return(character())
    }
    value <- if (code == 0) NA else key$labels[code]
    if (name %in% about$everys) period_conditions(value, name, facts) else value_condition(name, value)
  }, keys, codes, names)
  if (!any(vapply(conditions, is.null, NA))) unlist(conditions)
}

period_conditions <- function(value, every, facts) {
  if (!inherits(facts, "hinterfeld_daybook") || is.na(value)) {
    return(NULL)
  }
  if (!is_recurring(every)) {
    first <- period_start(value, every, facts$calendar)
    return(c(day_condition(">=", first), day_condition("<=", period_end(first, every, facts$calendar))))
  }
  # The expression language knows calendar months and quarters only, not those of another sales calendar.
  rules <- facts$calendar$rules
  names <- switch(every, weekday = substr(capital(weekdays_known), 1, 3),
                  month_of_year = if (rules[2] == 1) month_names,
                  quarter_of_year = if (identical(rules[-3], sales_calendar()$rules[-3])) paste0("Q", 1:4))
  place <- match(value, names)
  if (!is.na(place)) sprintf("%s(day) == %d", sub("_of_year", "", every), place)
}

# What can be asked from a row, as buttons.
row_menu <- function(answer, desk, row, column = NULL) {
  tags <- htmltools::tags
  conditions <- tryCatch(row_conditions(answer, row, column), hinterfeld_error = function(cnd) NULL)
  split <- c(unlist(answer$state$table$by), unlist(answer$state$table$every))
  others <- setdiff(desk$columns$name[is.na(desk$columns$why)], split)
  button <- function(act, label, why = NULL, ...) {
    tags$li(tags$button(type = "button", `data-act` = act, disabled = if (!is.null(why)) NA, ..., label),
            if (!is.null(why)) tags$span(class = "quiet", why))
  }
  why <- if (is.null(conditions)) "no condition describes this row" else if (length(conditions) == 0) {
    "this is the grand total"
  }
  no_lines <- if (!inherits(answer$facts, "hinterfeld_daybook")) "a tally has no lines"
  list(
    tags$h2("This number"), tags$p(printable(row_words(answer, row, column))),
    tags$ul(class = "acts", button("row-only", "Only this", why),
            button("row-without", "Without this", why), button("row-lines", "The lines behind it", no_lines)),
    tags$label("Only this, split by ", tags$select(
      name = "split", `data-act` = "row-split", disabled = if (!is.null(why)) NA, tags$option(value = "", "choose"),
      lapply(others, function(name) tags$option(value = name, name_words(name)))
    ))
  )
}
