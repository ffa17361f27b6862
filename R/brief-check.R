#' Check a brief: every mistake at once
#'
#' Checks the form of a brief and then, if the form is right, its content: that files exist and have the columns named,
#' that expressions are allowed, and that tables and figures fit together. If all of this is right, the first lines of
#' the data are read and made a daybook, so a brief without a mistake is one with which a run begins.
#'
#' @param brief A brief, or the path of one.
#' @return A tibble with one row per mistake, in order of lines: `line` (whole number), `where` (text, the keys to it),
#'   `problem` and `hint` (text). It prints one mistake per line, beginning with the file and the line number. If it has
#'   no rows, the brief is in order.
#' @section Errors: `hinterfeld_error_file` when there is no such file.
#' @export
#' @examples
#' check_brief(demo_brief())
check_brief <- function(brief) {
  parsed <- if (inherits(brief, "hinterfeld_brief")) brief else parse_brief(brief)
  with_own_words(brief_words, {
    problems <- problems_in(parsed)
    if (nrow(problems) == 0) problems <- with_lines(trial_problems(parsed), yaml_lines(parsed$text))
    as_brief_check(problems, parsed)
  })
}

# What a run would stop at once: the first lines are made a daybook, or all of them if these may not be like the rest.
trial_problems <- function(brief) {
  try_lines <- function(n) {
    tryCatch(with_open_sources(quietly({
      brief <- with_closed_days(brief)
      lines <- first_lines(file_with_types(brief$content$data$lines, brief, columns_of_names(brief$content),
                                           columns_used(brief$content)), n)
      tables <- attached_tables(brief, columns_of_names(brief$content), columns_used(brief$content))
      if (!is.null(lines)) book_of_lines(lines, tables, brief)
      NULL
    })), hinterfeld_error_no_lines = function(cnd) NULL, hinterfeld_error = function(cnd) {
      of_rule <- inherits(cnd, "hinterfeld_error_condition")
      problem_from(if (of_rule) "restrict" else if (inherits(cnd, "hinterfeld_error_file")) "data" else "daybook", cnd)
    })
  }
  if (is.null(try_lines(trial_lines))) no_problems() else try_lines(Inf) %||% no_problems()
}

trial_lines <- 200


# Rows are numbered again: problems were put in the order of their lines.
as_brief_check <- function(problems, parsed) {
  structure(outer_table(inner_table(as.list(problems), nrow(problems))), file = basename(parsed$path),
            open = open_marks(parsed$path), class = c("hinterfeld_brief_check", tibble_class))
}

# A brief with a mistake is not used.
check_in_order <- function(brief, call = caller_env()) {
  problems <- problems_in(brief)
  if (nrow(problems)) stop_brief(brief, as_brief_check(problems, brief), call)
}

problems_in <- function(parsed) {
  problems <- form_problems(parsed)
  # Entries with a mistake in their form are dropped; the rest is still checked for its meaning.
  if (!is.null(parsed$content) && is.list(parsed$content)) {
    tables <- names(parsed$content$tables)
    parsed$content <- sound_parts(parsed$content, problems)
    problems <- bind_problems(list(problems, with_open_sources(meaning_problems(parsed, tables))))
    problems <- with_lines(problems, yaml_lines(parsed$text))
  }
  problems
}

#' @export
print.hinterfeld_brief_check <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @export
format.hinterfeld_brief_check <- function(x, ...) {
  file <- attr(x, "file")
  open <- attr(x, "open")
  marks <- if (length(open)) sprintf("%s still open: line %s. Look at what was guessed there, and take the mark away.",
                                     if (length(open) == 1) "1 mark with CHECK is" else
                                       sprintf("%d marks with CHECK are", length(open)), and_list(open))
  if (nrow(x) == 0) {
    return(text_notes(c(sprintf("%s has no mistakes.", file), marks)))
  }
  text_notes(c(problem_lines(x, file), sprintf("%s has %s.", file, count_of(nrow(x), "mistake")), marks))
}

# The lines of a starter brief that somebody should still look at.
open_marks <- function(path) {
  if (rlang::is_string(path) && file.exists(path)) grep("# CHECK", readLines(path, warn = FALSE), fixed = TRUE)
}

# The content without the entries that have a mistake in their form: a whole figure, a step of a table, a key.
sound_parts <- function(content, problems) {
  for (path in strsplit(problems$where, " > ", fixed = TRUE)) {
    # Lines without their file or database are none.
    whole <- path[1] %in% c("figures", "restrict") || identical(path[1:2], c("data", "lines"))
    depth <- if (whole) 2 else if (path[1] %in% "tables" && path[3] %in% "add") 4 else 3
    content <- without_part(content, utils::head(path, depth))
    # A misspelt period still counts as one, so that steps which need a period are not reported as well.
    if (length(path) == 3 && path[3] == "every") content$tables[[path[2]]]$every <- "month"
  }
  content
}

without_part <- function(content, path) {
  if (length(path) == 0 || !is.list(content)) {
    return(content)
  }
  key <- if (is.null(names(content))) suppressWarnings(as.integer(path[1])) else path[1]
  there <- if (is.character(key)) key %in% names(content) else !is.na(key) && key <= length(content)
  if (!there) {
    return(content)
  }
  if (length(path) > 1 && is.list(content[[key]])) {
    content[[key]] <- without_part(content[[key]], path[-1])
  } else if (is.null(names(content))) {
    # Its place stays, so that the entries after it keep their numbers.
    content[key] <- list(NULL)
  } else {
    content[[key]] <- NULL
  }
  content
}

# Meaning ----------------------------------------------------------------------------------------------

meaning_problems <- function(brief, tables) {
  content <- brief$content
  data <- data_problems(brief)
  roles <- role_problems(content$daybook, data$columns)
  columns <- book_columns_of(content$daybook, data$columns)
  computed <- computed_problems(content$columns, columns)
  if (!is.null(columns)) columns <- unique(c(columns, names(content$columns)))
  texts <- setdiff(data$texts, unlist(content$daybook[role_names]))
  bind_problems(c(
    list(data$problems, file_problems(brief)), roles, computed,
    lapply(seq_along(content$restrict), function(i) rule_problems(content$restrict[[i]], c("restrict", i), columns)),
    unlist(lapply(names(content$tables), function(name) {
      table_problems(content$tables[[name]], c("tables", name), columns)
    }), recursive = FALSE),
    unlist(lapply(names(content$tables), function(name) {
      text_problems(content$tables[[name]]$measures, c("tables", name, "measures"), texts)
    }), recursive = FALSE),
    lapply(names(content$figures),
           function(name) figure_problems(content$figures[[name]], c("figures", name), content$tables, tables)),
    report_problems(content, columns), output_problems(content)
  ))
}

# Files that do not exist, wherever they are named.
file_problems <- function(brief) {
  content <- brief$content
  named <- c(
    list(list(c("data", "lines"), content$data$lines)),
    lapply(seq_along(content$data$attach),
           function(i) list(c("data", "attach", i, "table"), content$data$attach[[i]]$table)),
    lapply(names(content$tables),
           function(name) list(c("tables", name, "unsold", "catalogue"), content$tables[[name]]$unsold$catalogue)),
    closed_files(content), target_files(content),
    unlist(lapply(names(content$figures), function(name) lapply(c("places", "outline"), function(key) {
      list(c("figures", name, key), content$figures[[name]][[key]])
    })), recursive = FALSE),
    lapply(c("catalogue", "targets", "places", "outline"), function(key) list(c("report", key), content$report[[key]]))
  )
  bind_problems(lapply(Filter(function(pair) !is.null(pair[[2]]), named), function(pair) {
    file <- parse_file_entry(pair[[2]], brief)
    if (!is.null(file$database)) {
      return(database_problem(pair[[1]], file))
    }
    if (is_address(file$path)) {
      return(address_problem(pair[[1]], file))
    }
    if (file_kind_kernel(path.expand(file$path)) == "other") {
      return(new_problem(pair[[1]], sprintf("%s is a pipe or a device, not a file.", quoted(file$shown)),
                         "Write what it gives into a file first."))
    }
    outline <- utils::tail(pair[[1]], 1) == "outline"
    if (if (outline) file.exists(file$path) && !dir.exists(file$path) else has_files(file$path)) {
      return(NULL)
    }
    new_problem(pair[[1]], sprintf("There is no file %s.", quoted(file$shown)),
                did_you_mean(basename(file$path), list.files(dirname(file$path)), "\"",
                             otherwise = if ("closed" %in% pair[[1]]) {
                               "Closed days are weekdays (sunday), dates (2026-12-25) and files."
                             } else if (!is.null(brief$path)) "Paths are relative to the folder of the brief."))
  }))
}

address_problem <- function(path, file) {
  tryCatch({
    fetched_file(file$path)
    NULL
  }, hinterfeld_error = function(cnd) problem_from(path, cnd))
}

database_problem <- function(path, file) {
  tryCatch({
    columns <- query_columns(database_named(file$database), file$table)
    parts <- unlist(file$parts)
    asked <- c(parts = if (is.character(parts)) parts else names(parts), changed = file$changed)
    if (length(asked) && !identical(path, c("data", "lines"))) {
      return(new_problem(c(path, names(asked)[1]), "Only the sale lines can be divided into parts.",
                         "Remove this key; it belongs to `data > lines`."))
    }
    bind_problems(lapply(names(asked)[!asked %in% columns], function(key) {
      new_problem(c(path, key), sprintf("%s has no column `%s`.", file$shown, asked[[key]]),
                  column_hint(asked[[key]], columns))
    }))
  }, hinterfeld_error = function(cnd) problem_from(path, cnd))
}

# A file, a folder with tables in it, or a pattern that matches some file.
has_files <- function(path) {
  if (file.exists(path) && !dir.exists(path)) {
    return(TRUE)
  }
  quietly(tryCatch(length(source_files(path)) > 0, hinterfeld_error = function(cnd) FALSE))
}

# The columns of the lines after all tables are attached; NULL if the columns of a file are unknown.
data_problems <- function(brief) {
  data <- brief$content$data
  columns <- if (!is.null(data$lines)) file_columns(parse_file_entry(data$lines, brief))
  texts <- if (!is.null(data$lines)) text_columns(parse_file_entry(data$lines, brief))
  problems <- list(column_problems(unlist(data$settle), columns, c("data", "settle"), "the lines have"))
  for (i in seq_along(data$attach)) {
    step <- data$attach[[i]]
    file <- if (!is.null(step$table)) parse_file_entry(step$table, brief)
    more <- if (!is.null(file)) file_columns(file)
    by <- unlist(step$by)
    path <- c("data", "attach", i, "by")
    ours <- if (is.null(names(by))) by else names(by)
    # A name missing on both sides is reported once, not twice.
    theirs <- if (is.null(names(by)) && !is.null(columns)) intersect(by, columns) else unname(by)
    problems <- c(problems, list(
      column_problems(ours, columns, path, "the lines have"),
      column_problems(theirs, more, path, sprintf("%s has", file$shown))
    ))
    if (is.null(more)) {
      columns <- NULL
    } else if (!is.null(columns)) {
      more <- setdiff(more, by)
      name <- step$name %||% attached_name(step$table)
      texts <- c(texts, setdiff(intersect(text_columns(file), more), columns))
      columns <- c(columns, ifelse(more %in% columns, paste0(more, "_", name), more))
    }
  }
  list(columns = columns, texts = texts, problems = bind_problems(problems))
}

column_problems <- function(asked, known, path, who = "the daybook has") {
  unknown <- if (!is.null(known)) setdiff(asked, known)
  bind_problems(lapply(unknown, function(name) {
    new_problem(path, sprintf("`%s` is not one of the columns that %s.", name, who), column_hint(name, known))
  }))
}

role_names <- c("day", "product", "revenue", "units", "order")

role_problems <- function(roles, columns) {
  c(
    lapply(setdiff(intersect(names(roles), role_names), "revenue"), function(role) {
      column_problems(roles[[role]], columns, c("daybook", role), "the data have")
    }),
    list(expression_problems(roles$revenue, c("daybook", "revenue"), columns))
  )
}

expression_problems <- function(text, path, columns) {
  if (is.null(text)) {
    return(NULL)
  }
  read <- read_expression(text, columns)
  if (!is.null(read$problem)) new_problem(path, read$problem, read$hint)
}

# In the daybook a role's column has the name of the role.
book_columns_of <- function(roles, columns) {
  if (is.null(columns)) {
    return(NULL)
  }
  used <- unlist(roles[intersect(names(roles), role_names)])
  c(intersect(names(roles), role_names), setdiff(columns, used))
}

# A computed column can use those before it, and has a name of its own.
computed_problems <- function(computed, columns) {
  lapply(seq_along(computed), function(i) {
    name <- names(computed)[i]
    known <- if (!is.null(columns)) c(columns, utils::head(names(computed), i - 1))
    if (name %in% known) {
      return(new_problem(c("columns", name), sprintf("The lines already have a column `%s`.", name),
                         "Give the new column another name."))
    }
    expression_problems(computed[[i]], c("columns", name), known)
  })
}

rule_problems <- function(rule, path, columns) {
  given <- intersect(names(rule), c("keep", "leave_out"))
  if (is.null(rule)) {
    return(NULL)
  }
  if (length(given) != 1) {
    return(new_problem(path, "This needs either `keep` or `leave_out`.", "Write a list entry for each condition."))
  }
  expression_problems(rule[[given]], c(path, given), columns)
}

# The form of one table alone.
table_form_problems <- function(spec) {
  schema <- brief_schema()
  schema_problems(spec, list(`$ref` = "#/$defs/table"), "inquiry", schema)
}

table_problems <- function(spec, path, columns) {
  if (is.null(spec)) {
    return(NULL)
  }
  if (!is.null(spec$unsold)) {
    others <- setdiff(names(spec), c("unsold", "sort", "columns", "decimals_shown"))
    return(list(
      if (length(others)) new_problem(path, sprintf("`unsold` cannot be combined with %s.", columns_named(others)),
                                      "Give it a table of its own."),
      column_problems(unlist(spec$unsold$within), columns, c(path, "unsold", "within")),
      expression_problems(spec$unsold$where, c(path, "unsold", "where"), columns)
    ))
  }
  split <- c(unlist(spec$every), unlist(spec$by))
  measures <- brief_measure_names(spec$measures)
  # A step may use a column added by an earlier step.
  within <- function(given, place, before = spec$add) {
    numbers <- c(measures, added_names(before, measures))
    list(column_problems(unlist(given$within), split, c(place, "within"), "the table splits by"),
         column_problems(unlist(given$of), numbers, c(place, "of"), "the table totals"),
         column_problems(names(order_given(unlist(given$order))), c(split, numbers), c(place, "order"),
                         "the table has"))
  }
  c(
    unlist(lapply(c("keep", "leave_out"), function(verb) {
      lapply(unlist(spec[[verb]]), expression_problems, path = c(path, verb), columns = columns)
    }), recursive = FALSE),
    list(column_problems(unlist(spec$by), columns, c(path, "by")), every_problems(unlist(spec$every), path)),
    measure_problems(spec$measures, c(path, "measures"), columns),
    unlist(lapply(which(lengths(spec$add) > 0), function(i) {
      place <- c(path, "add", i, names(spec$add[[i]]))
      c(within(spec$add[[i]][[1]], place, utils::head(spec$add, i - 1)),
        list(step_problems(names(spec$add[[i]]), spec$add[[i]][[1]], spec, place)))
    }), recursive = FALSE),
    if (!is.null(spec$in_period)) list(step_problems("in_period", list(), spec, c(path, "in_period"))),
    if (!is.null(spec$pick)) within(spec$pick[[1]], c(path, "pick", names(spec$pick))),
    if (!is.null(spec$crosstab)) {
      place <- c(path, "crosstab")
      list(
        column_problems(unlist(spec$crosstab$rows), split, c(place, "rows"), "the table splits by"),
        column_problems(unlist(spec$crosstab$columns), split, c(place, "columns"), "the table splits by"),
        column_problems(unlist(spec$crosstab$of), c(measures, added_names(c(spec$add, list(spec$pick)), measures)),
                        c(place, "of"), "the table has"),
        if ("best_of_each" %in% names(spec$pick)) {
          new_problem(place, "A table cannot have both `best_of_each` and `crosstab`.", "Make two tables.")
        } else if (!is.null(spec$pick)) {
          extra <- c("margins", "others")[c(isTRUE(spec$crosstab$margins), isTRUE(spec$pick[[1]]$others))]
          if (length(extra)) {
            new_problem(place, "A crosstab of picked rows has neither margins nor a row for the others.",
                        sprintf("Leave out %s.", and_list(vapply(extra, as_typed, ""))))
          }
        }
      )
    }
  )
}

# Several periods must go from the longest to the shortest.
every_problems <- function(every, path) {
  if (!from_long_to_short(every)) {
    new_problem(c(path, "every"), sprintf("`every` cannot be %s.", and_list(quoted(every))), long_to_short_hint)
  }
}

# What a step needs of its table.
step_problems <- function(step, given, spec, path) {
  needs <- step_kinds[[step]]$needs
  periodic <- !is.null(single_grain(unlist(spec$every)))
  if (identical(needs, "period") && !periodic) {
    new_problem(path, "Rows of one period are asked for, but the table has no periods.",
                sprintf("Give the table %s.", as_typed("every")))
  } else if (identical(needs, "periods") && !periodic && is.null(given$periods)) {
    new_problem(path, "A change needs periods to compare.",
                sprintf("Give the table %s, or name two periods with %s.", as_typed("every"), as_typed("periods")))
  } else if (identical(needs, "change") && !"change" %in% unlist(lapply(spec$add, names))) {
    new_problem(path, "Causes are those of a change, and the table has none.",
                sprintf("Use %s as well as %s.", as_typed("change"), as_typed("causes")))
  } else if (identical(needs, "along") && is.null(spec$every) && is.null(given$along)) {
    new_problem(path, "A running or moving column needs a period to run along.",
                sprintf("Give the table %s.", as_typed("every")))
  }
}

brief_measure_names <- function(measures) {
  if (is.null(measures)) {
    return("revenue")
  }
  unlist(lapply(as.list(measures), function(measure) if (is.list(measure)) names(measure) else measure))
}

measure_problems <- function(measures, path, columns) {
  unlist(lapply(seq_along(measures), function(i) {
    measure <- measures[[i]]
    place <- if (is.list(measures)) c(path, i) else path
    if (!is.list(measure)) {
      return(list(column_problems(setdiff(measure, "lines"), columns, place)))
    }
    spec <- measure[[1]]
    place <- c(place, names(measure))
    makers <- intersect(names(spec), measure_makers())
    if (length(makers) != 1) {
      return(list(new_problem(place, sprintf("A measure needs one of %s.", columns_named(measure_makers())))))
    }
    kind <- measure_kinds[[kind_made_by(makers)]]
    pair <- kind$takes == "pair"
    spare <- intersect(c(if (!kind$per) c("per", "incomplete"), if (!kind$margin) "margin", if (!pair) "to"),
                       names(spec))
    c(
      lapply(spare, function(key) new_problem(c(place, key), sprintf("`%s` cannot be used with `%s`.", key, makers))),
      list(
        if (kind$takes == "column") column_problems(spec[[makers]], columns, c(place, makers)),
        if (pair && is.null(spec$to)) {
          new_problem(place, sprintf("`%s` needs `to`.", makers), "Name what it is divided by: `to: revenue`.")
        },
        if (kind$takes == "numbers" || pair) expression_problems(spec[[makers]], c(place, makers), columns),
        expression_problems(spec$to, c(place, "to"), columns),
        column_problems(setdiff(spec$per, grains), columns, c(place, "per")),
        expression_problems(spec$where, c(place, "where"), columns)
      )
    )
  }), recursive = FALSE)
}

# Columns of text have no sum.
text_problems <- function(measures, path, texts) {
  lapply(seq_along(measures), function(i) {
    measure <- measures[[i]]
    place <- if (is.list(measures)) c(path, i) else path
    makers <- if (is.list(measure)) intersect(names(measure[[1]]), measure_makers())
    if (length(makers) == 1 && !measure_kinds[[kind_made_by(makers)]]$takes %in% c("numbers", "pair")) {
      return(NULL)
    }
    taken <- if (is.list(measure)) unlist(measure[[1]][c(makers, "to")]) else measure
    bind_problems(lapply(intersect(taken, texts), function(name) {
      new_problem(place, sprintf("`%s` is text, which cannot be added up.", name),
                  sprintf("Count its values with `count_distinct: %s`, or correct the column.", name))
    }))
  })
}

figure_problems <- function(spec, path, tables, drawable) {
  if (is.null(spec)) {
    return(NULL)
  }
  if (!spec$table %in% drawable) {
    return(name_problem(c(path, "table"), "table", spec$table, drawable))
  }
  table <- tables[[spec$table]]
  unfit <- setdiff(names(spec),
                   c("draw", "table", names(formals(getExportedValue("hinterfeld", paste0("figure_", spec$draw))))))
  needed <- figure_kinds[[spec$draw]]$needs
  has <- c(unlist(lapply(table$add, names)), intersect(names(table), "crosstab"))
  bind_problems(c(
    lapply(unfit,
           function(key) new_problem(c(path, key), sprintf("`%s` is not an argument of figure_%s().", key, spec$draw))),
    list(
      if (spec$draw != "ranking" && (!is.null(table$unsold) || !is.null(table$pick$best_of_each))) {
        new_problem(c(path, "table"), "This kind of figure cannot be drawn from that table.", "Use `draw: ranking`.")
      },
      if (!is.null(needed) && !any(needed %in% has)) {
        new_problem(path, sprintf("The table `%s` lacks what this figure needs.", spec$table),
                    sprintf("Add %s to the table.", either(paste0("`", needed, "`"))))
      },
      figure_unfit(spec, table, path),
      if (spec$draw == "places" && is.null(spec$places)) {
        new_problem(path, "`places` is missing.", "Give the file with `longitude` and `latitude`.")
      }
    )
  ))
}

# What the table is split by, and what the figure draws.
figure_unfit <- function(spec, table, path) {
  kind <- figure_kinds[[spec$draw]]
  if (!is.null(table$crosstab) && !"crosstab" %in% kind$needs) {
    return(new_problem(c(path, "table"), sprintf("The table `%s` is a crosstab.", spec$table),
                       "Draw a table without `crosstab`, or draw its `crosstab`."))
  }
  every <- single_grain(unlist(table$every)) %||% utils::tail(unlist(table$every), 1)
  if (!is.null(kind$every) && !isTRUE(every %in% kind$every)) {
    problem <- sprintf("`%s` needs a period that the table `%s` does not have.", spec$draw, spec$table)
    return(new_problem(c(path, "table"), problem,
                       sprintf("Total it every %s.", either(kind$every))))
  }
  if (!is.null(kind$most) && length(unlist(table$by)) > kind$most) {
    new_problem(c(path, "table"), sprintf("`%s` draws %s, and the table `%s` is split by %s.", spec$draw,
                                          if (kind$most == 0) "the whole" else "one column", spec$table,
                                          and_list(unlist(table$by))), "Give it a table of its own.")
  }
}

report_problems <- function(content, columns) {
  report <- content$report
  at <- which(vapply(report$sections, is.list, NA))
  by <- setdiff(report$switch, "year")
  c(
    list(column_problems(if (length(by) && is.null(report[[by]])) by, columns, c("report", "switch"))),
    lapply(c("category", "region", "place"), function(key) column_problems(report[[key]], columns, c("report", key))),
    unlist(lapply(at, function(i) lapply(c("table", "figure"), function(kind) {
      name <- report$sections[[i]][[kind]]
      given_names <- names(content[[paste0(kind, "s")]])
      if (!is.null(name) && !name %in% given_names) {
        name_problem(c("report", "sections", i, kind), kind, name, given_names)
      }
    })), recursive = FALSE)
  )
}

name_problem <- function(path, kind, name, names) {
  there <- if (length(names)) sprintf("The choices are %s.", columns_named(names)) else
    sprintf("The brief has no %ss.", kind)
  new_problem(path, sprintf("There is no %s `%s`.", kind, name), did_you_mean(name, names, otherwise = there))
}

# Names that cannot be file names, and outputs that would share a file.
output_problems <- function(content) {
  c(name_problems(content), clash_problems(content))
}

clash_problems <- function(content) {
  outputs <- content$outputs
  of <- function(kind, formats) {
    unlist(lapply(names(content[[kind]]), function(name) {
      stats::setNames(paste0(name, ".", formats), rep(paste(kind, name, sep = " > "), length(formats)))
    }))
  }
  files <- c(
    "outputs" = "run.json", of("tables", unlist(outputs$tables) %||% "csv"),
    of("figures", unlist(outputs$figures) %||% "png"),
    if (!is.null(outputs$workbook)) c(`outputs > workbook` = outputs$workbook),
    if ("report" %in% names(content)) c(report = content$report$file %||% "report.html")
  )
  twice <- duplicated(tolower(files))
  lapply(which(twice), function(i) {
    new_problem(strsplit(names(files)[i], " > ", fixed = TRUE)[[1]],
                sprintf("Two outputs would be called %s.", quoted(files[[i]])), "Give one of them another name.")
  })
}

name_problems <- function(content) {
  named <- c(lapply(names(content$tables), function(name) c("tables", name)),
             lapply(names(content$figures), function(name) c("figures", name)))
  lapply(named, function(path) {
    if (!grepl("^[[:alnum:]][[:alnum:]_. -]*$", path[2])) {
      new_problem(path, sprintf("%s cannot be the name of a file.", quoted(path[2])),
                  "Use letters, digits, spaces, - and _.")
    }
  })
}
