# Questions of every kind beside the fastest general table library, in turns and in one process: 10 million lines, or
# LINES. Writes bench/QUESTIONS.md.
#   Rscript bench/questions.R [LINES]
suppressPackageStartupMessages({
  library(hinterfeld)
  library(data.table)
})
source("bench/lines.R")
lines <- as.numeric(c(commandArgs(TRUE), 1e7)[1])
threads <- parallel::detectCores()
options(hinterfeld.threads = threads)
setDTthreads(threads)
x <- sale_lines(lines)
book <- daybook(x, day, revenue, product, units = units, order = order)
peer <- as.data.table(x)
rm(x)
orders <- list(n = count_distinct(order))
table <- totals(book, by = product, every = "day")
# The peer has columns of its own.
rows <- copy(as.data.table(as.data.frame(table)))
months <- totals(book, by = product, every = "month")
month_rows <- copy(as.data.table(as.data.frame(months)))

# Ours and the peer's, each as an expression.
questions <- list(
  "distinct orders per product" = list(quote(totals(book, by = product, measures = orders)),
                                       quote(peer[, .(n = uniqueN(order)), by = product])),
  "distinct orders per day" = list(quote(totals(book, every = "day", measures = orders)),
                                   quote(peer[, .(n = uniqueN(order)), by = day])),
  "distinct orders in all" = list(quote(totals(book, measures = orders)), quote(peer[, .(n = uniqueN(order))])),
  "distinct products per region" = list(
    quote(totals(book, by = region, measures = list(n = count_distinct(product)))),
    quote(peer[, .(n = uniqueN(product)), by = region])
  ),
  "median revenue of a line per product" = list(
    quote(totals(book, by = product, measures = list(m = median_of(revenue)))),
    quote(peer[, .(m = median(revenue)), by = product])
  ),
  "median revenue of a line per region" = list(
    quote(totals(book, by = region, measures = list(m = median_of(revenue)))),
    quote(peer[, .(m = median(revenue)), by = region])
  ),
  "totals by order" = list(quote(totals(book, by = order)),
                           quote(peer[, .(revenue = sum(revenue)), by = order][order(-revenue)])),
  "revenue by order and product" = list(
    quote(totals(book, by = c(order, product))),
    quote(peer[, .(revenue = sum(revenue)), by = .(order, product)][order(-revenue)])
  ),
  "revenue per order, mean per region" = list(
    quote(totals(book, by = region, measures = list(m = mean_of(revenue, per = order)))),
    quote(peer[, .(r = sum(revenue)), by = .(region, order)][, .(m = mean(r)), by = region])
  ),
  "condition on year and regions" = list(
    quote(keep_lines(book, year(day) == 2025 & region %in% c("Region 1", "Region 2"))),
    quote(peer[year(day) == 2025 & region %in% c("Region 1", "Region 2")])
  ),
  "condition on revenue" = list(quote(keep_lines(book, revenue > 150)), quote(peer[revenue > 150])),
  "condition on text" = list(quote(keep_lines(book, reads_as(status, "delivered", "collected"))),
                             quote(peer[tolower(trimws(status)) %in% c("delivered", "collected")])),
  "day x product" = list(quote(totals(book, by = product, every = "day")),
                         quote(peer[, .(revenue = sum(revenue)), by = .(day, product)][order(day, -revenue, product)])),
  "category x region x month" = list(
    quote(totals(book, by = c(category, region), every = "month")),
    quote(peer[, .(revenue = sum(revenue)), by = .(category, region, month = format(day, "%Y-%m"))])
  ),
  "revenue of the whole" = list(quote(totals(book)), quote(peer[, .(revenue = sum(revenue))])),
  "weekdays" = list(quote(totals(book, every = "weekday")),
                    quote(peer[, .(revenue = sum(revenue)), by = wday(day)])),
  "year over year per product" = list(
    quote(add_change(totals(book, by = product, every = "year"))),
    quote({
      t <- peer[, .(revenue = sum(revenue)), keyby = .(product, year = year(day))]
      t[, before := shift(revenue), by = product]
    })
  ),
  "crosstab of product by month" = list(
    quote(crosstab(totals(book, by = product, every = "month"), product, month)),
    quote(dcast(peer[, .(revenue = sum(revenue)), by = .(product, m = format(day, "%Y-%m"))], product ~ m,
                value.var = "revenue"))
  ),
  "subtotals of category, region, product" = list(
    quote(totals(book, by = c(category, region, product), subtotals = TRUE)),
    quote(rollup(peer, .(revenue = sum(revenue)), by = c("category", "region", "product")))
  ),
  "largest line per product" = list(quote(totals(book, by = product, measures = list(m = largest_of(revenue)))),
                                    quote(peer[, .(m = max(revenue)), by = product])),
  "best day per product" = list(
    quote(totals(book, by = product, measures = list(m = largest_of(revenue, per = "day")))),
    quote(peer[, .(r = sum(revenue)), by = .(product, day)][, .(m = max(r)), by = product])
  ),
  "five measures per product" = list(
    quote(totals(book, by = product, measures = list("revenue", "units", "lines", mean = mean_of(revenue),
                                                     n = count_distinct(order)))),
    quote(peer[, .(sum(revenue), sum(units), .N, mean(revenue), uniqueN(order)), by = product])
  ),
  "three best products per region" = list(
    quote(best_sellers(totals(book, by = c(region, product)), n = 3, within = region)),
    quote(peer[, .(revenue = sum(revenue)), by = .(region, product)]
          [order(region, -revenue)][, head(.SD, 3), by = region])
  ),
  "running total on a ready table" = list(quote(add_running_total(table)),
                                          quote(rows[order(day), running := cumsum(revenue), by = product])),
  "share on a ready table" = list(quote(add_share(table, within = product)),
                                  quote(rows[, share := revenue / sum(revenue), by = product])),
  "rank on a ready table" = list(quote(add_rank(table, within = day)),
                                 quote(rows[, rank := frank(-revenue, ties.method = "min"), by = day])),
  "Pareto classes of every month" = list(
    quote(add_pareto(months, within = month)),
    quote({
      setorder(month_rows, month, -revenue)
      month_rows[, share := cumsum(revenue) / sum(revenue), by = month]
    })
  )
)

seconds_of <- function(code) {
  gc(FALSE)
  system.time(suppressMessages(eval(code, globalenv())), gcFirst = FALSE)[["elapsed"]]
}
seconds <- vapply(questions, function(question) {
  taken <- replicate(3, vapply(question, seconds_of, 0))
  apply(taken, 1, stats::median)
}, c(ours = 0, peer = 0))
ratios <- seconds["peer", ] / seconds["ours", ]
writeLines(c(
  "# Questions beside a general table library", "",
  sprintf("One run of `bench/questions.R` on %s: %s, %d threads. Medians of three in seconds, in turns.", Sys.Date(),
          R.version.string, threads), "",
  sprintf("%g million lines of 8 columns. The peer computes in binary numbers, without labels, sentences or an order",
          lines / 1e6),
  "of rows where none is asked for; ours is the exact table as it is printed.", "",
  "| question | ours | peer | times as fast |", "| --- | ---: | ---: | ---: |",
  sprintf("| %s | %.2f | %.2f | %.1f |", names(ratios), seconds["ours", ], seconds["peer", ], ratios), "",
  sprintf("All together %.1f times as fast (geometric mean); slower than the peer: %s.", exp(mean(log(ratios))),
          if (any(ratios < 1)) paste(names(ratios)[ratios < 1], collapse = ", ") else "none")
), "bench/QUESTIONS.md")
