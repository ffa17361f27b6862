# hinterfeld demo: the Kilnmoor brief, and what it starts from.

cli_demo <- function(args) {
  given <- cli_options(
    "demo", list(option("out", "folder for the files, created if missing [default: %default]", "DIR", "demo-out")),
    args,
    example = "hinterfeld demo --out demo-out"
  )
  if (is.null(given)) {
    return(invisible())
  }
  brief <- read_brief(demo_brief())
  record <- run_brief(brief, into = given$out)
  book <- demo_daybook()
  writeLines(c("What was read, kept and left out", "", format(audit(book)), ""))
  writeLines(c(format(totals(book, by = "product", every = "day"), n = 8), ""))
  writeLines(c(run_lines(record, given$out), "",
               sprintf("Open %s in a browser.", file.path(given$out, report_file(brief)))))
}
