# Compares two runs of a brief.

#' What changed between two runs of a brief
#'
#' Compares the records and tables of two runs: lines and revenue, the input files, and in every table the rows that are
#' new, gone or different. It shows why last month's number is no longer what it was.
#'
#' @param before,after Text: the output folders of two runs, the earlier first.
#' @return A tibble with one row for each table row that changed, tables in the order of the brief and, within each, the
#'   largest differences first: `table` and `row` (text, the values of its keys, periods by their names), `what` (`new`,
#'   `gone` or `different`), `column` (text, the first column of numbers that differs), `before`, `after` and
#'   `difference` (numbers; for a row that is new or gone, the difference from 0). Printing it also shows the change in
#'   lines and revenue, which input files changed and, for a brief with a report, what stands out now and did not before
#'   (see [findings()]). A file that was changed or removed after its run is named and not compared.
#' @section Errors: `hinterfeld_error_file` for a folder without a record of a run.
#' @seealso [run_brief()]
#' @export
#' @examples
#' \donttest{
#' folders <- file.path(tempdir(), c("september", "october"))
#' for (folder in folders) run_brief(demo_brief(), into = folder)
#' what_changed(folders[1], folders[2])
#' }
what_changed <- function(before, after) {
  records <- list(before = run_record(before, "before"), after = run_record(after, "after"))
  tables <- lapply(records, table_outputs)
  both <- union(names(tables$after), names(tables$before))
  changes <- lapply(both, function(name) {
    table_changes(name, tables$before[[name]], tables$after[[name]], before, after)
  })
  rows <- do.call(rbind, c(list(no_changes()), lapply(changes, function(change) change$rows)))
  tibble::new_tibble(as.list(rows), nrow = nrow(rows), class = "hinterfeld_changes", about = list(
    lines = lapply(records, function(record) record$lines$kept), revenue = lapply(records, final_revenue),
    started = lapply(records, function(record) record$started), inputs = changed_inputs(records),
    unseen = both[vapply(changes, function(change) isTRUE(change$unseen), NA)],
    untrue = unlist(lapply(changes, function(change) change$untrue)),
    best = changed_best(records), found = new_findings(records), currency = records$after$headline$currency,
    counts = table(factor(rows$table, both), factor(rows$what, c("new", "gone", "different")))
  ))
}

no_changes <- function() {
  tibble::tibble(table = character(), row = character(), what = character(), column = character(), before = double(),
                 after = double(), difference = double())
}

run_record <- function(folder, name, call = caller_env()) {
  check_text(folder, name, call = call)
  record <- record_in(folder)
  if (is.null(record)) {
    stop_because("file", sprintf("There is no record of a run in \"%s\".", folder),
                 i = "Give the output folder of a brief: the folder that holds `run.json`.", call = call)
  }
  record
}

# The revenue that is left after the last step.
final_revenue <- function(record) {
  left <- lapply(record$audit, function(step) step$revenue_after)
  unlist(utils::tail(Filter(Negate(is.null), left), 1)) %||% NA_real_
}

changed_inputs <- function(records) {
  inputs <- lapply(records, function(record) {
    stats::setNames(lapply(record$inputs, function(input) input[c("xxh128", "rows")]),
                    vapply(record$inputs, function(input) input$file, ""))
  })
  list(new = setdiff(names(inputs$after), names(inputs$before)),
       gone = setdiff(names(inputs$before), names(inputs$after)),
       changed = Filter(function(name) !identical(inputs$before[[name]], inputs$after[[name]]),
                        intersect(names(inputs$before), names(inputs$after))))
}

# "best seller of Vale is now Red earthenware clay", for each that is another.
changed_best <- function(records) {
  best <- lapply(records, function(record) unlist(record$headline$best_sellers))
  other <- Filter(function(scope) !identical(best$before[scope], best$after[scope]), names(best$after))
  if (is.null(best$before)) character() else sprintf("best seller of %s is now %s", other, best$after[other])
}

# Sentences that the later run has about something of which the earlier one had none of that kind.
new_findings <- function(records) {
  told <- lapply(records, function(record) {
    about <- vapply(record$findings, function(found) paste(found[c("kind", "column", "member")], collapse = "\r"), "")
    stats::setNames(vapply(record$findings, function(found) found$finding, ""), about)
  })
  # An earlier run without findings did not look for them.
  if (length(told$before)) unname(told$after[!names(told$after) %in% names(told$before)])
}

# For each table, the output file to compare: parquet if there is one, then csv, then tsv.
table_outputs <- function(record) {
  kinds <- c("parquet", "csv", "tsv")
  tables <- Filter(function(output) !is.null(output$keys), record$outputs)
  names <- vapply(tables, function(output) sub("[.][^.]*$", "", output$file), "")
  lapply(split(tables, factor(names, unique(names))), function(files) {
    kind <- match(vapply(files, function(output) file_ending(output$file), ""), kinds)
    c(files[[which.min(replace(kind, is.na(kind), 9))]],
      list(readable = !all(is.na(kind)), calendar = record$calendar))
  })
}

table_changes <- function(name, before, after, folder_before, folder_after) {
  shown <- after %||% before
  if (!isTRUE(shown$readable)) {
    return(list(rows = no_changes(), unseen = !identical(before$sha256, after$sha256)))
  }
  untrue <- c(untrue_output(before, folder_before), untrue_output(after, folder_after))
  if (length(untrue)) {
    return(list(rows = no_changes(), untrue = untrue))
  }
  if (identical(before$sha256, after$sha256)) {
    return(list(rows = no_changes()))
  }
  read <- function(output, folder) {
    if (is.null(output)) {
      return(NULL)
    }
    path <- file.path(folder, output$file)
    keys <- as.character(unlist(output$keys))
    types <- replace(c(unlist(output$columns), character()), keys, "text")
    # A heading like a formula was written with an apostrophe.
    t <- quietly(load_table(path, types = types[names(types) %in% source_columns(path)]))
    calendar <- rlang::exec(sales_calendar, !!!output$calendar)
    for (name in intersect(names(output$periods), names(t))) {
      t[[name]] <- period_names(t[[name]], output$periods[[name]], calendar)
    }
    t
  }
  list(rows = row_changes(name, as.character(unlist(shown$keys)), read(before, folder_before),
                          read(after, folder_after)))
}

# A file that was changed after its run does not say what that run gave.
untrue_output <- function(output, folder) {
  if (is.null(output)) {
    return(NULL)
  }
  path <- file.path(folder, output$file)
  if (is_as_made(path, output)) {
    return(NULL)
  }
  sprintf("%s in %s %s after its run, so it is not compared.", output$file, quoted(folder),
          if (file.exists(path) && !dir.exists(path)) "was changed" else "was removed")
}

# Matches rows by their keys. Where key columns were left out several rows may share a key; these are matched in order.
row_changes <- function(name, keys, before, after) {
  labels <- function(t) {
    if (is.null(t)) {
      return(character())
    }
    texts <- lapply(intersect(keys, names(t)), function(key) replace(plain_value(t[[key]]), is.na(t[[key]]), "blank"))
    make.unique(if (length(texts)) do.call(paste, c(texts, sep = ", ")) else rep("all", nrow(t)), " / ")
  }
  rows <- list(before = labels(before), after = labels(after))
  all <- union(rows$after, rows$before)
  columns <- unique(c(number_names(after, keys), number_names(before, keys)))
  at <- lapply(rows, function(own) match(all, own))
  value <- function(t, at, column) if (column %in% names(t)) as.double(t[[column]])[at] else rep(NA_real_, length(all))
  column <- before_value <- after_value <- rep(NA, length(all))
  for (one in columns) {
    old <- value(before, at$before, one)
    new <- value(after, at$after, one)
    other <- is.na(column) & !(is.na(old) & is.na(new)) & (is.na(old) != is.na(new) | old != new) %in% TRUE
    column[other] <- one
    before_value[other] <- old[other]
    after_value[other] <- new[other]
  }
  what <- ifelse(is.na(at$before), "new", ifelse(is.na(at$after), "gone", "different"))
  shown <- which(what != "different" | !is.na(column))
  difference <- ifelse(is.na(after_value), 0, after_value) - ifelse(is.na(before_value), 0, before_value)
  shown <- shown[order(-abs(difference[shown]), shown, method = "radix")]
  tibble::tibble(table = rep(name, length(shown)), row = all[shown], what = what[shown],
                 column = as.character(column[shown]), before = as.double(before_value[shown]),
                 after = as.double(after_value[shown]), difference = as.double(difference[shown]))
}

number_names <- function(t, keys) {
  setdiff(names(t)[vapply(as.list(t), function(x) is.numeric(x) && !inherits(x, "Date"), NA)], keys)
}

#' @export
print.hinterfeld_changes <- function(x, ..., n = 5) {
  writeLines(format(x, n = n))
  invisible(x)
}

#' @export
format.hinterfeld_changes <- function(x, ..., n = 5) {
  about <- attr(x, "about")
  text_notes(c(
    sprintf("Runs of %s and %s.", about$started$before, about$started$after), change_headline(about),
    input_lines(about$inputs),
    if (length(about$unseen)) sprintf("%s changed; row by row, only csv, tsv and parquet files can be compared.",
                                      and_list(about$unseen)),
    about$untrue, found_lines(about$found),
    if (nrow(x) == 0 && length(about$unseen) + length(about$untrue) == 0) "No table has changed."
  )) |> c(unlist(lapply(unique(x$table), function(name) {
    c("", count_line(name, about$counts), changes_table(x[x$table == name, ], n))
  })))
}

# "Change in lines +212, in revenue +3 104.20 Mk; best seller of Vale is now ..."
change_headline <- function(about) {
  lines <- about$lines$after - about$lines$before
  revenue <- about$revenue$after - about$revenue$before
  sums <- sprintf("Change in lines %s, in revenue %s%s", signed_digits(lines, 0), signed_digits(revenue, 2),
                  if (is.null(about$currency)) "" else paste0(" ", about$currency))
  paste0(paste(c(sums, about$best), collapse = "; "), ".")
}

signed_digits <- function(x, decimals) {
  if (is.na(x)) "unknown" else paste0(if (x > 0) "+", fixed_number_text(x, decimals))
}

input_lines <- function(inputs) {
  said <- function(files, word) {
    if (length(files)) sprintf("%s %s %s.", examples_of(files, 6), if (length(files) == 1) "is" else "are", word)
  }
  c(said(inputs$new, "new"), said(inputs$gone, "gone"), said(inputs$changed, "different"))
}

found_lines <- function(found) {
  shown <- utils::head(found, 5)
  more <- length(found) - length(shown)
  c(if (length(found)) c("What stands out now and did not before:", paste("*", shown)),
    if (more > 0) sprintf("* %s.", count_of(more, "more finding")))
}

# "monthly: 3 rows new, 1 gone and 12 different."
count_line <- function(name, counts) {
  of <- counts[name, ][counts[name, ] > 0]
  said <- paste(group_digits(of), names(of))
  said[1] <- paste(count_of(of[[1]], "row"), names(of)[1])
  sprintf("%s: %s.", name, and_list(said))
}

changes_table <- function(x, n) {
  rows <- utils::head(as.data.frame(x)[names(x) != "table"], n)
  numbers <- c("before", "after", "difference")
  # A difference of doubles has digits that neither of them has.
  values <- unlist(rows[c("before", "after")])
  decimals <- min(decimals_of(values[!is.na(values)]), 4L)
  for (name in numbers) rows[[name]] <- ifelse(is.na(rows[[name]]), NA, fixed_number_text(rows[[name]], decimals))
  text_table(rows, rows = n, right = c("before", "after", "difference"), headings = names(rows),
             more = nrow(x) - nrow(rows), keys = 1, wrap = TRUE)
}
