test_that("rows keep their places through attaching, setting aside, restricting and asking again", {
  lines <- load_table(text_at("day,product,revenue\n2026-01-01,a,1\n\nsoon,b,2\n2026-01-02,c,3\n2026-01-03,d,4\n"))
  lines <- quiet(attach_table(lines, data.frame(product = c("a", "c", "d"), kind = "x"), product, need = "any"))
  book <- keep_lines(daybook(lines, day, revenue, product, on_bad = "set_aside"), product != "a")
  expect_identical(lines_behind(totals(book), 1)$row, c(4L, 5L))
  again <- leave_out(daybook(lines_of(book), day, revenue, product), revenue == 3)
  expect_identical(lines_behind(totals(again), 1)$row, 5L)
  # Rows that were changed outside have no place any more.
  other <- daybook(lines[4:1, ][1:2, ], day, revenue, product, on_bad = "set_aside")
  expect_identical(lines_behind(totals(other), 1)$file, rep(NA_character_, 2))
})
