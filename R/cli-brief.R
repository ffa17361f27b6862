# hinterfeld new, check, run, report and findings: briefs.

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
    stop_because("file", sprintf("The file \"%s\" already exists.", given$out),
                 i = "Give another name with --out, or move the file.")
  }
  brief <- starter_brief(given$files, if (is.null(given$out)) "." else dirname(given$out), given$database)
  if (is.null(given$out)) {
    return(writeLines(brief))
  }
  write_whole(given$out, function(draft) write_text(brief, draft))
  writeLines(c(given$out, sprintf("Read it, correct the lines marked CHECK, then run: hinterfeld check %s", given$out)))
}

cli_check <- function(args) {
  given <- cli_options("check", list(), args, files = c(1, 1), of = "BRIEF", example = "hinterfeld check monthly.yaml")
  if (is.null(given)) {
    return(invisible())
  }
  problems <- check_brief(given$files)
  writeLines(format(problems))
  if (nrow(problems)) cli_exit[["failed"]]
}

cli_run <- function(args) {
  given <- cli_options(
    "run", list(option("out", "the output folder, instead of the brief's own", "DIR"),
                option("store", "keep the tally of each part in this folder", "DIR"),
                option("workers", "let this many processes read the lines", "N"),
                flag("again", "run even when nothing has changed"),
                flag("watch", "run again whenever a part arrives or changes"),
                flag("dry", "say what it would read, keep and write, and do nothing"),
                flag("anywhere", "let the brief write outside its own folder")),
    args, files = c(1, 1), of = "BRIEF",
    example = c("hinterfeld run monthly.yaml --out september", "hinterfeld run monthly.yaml --store kept --watch")
  )
  if (is.null(given)) {
    return(invisible())
  }
  brief <- read_brief(given$files)
  folder <- given$out %||% output_folder(brief)
  if (given$dry) {
    return(writeLines(run_plan(brief, given$out, given$again, given$anywhere, given$store)))
  }
  run <- function(again) run_brief(given$files, given$out, again, given$anywhere, given$store, given$workers)
  if (!given$watch) {
    return(writeLines(run_lines(run(given$again), folder)))
  }
  watch_brief(given$files, folder, run, function(lines) {
    writeLines(lines)
    flush(stdout())
  })
}

cli_store <- function(args) {
  given <- cli_options(
    "store", list(flag("clear", "remove what no brief used in its last run")), args, files = c(1, 1), of = "FOLDER",
    example = "hinterfeld store kept --clear"
  )
  if (is.null(given)) {
    return(invisible())
  }
  files <- stored_parts(given$files, given$clear)
  total <- sprintf("%s, %s MB%s.", count_of(nrow(files), "file"), fixed_number_text(sum(files$bytes) / 1e6, 1),
                   if (given$clear) " removed" else "")
  if (nrow(files) == 0) {
    return(writeLines(total))
  }
  shown <- data.frame(file = files$file, brief = ifelse(is.na(files$brief), "none", files$brief), parts = files$parts,
                      MB = fixed_number_text(files$bytes / 1e6, 1), written = format(files$written, "%Y-%m-%d %H:%M"))
  writeLines(c(text_table(shown, list(parts = 0), rows = nrow(shown), right = "MB"), total))
}

cli_compare <- function(args) {
  given <- cli_options(
    "compare", list(option("rows", "how many rows of each table to print [default: %default]", "N", "5")), args,
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

cli_findings <- function(args) {
  given <- cli_options(
    "findings", list(option("n", "at most this many findings [default: %default]", "N", "9")), args,
    files = c(1, 1), of = "BRIEF", example = "hinterfeld findings monthly.yaml --n 5"
  )
  if (is.null(given)) {
    return(invisible())
  }
  writeLines(format(brief_findings(read_brief(given$files), given$n)))
}

# The lines that the daybook of a brief cannot use, with their reasons.
cli_set_aside <- function(args) {
  given <- cli_options(
    "set-aside", list(option("rows", "how many lines to print, or all [default: %default]", "N", "20"),
                      flag("csv", "print comma separated text, all lines"),
                      option("out", "write a file instead, such as odd.csv or odd.xlsx", "FILE")),
    args, files = c(1, 1), of = "BRIEF", example = "hinterfeld set-aside monthly.yaml --out odd.xlsx"
  )
  if (is.null(given)) {
    return(invisible())
  }
  aside <- brief_set_aside(read_brief(given$files))
  if (!is.null(given$out)) {
    deliver(aside, given$out)
    return(writeLines(sprintf("%s  %s", given$out, count_of(nrow(aside), "line"))))
  }
  if (given$csv) {
    return(print_file(aside, ".csv"))
  }
  reasons <- table(aside$reason)
  writeLines(c(
    text_notes(sprintf("%s set aside%s.", count_of(nrow(aside), "line"), if (length(reasons)) {
      paste0(": ", paste(names(reasons), group_digits(reasons), collapse = ", "))
    } else "")),
    if (nrow(aside)) c("", text_table(aside, rows = given$rows, wrap = TRUE))
  ))
}
