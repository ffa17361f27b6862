# Runs every case in processes of their own and writes bench/RESULTS.md: medians and ratios of one run.
cases <- function(n, repeats, what) {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("bench/cases.R", format(n, scientific = FALSE), repeats, what),
                 stdout = TRUE)
  message(what, " ", format(n, big.mark = " ", scientific = FALSE), " done")
  out
}
# Median seconds by case and way.
medians <- function(out) {
  fields <- strsplit(grep("^[a-z_]+ [a-z_]+ [0-9.]+ *$", out, value = TRUE), " ")
  name <- vapply(fields, function(f) paste(f[1], f[2]), "")
  tapply(vapply(fields, function(f) as.numeric(f[3]), 0), name, stats::median)
}
number_in <- function(out, pattern) as.numeric(sub("^.* ([0-9.e+]+) *$", "\\1", grep(pattern, out, value = TRUE)[1]))

at <- function(x, name) unname(x[name])
verdict <- function(value, bound,
                    least = FALSE) if (is.na(value)) "-" else if (
                      if (least) value >= bound else value <= bound
                    ) "yes" else "no"
ratio_row <- function(what, value, bound, least = FALSE) {
  sprintf("| %s | %.2f | %s %s | %s |", what, value, if (least) "at least" else "at most", bound,
          verdict(value, bound, least))
}

lines10 <- cases(1e7, 5, "lines")
tables <- cases(1, 3, "tables")
m <- medians(lines10)
t <- medians(tables)
why <- medians(cases(1e7, 5, "why"))
growth <- lapply(c(1e6, 3e6, 3e7), function(n) medians(cases(n, 5, "lines")))
growth <- c(growth[1:2], list(m), growth[3])
peaks <- lapply(c("peak_lines", "peak_daybook", "peak_totals"), function(what) cases(1e7, 1, what))
chunks <- cases(1e8, 1, "chunks")
one_pass <- cases(1e8, 1, "one_pass")
totals_of <- function(out) grep("^totals ", out, value = TRUE)
same <- length(totals_of(chunks)) == 1 && identical(totals_of(chunks), totals_of(one_pass))
extra <- function(pattern) {
  text <- grep(pattern, peaks[[3]], value = TRUE)
  values <- as.numeric(regmatches(text, gregexpr("[0-9.]+", text))[[1]])
  values[1] / values[2]
}

cpu <- sub("^model name\t: ", "", grep("^model name", readLines("/proc/cpuinfo"), value = TRUE)[1])
memory <- as.numeric(gsub("[^0-9]", "", readLines("/proc/meminfo", 1))) / 2^20
ways <- c("best_sellers", "running_total", "share", "change", "pareto")
wanted <- ways[1:4]
writeLines(c(
  "# What it takes", "",
  sprintf(paste("One run of `make bench` on %s: %s, %d processors, %.0f GiB, %s, 2 threads.",
                "Medians in seconds; ratios within the run."),
          format(Sys.Date()), cpu, parallel::detectCores(), memory, R.version.string), "",
  "10 million lines of 8 columns: 2 000 products, 731 days in no order, 6 regions, 4 statuses. The floor is a plain",
  "C++ loop over coded integer arrays with the same flags, which finds no groups, labels or order. Base R's way codes",
  "what is asked for, filters and takes `rowsum()`, `ave()`, `order()`.", "",
  "| | ratio | wanted | reached |", "| --- | ---: | --- | --- |",
  ratio_row("daybook to one `match()` of a text column", at(m, "daybook ours") / at(m, "match base"), 3),
  ratio_row("base R to daybook, keep and daily product revenue together", at(m, "whole base") / at(m, "whole ours"), 4,
            TRUE),
  ratio_row("day x product to the floor", at(m, "day_product ours") / at(m, "day_product floor"), 2.5),
  ratio_row("category x region x month to the floor",
            at(m, "category_region_month ours") / at(m, "category_region_month floor"), 2.5),
  ratio_row("day x product, 1 thread to 2", at(m, "day_product one_thread") / at(m, "day_product ours"), 1.6, TRUE),
  ratio_row("category x region x month, 1 thread to 2",
            at(m, "category_region_month one_thread") / at(m, "category_region_month ours"), 1.6, TRUE),
  vapply(wanted, function(way) ratio_row(sprintf("base R to %s on a table of a million rows", gsub("_", " ", way)),
                                         at(t, paste(way, "base")) / at(t, paste(way, "ours")), 10, TRUE), ""),
  ratio_row("daybook's size to its data frame's", number_in(lines10, "daybook_size"), 0.6),
  ratio_row("memory that category x region x month adds to the daybook", extra("totals_peak "), 0.2),
  ratio_row("memory that day x product (1.5 million rows) adds to the daybook", extra("totals_peak_large"), 0.2),
  ratio_row("the same, by what the process takes", extra("totals_process"), 0.2),
  ratio_row("day x product, 30 million lines to 10", at(growth[[4]], "day_product ours") / at(m, "day_product ours"),
            3.3),
  ratio_row("category x region x month, 30 million lines to 10",
            at(growth[[4]], "category_region_month ours") / at(m, "category_region_month ours"), 3.3),
  ratio_row("daybook, 30 million lines to 10", at(growth[[4]], "daybook ours") / at(m, "daybook ours"), 3.3), "",
  sprintf(paste("100 million lines in chunks of 2 million, tallied by day and product and merged: %.0f seconds,",
                "peak %.0f MB (with the generator of the lines)."),
          number_in(chunks, "chunks seconds"), number_in(chunks, "^peak")),
  sprintf("One pass over the same 100 million lines gives the same totals bit for bit: %s.", if (same) "yes" else "NO"),
  "",
  "## Seconds", "",
  "| lines | match | daybook | whole | whole, base R | day x product | floor | category x region x month | floor |",
  "| ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |",
  Map(function(n, g) sprintf("| %s | %s |", n,
                             paste(sprintf("%.3f", at(g, c("match base", "daybook ours", "whole ours", "whole base",
                                                           "day_product ours", "day_product floor",
    "category_region_month ours",
    "category_region_month floor"))), collapse = " | ")), c("1 million", "3 million", "10 million",
                                                            "30 million"), growth) |> unlist(use.names = FALSE),
  "", "SQLite in memory, one run each, once the lines or the table are in it:", "",
  "| | ours | base R | SQLite |", "| --- | ---: | ---: | ---: |",
  sprintf(
    "| 10 million lines: daybook, keep and daily product revenue (SQLite: without the daybook) | %.3f | %.3f | %.3f |",
    at(m, "whole ours"), at(m, "whole base"), at(m, "whole sqlite")
  ),
  sprintf("| 10 million lines: category x region x month | %.3f | - | %.3f |", at(m, "category_region_month ours"),
          at(m, "category_region_month sqlite")),
  sprintf("| a table of a million rows: %s | %.3f | %.3f | %.3f |", gsub("_", " ", ways), at(t, paste(ways, "ours")),
          at(t, paste(ways, "base")), at(t, paste(ways, "sqlite"))), "",
  "## Why, and what stands out", "",
  "| | seconds | wanted | reached |", "| --- | ---: | --- | --- |",
  sprintf("| %s | %.2f | at most %s | %s |", c("causes of 2 000 products x 24 months, of 10 million lines",
                                               "findings of the demo"), at(why, paste(c("causes", "findings"), "ours")),
          c("0.3", "1"), mapply(verdict, at(why, paste(c("causes", "findings"), "ours")), c(0.3, 1))), "",
  "## Peak memory of the process, 10 million lines", "",
  sprintf("| %s | %.0f MB |", c("the lines alone", "with a daybook"),
          vapply(peaks[1:2], number_in, 0, pattern = "^peak")) |>
    append(c("| | |", "| --- | ---: |"), after = 0)
), "bench/RESULTS.md")
