# hinterfeld new, check, run and report: briefs.

cli_new <- function(args) {
  given <- cli_options(
    "new", list(option("out", "write the brief to this file instead of printing it", "FILE"), database_option()), args,
    files = c(1, Inf),
    of = "FILE [FILE ...]",
    example = c("hinterfeld new order_lines.csv orders.csv products.csv --out monthly.yaml",
                "hinterfeld new shop.order_lines shop.orders --database SHOP --out monthly.yaml")
  )
  if (is.null(given)) {
    return(invisible())
  }
  if (!is.null(given$out) && file.exists(given$out)) {
    stop_because("file", c(sprintf("There is a file \"%s\" already.", given$out),
                           i = "Give another with --out, or move it away."))
  }
  brief <- starter_brief(given$files, if (is.null(given$out)) "." else dirname(given$out), given$database)
  if (is.null(given$out)) {
    return(writeLines(brief))
  }
  write_whole(given$out, function(part) write_text(brief, part))
  writeLines(c(given$out, sprintf("Read it, mend what is marked with CHECK, then: hinterfeld check %s", given$out)))
}

cli_check <- function(args) {
  given <- cli_options("check", list(), args, files = c(1, 1), of = "BRIEF", example = "hinterfeld check monthly.yaml")
  if (is.null(given)) {
    return(invisible())
  }
  found <- check_brief(given$files)
  writeLines(format(found))
  if (nrow(found)) cli_exit[["failed"]]
}

cli_run <- function(args) {
  given <- cli_options(
    "run", list(option("out", "the output folder, instead of the brief's own", "DIR"),
                flag("again", "run even when nothing has changed"),
                flag("anywhere", "the brief's own folder may lie anywhere")),
    args, files = c(1, 1), of = "BRIEF", example = "hinterfeld run monthly.yaml --out september"
  )
  if (is.null(given)) {
    return(invisible())
  }
  brief <- read_brief(given$files)
  record <- run_brief(brief, into = given$out, again = given$again, anywhere = given$anywhere)
  writeLines(run_lines(record, given$out %||% output_folder(brief)))
}

run_lines <- function(record, folder) {
  lines <- record$lines
  files <- vapply(record$outputs, function(output) output$file, "")
  rows <- vapply(record$outputs, function(output) if (is.null(output$rows)) "" else count_of(output$rows, "row"), "")
  c(
    text_notes(sprintf("%s read: %s kept, %s left out, %s neither yes nor no, %s set aside.",
                       count_of(lines$read, "line"), group_digits(lines$kept),
                       group_digits(lines$left_out), group_digits(lines$unclear), group_digits(lines$set_aside))),
    sprintf("Written to %s:", folder),
    sub(" +$", "", sprintf("  %s  %s", formatC(c(files, "run.json"), width = -max(nchar(files))),
                           c(formatC(rows, width = max(nchar(rows))), "")))
  )
}

cli_report <- function(args) {
  given <- cli_options(
    "report", list(option("out", "the file to write [default: the report's name, in this folder]", "FILE")), args,
    files = c(1, 1), of = "BRIEF",
    example = "hinterfeld report monthly.yaml --out september.html"
  )
  if (is.null(given)) {
    return(invisible())
  }
  brief <- read_brief(given$files)
  path <- given$out %||% report_file(brief)
  sales_report(brief, path)
  writeLines(path)
}
