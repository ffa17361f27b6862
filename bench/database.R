# 10 million lines in PostgreSQL: daily product revenue by a brief, grouped there and fetched, and its parts kept.
# Writes bench/DATABASE.md. Rscript bench/database.R; with FOLDER, BRIEF and yes (grouped), no (fetched) or kept it is
# the run that is measured, in a process of its own.
source("bench/lines.R")
arguments <- commandArgs(TRUE)
if (length(arguments) == 3) {
  suppressPackageStartupMessages(library(hinterfeld))
  options(hinterfeld.grouped = arguments[3] == "yes", hinterfeld.threads = 2)
  brief <- file.path(arguments[1], paste0(arguments[2], ".yaml"))
  into <- file.path(arguments[1], paste(arguments[2:3], collapse = "-"))
  store <- if (arguments[3] == "kept") file.path(arguments[1], "kept")
  took <- system.time(suppressMessages(run_brief(brief, into = into, again = TRUE, store = store)))
  cat("seconds", took[["elapsed"]], "megabytes", in_status("VmHWM"), "\n")
  quit()
}

for (helper in c("postgres", "sales")) source(sprintf("tests/testthat/helper-%s.R", helper))
folder <- tempfile("bench-", "/tmp")  # where the server may read
dir.create(folder)
measure <- function() {
  server <- local_postgres()
  con <- connect_postgres(server)
  Sys.setenv(SHOP = server$address, TZ = "UTC")
  DBI::dbExecute(con, "CREATE TABLE sales (day date, item text, region text, status text, revenue numeric(12, 2))")
  lines <- file.path(folder, "lines.csv")
  data.table::fwrite(sale_lines(1e7)[c("day", "product", "region", "status", "revenue")], lines)
  Sys.chmod(folder, "755")
  DBI::dbExecute(con, sprintf("COPY sales FROM '%s' WITH (FORMAT csv, HEADER)", lines))
  DBI::dbExecute(con, "VACUUM ANALYZE sales")
  measured <- function(name, how) {
    out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/database.R", folder, name, how), stdout = TRUE)
    as.numeric(strsplit(out[length(out)], " ")[[1]][c(2, 4)])
  }
  tables <- c(daily = "{by: product, every: day}", regions = "{by: [product, status], every: day}")
  found <- lapply(stats::setNames(nm = names(tables)), function(name) {
    writeLines(c("brief: 1", "data: {lines: {database: SHOP, table: sales}}",
                 sprintf("daybook: {day: day, product: %s, revenue: revenue}",
                         if (name == "daily") "item" else "region"),
                 "restrict: [{keep: 'reads_as(status, \"delivered\", \"collected\")'}]",
                 sprintf("tables: {%s: %s}", name, tables[[name]])), file.path(folder, paste0(name, ".yaml")))
    runs <- lapply(rep(c("yes", "no"), 3), measured, name = name)
    both <- lapply(c("yes", "no"), function(grouped) {
      readLines(file.path(folder, paste(name, grouped, sep = "-"), paste0(name, ".csv")))
    })
    if (!identical(both[[1]], both[[2]])) stop("Grouped there the table is another.")
    vapply(list(runs[c(1, 3, 5)], runs[c(2, 4, 6)]), function(of) {
      c(stats::median(vapply(of, `[`, 0, 1)), max(vapply(of, `[`, 0, 2)))
    }, c(0, 0))
  })
  first <- measured("regions", "kept")
  DBI::dbExecute(con, "INSERT INTO sales SELECT day + 731, item, region, status, revenue FROM sales
                       WHERE day = '2024-01-01'")
  newer <- measured("regions", "kept")
  same <- measured("regions", "kept")
  afresh <- measured("regions", "no")
  into <- file.path(folder, c("regions-kept", "regions-no"), "regions.csv")
  if (!identical(readLines(into[1]), readLines(into[2]))) stop("With kept parts the table is another.")
  c(found, list(kept = list(first, newer, same, afresh)))
}
found <- measure()
unlink(folder, recursive = TRUE)
line <- function(what, of) {
  sprintf("| %s | %.1f | %.0f | %.1f | %.0f |", what, of[1, 1], of[2, 1], of[1, 2], of[2, 2])
}
writeLines(c(
  "# From a database", "",
  sprintf("One run on %s, 2 processors, PostgreSQL on the same machine: 10 million lines, revenue of completed sales",
          format(Sys.Date())),
  "as CSV by a brief, the lines grouped in the database (told to, however many groups there are) and fetched.",
  "Both give the same bytes.", "",
  "| | grouped, seconds | peak memory of R, MB | fetched, seconds | peak memory of R, MB |",
  "| --- | ---: | ---: | ---: | ---: |",
  line("by day and product, 1.5 million groups", found$daily),
  line("by day, region and status, 8 800 groups", found$regions), "",
  "The last one with parts kept, each day by itself, known by the versions of its rows. It gives the same bytes.", "",
  "| | seconds | peak memory of R, MB |", "| --- | ---: | ---: |",
  sprintf("| %s | %.1f | %.0f |", c("first run, 731 days", "one more day", "nothing new", "all of it without keeping"),
          vapply(found$kept, `[`, 0, 1), vapply(found$kept, `[`, 0, 2))
), "bench/DATABASE.md")
