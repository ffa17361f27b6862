# Lines of a database are kept by parts of their table, where something tells that a part is as it was.

# Whether the parts of the brief's lines can be kept; said where not.
can_be_kept <- function(brief) {
  lines <- brief$content$data$lines
  if (!is.list(lines) || is.null(lines$database)) {
    return(TRUE)
  }
  file <- file_entry(lines, brief)
  lacks <- if (is.null(lines$changed) && !has_versions(database_named(file$database), file$table)) {
    c("it is not told when its lines changed.", "Name the column that tells: `changed: updated_at`.")
  } else if (is.null(part_column(brief))) {
    c("no column of it parts it.", "Name a column of days, or one of whole numbers: `parts: {order_id: 100000}`.")
  }
  if (!is.null(lacks)) say("not_kept", c(sprintf("Nothing of %s is kept: %s", file$shown, lacks[1]), i = lacks[2]))
  is.null(lacks)
}

# What parts the table: the column that the brief names, or the daybook's day where the table has it.
part_column <- function(brief) {
  lines <- brief$content$data$lines
  if (!is.null(lines$parts)) {
    return(unlist(lines$parts))
  }
  day <- brief$content$daybook$day %||% "day"
  file <- file_entry(lines, brief)
  if (day %in% query_columns(database_named(file$database), file$table)) day
}

open_kept_table <- function(lines, brief, call) {
  columns <- rlang::new_quosure(lines$options$columns, rlang::empty_env())
  options <- lines$options[intersect(names(lines$options), "types")]
  open_database_parts(database_named(lines$database), lines$table, columns, options, part_column(brief),
                      brief$content$data$lines$changed, call)
}

parts_told <- function(source, brief) {
  changed <- brief$content$data$lines$changed
  sprintf("The parts of %s are %s, each known by %s.", source$shown, source$parted,
          if (is.null(changed)) "the versions of its rows" else
            sprintf("its count, its sums and the newest `%s`: a change that leaves these as they are is not seen",
                    changed))
}
