# Keeps the lines of a database in parts of their table, if it can be told that a part has not changed.

# Whether the parts of the brief's lines can be kept; said where not.
can_be_stored <- function(brief) {
  lines <- parse_file_entry(brief$content$data$lines, brief)
  if (is.null(lines$database)) {
    return(TRUE)
  }
  lacks <- if (is.null(lines$changed) && !has_versions(database_named(lines$database), lines$table)) {
    c("no column tells when its lines last changed.",
      "Name the column with the time of the last change: `changed: updated_at`.")
  } else if (is.null(part_column(lines, brief))) {
    c("no column divides it into parts.",
      "Name a column of days, or one of whole numbers: `parts: {order_id: 100000}`.")
  }
  if (!is.null(lacks)) say("not_kept", sprintf("No part of %s is kept for the next run: %s", lines$shown, lacks[1]),
                           i = lacks[2])
  is.null(lacks)
}

# What parts the table: the column that the brief names, or the daybook's day where the table has it.
part_column <- function(lines, brief) {
  day <- brief$content$daybook$day %||% "day"
  unlist(lines$parts) %||% if (day %in% file_columns(lines)) day
}

# Without a store nobody asks whether a part has changed.
open_parted_table <- function(lines, brief, store, call) {
  columns <- rlang::new_quosure(lines$options$columns, rlang::empty_env())
  options <- lines$options[intersect(names(lines$options), "types")]
  by <- part_column(lines, brief)
  name <- sha256_text(paste(c(lines$database, lines$table, names(by), by), collapse = "\n"))
  source <- open_database_parts(database_named(lines$database), lines$table, columns, options, by,
                                if (is.null(store)) FALSE else lines$changed,
                                if (!is.null(store)) known_slots(store$index$tables[[name]]), call)
  if (!is.null(store)) change_index(store, "tables", name, slots_record(source$listed))
  source
}

# What the index knows of the parts of a table; nothing if they are not told by days or numbers, or some value is odd.
slots_record <- function(slots) {
  if (!is.null(slots$moment) && length(slots$odd) == 0 && all(grepl("^[0-9-]+$", slots$slot) | is.na(slots$slot))) {
    lapply(slots[c("moment", "slot", "n", "stamp")], paste, collapse = " ")
  }
}

# The same as it was; NULL where it is not known, or not in this form.
known_slots <- function(record) {
  if (is.null(record) || !all(vapply(record[c("moment", "slot", "n", "stamp")], rlang::is_string, NA))) {
    return(NULL)
  }
  texts <- lapply(record[c("slot", "n", "stamp")], function(text) strsplit(text, " ", fixed = TRUE)[[1]])
  n <- suppressWarnings(as.double(texts$n))
  if (length(unique(lengths(texts))) == 1 && !anyNA(n)) {
    list(moment = record$moment, slot = replace(texts$slot, texts$slot == "NA", NA), n = n, stamp = texts$stamp,
         odd = character())
  }
}

parts_told <- function(source, changed) {
  sprintf("The parts of %s are %s, each recognised by %s.", source$shown, source$parted,
          if (is.null(changed)) "the versions of its rows" else
            sprintf("its row count, its sums and its latest `%s`; a change that alters none of these goes unnoticed",
                    changed))
}
