# 10 million lines in PostgreSQL: daily product revenue by a brief, grouped there and fetched. Writes bench/DATABASE.md.
# Rscript bench/database.R; with FOLDER and yes or no it is the run that is measured, in a process of its own.
source("bench/lines.R")
arguments <- commandArgs(TRUE)
if (length(arguments) == 2) {
  suppressPackageStartupMessages(library(hinterfeld))
  options(hinterfeld.grouped = arguments[2] == "yes", hinterfeld.threads = 2)
  brief <- file.path(arguments[1], "daily.yaml")
  took <- system.time(suppressMessages(run_brief(brief, into = file.path(arguments[1], arguments[2]), again = TRUE)))
  cat("seconds", took[["elapsed"]], "megabytes", in_status("VmHWM"), "\n")
  quit()
}

source("tests/testthat/helper-postgres.R")
folder <- tempfile("bench-", "/tmp")  # where the server may read
dir.create(folder)
measure <- function() {
  server <- local_postgres()
  con <- connect_postgres(server)
  Sys.setenv(SHOP = server$address, TZ = "UTC")
  DBI::dbExecute(con, "CREATE TABLE sales (day date, product text, region text, status text, revenue numeric(12, 2))")
  lines <- file.path(folder, "lines.csv")
  data.table::fwrite(sale_lines(1e7)[c("day", "product", "region", "status", "revenue")], lines)
  Sys.chmod(folder, "755")
  DBI::dbExecute(con, sprintf("COPY sales FROM '%s' WITH (FORMAT csv, HEADER)", lines))
  DBI::dbExecute(con, "VACUUM ANALYZE sales")
  writeLines(c("brief: 1", "data: {lines: {database: SHOP, table: sales}}",
               "daybook: {day: day, product: product, revenue: revenue}",
               "restrict: [{keep: 'reads_as(status, \"delivered\", \"collected\")'}]",
               "tables: {daily: {by: product, every: day}}"), file.path(folder, "daily.yaml"))
  runs <- lapply(rep(c("yes", "no"), 3), function(grouped) {
    out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/database.R", folder, grouped), stdout = TRUE)
    as.numeric(strsplit(out[length(out)], " ")[[1]][c(2, 4)])
  })
  same <- identical(readLines(file.path(folder, "yes", "daily.csv")), readLines(file.path(folder, "no", "daily.csv")))
  if (!same) stop("Grouped there the table is another.")
  vapply(list(runs[c(1, 3, 5)], runs[c(2, 4, 6)]), function(of) {
    c(stats::median(vapply(of, `[`, 0, 1)), max(vapply(of, `[`, 0, 2)))
  }, c(0, 0))
}
found <- measure()
unlink(folder, recursive = TRUE)
writeLines(c(
  "# From a database", "",
  sprintf("One run on %s, 2 processors, PostgreSQL on the same machine: 10 million lines, daily product revenue of",
          format(Sys.Date())),
  "completed sales as CSV by a brief. Both give the same bytes.", "",
  "| | seconds | peak memory of R, MB |", "| --- | ---: | ---: |",
  sprintf("| grouped in the database | %.1f | %.0f |", found[1, 1], found[2, 1]),
  sprintf("| lines fetched and counted here | %.1f | %.0f |", found[1, 2], found[2, 2])
), "bench/DATABASE.md")
