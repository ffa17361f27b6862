# The main job as a user runs it: whole commands, the start of R included, beside a script of the same with a general
# table library. Writes bench/COMMANDS.md.
source("bench/lines.R")
folder <- normalizePath(tempfile("bench-"), mustWork = FALSE)
dir.create(folder)
lines <- 8e6
data.table::fwrite(sale_lines(lines), file.path(folder, "lines.csv"))
in_folder <- function(file, ...) writeLines(c(...), file.path(folder, file))
in_folder("script.R",
  "library(data.table)", "setDTthreads(2)",
  "lines <- fread('lines.csv', select = c('day', 'product', 'revenue', 'status'), showProgress = FALSE)",
  "t <- lines[status %in% c('delivered', 'collected'), .(revenue = sum(revenue)), by = .(day, product)]",
  "setorder(t, day, -revenue, product)", "fwrite(t, 'script.csv')"
)
in_folder("job.yaml",
  "brief: 1", "data: {lines: lines.csv}", "daybook: {day: day, product: product, revenue: revenue}",
  "restrict: [{keep: 'status %in% c(\"delivered\", \"collected\")'}]", "tables: {daily: {by: product, every: day}}",
  "outputs: {folder: out, tables: [csv]}"
)
rscript <- file.path(R.home("bin"), "Rscript")
command <- normalizePath(file.path(find.package("hinterfeld"), "cli", "hinterfeld"))
ways <- list(
  script = c(rscript, "script.R"), run = c(command, "run", "job.yaml", "--again", "--quiet"),
  totals = c(command, "totals", "lines.csv", "--keep", "status %in% c('delivered', 'collected')", "--by",
             "product", "--every", "day", "--out", "totals.csv", "--quiet")
)
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = ":"))
seconds_of <- function(way) {
  # Our commands wait until their output is on the disk. Without this they would also wait for the output of the
  # command before them.
  system2("sync")
  system.time(processx::run(way[1], way[-1], wd = folder))[["elapsed"]]
}
# In turns, since a machine is not the same from minute to minute; every second turn backwards, since what follows the
# script waits for the memory that the script gave back.
taken <- vapply(1:6, function(turn) {
  order <- if (turn %% 2) names(ways) else rev(names(ways))
  vapply(ways[order], seconds_of, 0)[names(ways)]
}, c(script = 0, run = 0, totals = 0))
same <- function(file) {
  sums <- lapply(c("script.csv", file), function(name) {
    sum(data.table::fread(file.path(folder, name), showProgress = FALSE)$revenue)
  })
  isTRUE(all.equal(sums[[1]], sums[[2]]))
}
stopifnot(same("out/daily.csv"), same("totals.csv"))
seconds <- apply(taken, 1, stats::median)
rows <- sprintf("| `hinterfeld %s` | %.2f | %.2f | at most 0.5 | %s |", c("run", "totals"),
                seconds[c("run", "totals")], seconds[c("run", "totals")] / seconds[["script"]],
                ifelse(seconds[c("run", "totals")] <= 0.5 * seconds[["script"]], "yes", "no"))
cpu <- sub("^model name\t: ", "", grep("^model name", readLines("/proc/cpuinfo"), value = TRUE)[1])
writeLines(c(
  "# The main job as a command", "",
  sprintf(paste("One run of `make bench` on %s: %s, %d processors, %s. Medians of six, in turns, every second one",
                "backwards, the start of R included."),
          format(Sys.Date()), cpu, parallel::detectCores(), R.version.string), "",
  sprintf(paste("%s million lines of 8 columns, %.0f MB of text, to a file of daily revenue by product of completed",
                "sales. A script of six lines with a general table library takes %.2f s."),
          format(lines / 1e6), file.size(file.path(folder, "lines.csv")) / 1e6, seconds[["script"]]), "",
  "| | seconds | to the script | wanted | reached |", "| --- | ---: | ---: | --- | --- |", rows
), "bench/COMMANDS.md")
print(taken)
unlink(folder, recursive = TRUE)
