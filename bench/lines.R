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
