# Seeded sale lines of any size: a data frame of 8 columns, days in no order. 2 000 products in 5 categories, 731 days,
# 6 regions, 4 statuses of which two are completed; order numbers are whole numbers.
sale_lines <- function(n, seed = 1, products = 2000L, days = 731L) {
  set.seed(seed)
  product <- sample.int(products, n, TRUE)
  names <- sprintf("Product %06d", seq_len(products))
  categories <- sprintf("Category %d", rep_len(1:5, products))
  statuses <- c("delivered", "collected", "cancelled", "open")
  data.frame(
    day = as.Date("2024-01-01") + sample.int(days, n, TRUE) - 1,
    product = names[product], category = categories[product],
    region = sprintf("Region %d", 1:6)[sample.int(6L, n, TRUE)],
    status = statuses[sample.int(4L, n, TRUE, c(0.5, 0.3, 0.1, 0.1))],
    order = sample.int(max(1L, n %/% 3L), n, TRUE),
    units = as.double(sample.int(9L, n, TRUE)),
    revenue = round(stats::runif(n, 1, 200), 2)
  )
}

# Seconds of some code, several times, as "case way seconds".
timed <- function(case, way, code, times = repeats) {
  code <- substitute(code)
  place <- parent.frame()
  for (i in seq_len(times)) {
    gc(FALSE)
    cat(case, way, system.time(eval(code, place), gcFirst = FALSE)[["elapsed"]], "\n")
  }
}

# Megabytes of this process: VmRSS held now, VmHWM at most.
in_status <- function(what) {
  line <- grep(paste0("^", what), readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
