test_that("another reader finds the table, exact columns as decimals", {
  t <- add_change(totals(kilnmoor_book(), by = c(category, product), every = "month",
                         measures = list("revenue", "units", mean = mean_of(revenue))))
  path <- deliver(t, withr::local_tempfile(fileext = ".parquet"))
  read <- nanoparquet::read_parquet(path)
  # A period is a date, and its name beside it.
  expect_identical(names(read), append(names(t), "month_name", 1))
  expect_identical(read$month_name, format(t$month, "%Y-%m"))
  for (name in names(t)) {
    expected <- if (is.factor(t[[name]])) as.character(t[[name]]) else t[[name]]
    # Dates are whole numbers or doubles; the other columns are the same in every bit.
    if (inherits(expected, "Date")) expect_equal(read[[name]],
                                                 expected) else expect_identical(read[[name]], expected, label = name)
  }
  schema <- nanoparquet::read_parquet_schema(path)
  expect_identical(schema$scale[match(c("revenue", "revenue_change"), schema$name)], c(2L, 2L))
  expect_identical(schema$type[match(c("units", "mean"), schema$name)], c("INT64", "DOUBLE"))
  expect_identical(schema$converted_type[match(c("month", "category", "revenue"), schema$name)],
                   c("DATE", "UTF8", "DECIMAL"))
})

test_that("every cent is kept, on either side of zero and far from it", {
  withr::local_seed(7)
  cents <- c(0, 1, -1, 29, -29, 114, 115, round(stats::runif(5000, -4e11, 4e11)))
  book <- daybook(a_sale(product = sprintf("p%05d", seq_along(cents)), revenue = cents / 100), day, revenue, product)
  t <- totals(book, by = product)
  read <- nanoparquet::read_parquet(deliver(t, withr::local_tempfile(fileext = ".parquet")))
  expect_identical(read$revenue, t$revenue)
})

test_that("an exact column of blanks only can be read again", {
  book <- daybook(a_sale(cost = NA_real_), day, revenue, product, decimals = c(revenue = 2, cost = 2))
  path <- deliver(totals(book, by = product, measures = list("revenue", m = smallest_of(cost))),
                  withr::local_tempfile(fileext = ".parquet"))
  expect_identical(nanoparquet::read_parquet(path)$m, NA_real_)
})

test_that("the file says what its table is, and how it is made", {
  t <- add_rank(totals(kilnmoor_book(), by = region))
  path <- deliver(t, withr::local_tempfile(fileext = ".parquet"))
  keys <- nanoparquet::read_parquet_metadata(path)$file_meta_data$key_value_metadata[[1]]
  value <- function(key) keys$value[keys$key == paste0("hinterfeld.", key)]
  expect_identical(value("title"), "Revenue by region")
  expect_identical(strsplit(value("sentences"), "\n")[[1]], as.character(unclass(in_words(t))))
  made <- rlang::env(book = kilnmoor_book())
  eval(parse(text = value("code")), made)
  expect_identical(as.data.frame(made$t), as.data.frame(t))
  # A table of the user's own has nothing to say.
  path <- deliver(data.frame(a = 1:2), withr::local_tempfile(fileext = ".parquet"))
  expect_false(any(grepl("hinterfeld.(title|code)", nanoparquet::read_parquet_metadata(path)$
                           file_meta_data$key_value_metadata[[1]]$key)))
})
