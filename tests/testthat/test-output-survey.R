test_that("what there is nothing to say of is not said", {
  expect_snapshot({
    survey(data.frame())
    survey(data.frame(key = c("a", "b"), one = c(1, 1)))
  })
})

test_that("long texts and many variants fit the width", {
  withr::local_options(cli.width = 60)
  x <- data.frame(a_rather_long_column_name_for_a_survey = c(strrep("long ", 30), "b", "B", " b"))
  lines <- capture.output(print(survey(x)))
  expect_lte(max(nchar(lines)), 60)
  values <- capture.output(print(survey(x, a_rather_long_column_name_for_a_survey)))
  expect_lte(max(nchar(values)), 60)
})

test_that("a column's meanings come first, its spellings on request", {
  x <- survey(data.frame(status = c(rep("paid", 5), "Paid", "PAID ", "open", NA)), status)
  expect_snapshot({
    x
    print(x, spellings = TRUE)
  })
  expect_error(print(x, spellings = 2), class = "hinterfeld_error_argument")
})

test_that("numbers that name something are shown as they are written", {
  sales <- data.frame(basket_id = c(1234567, 2345678), year = c(2025, 2026), amount = c(1234567, 2))
  expect_identical(sub("^.*values, ", "", format(survey(sales))[c(2, 3, 4)]),
                   c("1234567 to 2345678", "2025 to 2026", "2 to 1 234 567"))
  expect_match(format(survey(sales, basket_id))[3], "^1234567 ")
  book <- daybook(a_sale(ticket = c(1234567, 7)), day, revenue, product)
  expect_match(format(totals(book, by = ticket)), "^1234567 ", all = FALSE)
})
