test_that("JSON holds a description and one object per row", {
  t <- add_share(totals(kilnmoor_book(), by = region, every = "year",
                        measures = list("revenue", mean = mean_of(revenue))))
  path <- deliver(t, withr::local_tempfile(fileext = ".json"))
  read <- jsonlite::read_json(path, simplifyVector = TRUE)
  expect_identical(read$description$sentences, as.character(unclass(in_words(t))))
  expect_identical(read$description$rows, nrow(t))
  columns <- read$description$columns
  expect_identical(columns$name, names(t))
  expect_identical(columns$type, c("date", "text", "money", "money", "fraction"))
  expect_identical(columns$unit, c(NA, NA, "Mk", "Mk", NA))
  expect_identical(columns$decimals, c(NA, NA, 2L, NA, NA))
  expect_identical(read$rows$revenue, t$revenue)
  expect_identical(as.Date(read$rows$year), t$year)
  expect_equal(read$rows$mean, t$mean, tolerance = 1e-14)
})

test_that("missing values are null and difficult texts whole", {
  table <- data.frame(s = c("},{\"a\":1", NA, "\"\\\n"), n = c(NA, 1, 2), l = c(TRUE, NA, FALSE))
  path <- deliver(table, withr::local_tempfile(fileext = ".json"))
  read <- jsonlite::read_json(path, simplifyVector = TRUE)
  expect_identical(as.list(read$rows), as.list(table) |> replace("n", list(c(NA, 1L, 2L))))
  expect_null(read$description$title)
  empty <- deliver(table[0, ], withr::local_tempfile(fileext = ".json"))
  expect_identical(jsonlite::read_json(empty)$rows, list())
})
