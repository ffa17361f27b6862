# What a run would do, before it does it.

# The lines to print: what would be read, kept and written; nothing is computed or written.
run_plan <- function(brief, into, again, anywhere, store, call = caller_env()) {
  with_open_sources({
    brief <- brief_to_run(brief, into, anywhere, store, call)
    folder <- into %||% output_folder(brief)
    former <- former_record(folder, brief)
    current <- !again && is_current(former, input_record(brief), folder)
    files <- brief_files(brief)
    kept <- store_folder(brief)
    c(
      "Would read:", plan_rows(vapply(files, function(file) file$shown, ""), vapply(files, size_words, "")),
      if (!is.null(kept)) {
        parts <- if (dir.exists(kept)) nrow(stored_parts(kept)) else 0
        text_notes(sprintf("Would keep the tally of each part in %s, which has %s.", kept, count_of(parts, "file")))
      },
      if (current) {
        since <- sprintf("\"%s\" is up to date since the run of %s", folder, former$started)
        text_notes(sprintf("Would write nothing: %s. With --again it runs anyway.", since))
      } else {
        c(sprintf("Would write to %s%s:", folder, if (is.null(former)) "" else ", in place of its last run"),
          paste0("  ", c(planned_files(brief), "run.json")))
      }
    )
  })
}

plan_rows <- function(names, notes) {
  sub(" +$", "", sprintf("  %s  %s", formatC(names, width = -max(nchar(names))), notes))
}

size_words <- function(file) {
  if (!is.null(file$database)) {
    return("a database")
  }
  files <- quietly(source_files(file$path))
  several <- if (length(files) > 1) paste0(count_of(length(files), "file"), ", ")
  bytes <- sum(file.size(files))
  paste0(several, if (bytes < 1e6) paste(group_digits(ceiling(bytes / 1000)), "kB") else
    paste(fixed_number_text(bytes / 1e6, 1), "MB"))
}

# A figure of several pages has a file for each.
planned_files <- function(brief) {
  content <- brief$content
  files_in <- function(what) {
    names <- names(content[[what]]) %||% character()
    as.vector(t(outer(names, asked_formats(content$outputs, what), paste, sep = ".")))
  }
  c(files_in("tables"), if (length(content$tables)) content$outputs$workbook, files_in("figures"),
    if ("report" %in% names(content)) report_file(brief))
}
