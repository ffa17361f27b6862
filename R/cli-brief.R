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
    stop_because("file", c(sprintf("The file \"%s\" already exists.", given$out),
                           i = "Give another name with --out, or move the file."))
  }
  brief <- starter_brief(given$files, if (is.null(given$out)) "." else dirname(given$out), given$database)
  if (is.null(given$out)) {
    return(writeLines(brief))
  }
  write_whole(given$out, function(part) write_text(brief, part))
  writeLines(c(given$out, sprintf("Read it, correct the lines marked CHECK, then run: hinterfeld check %s", given$out)))
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
                option("keep", "keep the tally of each part in this folder", "DIR"),
                flag("again", "run even when nothing has changed"),
                flag("watch", "run again whenever a part arrives or changes"),
                flag("anywhere", "let the brief write outside its own folder")),
    args, files = c(1, 1), of = "BRIEF",
    example = c("hinterfeld run monthly.yaml --out september", "hinterfeld run monthly.yaml --keep kept --watch")
  )
  if (is.null(given)) {
    return(invisible())
  }
  brief <- read_brief(given$files)
  folder <- given$out %||% output_folder(brief)
  run <- function(again) run_brief(given$files, given$out, again, given$anywhere, given$keep)
  if (!given$watch) {
    return(writeLines(run_lines(run(given$again), folder)))
  }
  watch_brief(given$files, folder, run, function(lines) {
    writeLines(lines)
    flush(stdout())
  })
}

cli_keep <- function(args) {
  given <- cli_options(
    "keep", list(flag("clear", "remove what no brief used in its last run")), args, files = c(1, 1), of = "FOLDER",
    example = "hinterfeld keep kept --clear"
  )
  if (is.null(given)) {
    return(invisible())
  }
  found <- kept_parts(given$files, given$clear)
  total <- sprintf("%s, %s MB%s.", count_of(nrow(found), "file"), money_text(sum(found$bytes) / 1e6, 1),
                   if (given$clear) " removed" else "")
  if (nrow(found) == 0) {
    return(writeLines(total))
  }
  shown <- data.frame(file = found$file, brief = ifelse(is.na(found$brief), "none", found$brief), parts = found$parts,
                      MB = money_text(found$bytes / 1e6, 1), written = format(found$written, "%Y-%m-%d %H:%M"))
  writeLines(c(text_table(shown, list(parts = 0), rows = nrow(shown), right = "MB"), total))
}

cli_compare <- function(args) {
  given <- cli_options(
    "compare", list(option("rows", "how many rows of each table to print [default: %default]", "N", 5L,
                           "integer")), args,
    files = c(2, 2), of = "OLD NEW", example = "hinterfeld compare september october"
  )
  if (is.null(given)) {
    return(invisible())
  }
  writeLines(format(what_changed(given$files[1], given$files[2]), n = given$rows))
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
