test_that("columns are offered with their values, and why one is not", {
  columns <- a_desk()$columns
  expect_identical(columns$name[1], "product")
  expect_identical(columns$values[columns$name == "region"], 4L)
  expect_match(columns$why[columns$name == "order"], "too many to split by")
  expect_match(columns$why[columns$name == "latitude"], "numbers, not groups")
  tally <- column_choices(tally_of(demo_daybook(), by = c(region, product), every = "month"))
  expect_setequal(tally$name, c("region", "product"))
})

test_that("spellings of a value stand together, and a choice of it takes all of them", {
  book <- daybook(data.frame(day = as.Date("2026-03-02"), product = "Bowl", revenue = 1:7,
                             status = c("paid", "Paid ", "PAID", "open", NA, "a \"b\"", "paid")), day, revenue, product)
  found <- value_choices(book, "status")
  expect_identical(found[[1]]$label, "paid")
  expect_setequal(found[[1]]$spellings, c("paid", "Paid ", "PAID"))
  keep <- function(values) {
    text <- value_condition("status", values)
    restrict_by(book, list(keep = text))$columns$revenue / 100
  }
  expect_identical(quiet(keep(found[[1]]$spellings)), c(1, 2, 3, 7))
  expect_identical(quiet(keep(NA)), 5)
  expect_identical(quiet(keep(c(NA, "a \"b\""))), c(5, 6))
  expect_length(value_choices(book, "status", "PAI"), 1)
})

test_that("conditions are said in words", {
  words <- condition_words
  expect_identical(words("region %in% \"Vale\"", "keep"), "only region Vale")
  expect_identical(words("(is.na(region) | region %in% c(\"a\", \"b\", \"c\", \"d\"))", "leave_out"),
                   "without region a or b or c or 2 more")
  expect_identical(words("day >= as.Date(\"2025-01-01\")", "keep"), "from 2025-01-01")
  expect_identical(words("region %in% \"Vale\" & product %in% \"Kiln\"", "leave_out"),
                   "without region Vale with product Kiln")
  expect_identical(words("units > 3", "keep"), "only lines with units above 3")
})
