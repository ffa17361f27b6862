# hinterfeld demo: from the demo's files to daily and monthly product revenue.

cli_demo <- function(args) {
  given <- cli_options(
    "demo",
    list(optparse::make_option("--out", default = "demo-out", metavar = "DIR",
                               help = "folder for the files, made when missing [default: %default]")),
    args, example = "hinterfeld demo --out demo-out"
  )
  if (is.null(given)) {
    return(invisible())
  }
  dir.create(given$out, showWarnings = FALSE, recursive = TRUE)
  if (!dir.exists(given$out)) {
    stop_because("file", c(sprintf("The folder \"%s\" cannot be made.", given$out), i = "Give another with --out."))
  }
  book <- kilnmoor_daybook(demo_files(), completed = TRUE)
  daily <- totals(book, by = "product", every = "day")
  monthly <- totals(book, by = "product", every = "month")
  trend <- figure_trend(totals(book, by = "category", every = "month"))

  writeLines(c("What was read, kept and left out", "", format(audit(book)), ""))
  writeLines(c(format(daily, n = 12), ""))
  place <- function(file) file.path(given$out, file)
  deliver(daily, place("daily_product_revenue.csv"))
  deliver(monthly, place("monthly_product_revenue.csv"))
  deliver(trend, place("monthly_trend.png"))
  writeLines(c(
    "Written:",
    sprintf("  %s  %s", place("daily_product_revenue.csv"), count_of(nrow(daily), "row")),
    sprintf("  %s  %s", place("monthly_product_revenue.csv"), count_of(nrow(monthly), "row")),
    sprintf("  %s", place("monthly_trend.png"))
  ))
}
