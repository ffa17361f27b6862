book_of_towns <- function(towns) {
  lines <- data.frame(day = "2026-03-02", item = "bowl", amount = c(5, 7, 9), region = c("Vale", "Highfen", "Vale"),
                      town = c("Oldkiln", "Oldkiln", "Tansyford"))
  quiet(daybook(attach_table(lines, towns, by = c(region, town), name = "towns"), day, amount, item))
}

towns_alike <- function() {
  data.frame(region = c("Vale", "Highfen", "Vale", "Saltcoast", "Vale"),
             town = c("Oldkiln", "Oldkiln", "Tansyford", "Ebbwick", "Larkenford"), chief = "none")
}

test_that("a table that takes places of one name for one says so, and one that tells them apart says that", {
  book <- book_of_towns(towns_alike())
  expect_snapshot(print(totals(book, by = town)))
  expect_match(in_words(totals(book, by = c(region, town))), "\"Oldkiln\" occurs in more than one region",
               all = FALSE)
  expect_false(any(grepl("Oldkiln", in_words(totals(book, by = region)))))
  # A table that was cut to others says nothing of it.
  t <- totals(book, by = town)
  expect_false(any(grepl("stands", in_words(t[t$town != "Oldkiln", ]))))
  expect_match(in_words(best_of_each(totals(book, by = c(region, town)), within = region)), "Oldkiln", all = FALSE)
  expect_match(format(crosstab(totals(book, by = c(town, product)), town, product)), "counted as one", all = FALSE)
})

test_that("three of many shared names are told, and how many more there are", {
  towns <- data.frame(region = c(rep(c("Vale", "Highfen"), each = 5), rep("Saltcoast", 20)),
                      town = c(rep(c("Ash", "Elm", "Fir", "Oak", "Yew"), 2), sprintf("t%02d", 1:20)))
  lines <- data.frame(day = "2026-03-02", item = "bowl", amount = 5, towns[1:10, ])
  book <- quiet(daybook(attach_table(lines, towns, by = c(region, town), name = "towns"), day, amount, item))
  expect_match(in_words(totals(book, by = town)), "\"Ash\", \"Elm\", \"Fir\" and 2 more", all = FALSE)
})

test_that("columns whose values mostly repeat are no names, and no more are names that stand once", {
  towns <- towns_alike()
  expect_no_match(in_words(totals(book_of_towns(towns), by = chief)), "occurs|counted as one")
})

test_that("names of columns with a role, and tallies that are merged or saved, keep it", {
  goods <- data.frame(code = 1:5, product = c("Powder", "Powder", "Clay", "Slip", "Wax"),
                      category = c("Glazes", "Packing", "Clay", "Glazes", "Wax"))
  lines <- data.frame(day = "2026-03-02", code = 1:5, amount = 1:5)
  book <- quiet(daybook(attach_table(lines, goods, by = code), day, amount, product))
  tally <- tally_of(book, by = c(category, product))
  for (facts in list(book, tally, merge_tallies(tally, of_other_lines(tally)), load_tally(save_tally(tally,
                                                                                                     tempfile())))) {
    expect_match(in_words(totals(facts, by = product)), "\"Powder\" occurs in goods more than once, and is counted",
                 all = FALSE)
    expect_match(in_words(totals(facts, by = c(category, product))), "more than one category", all = FALSE)
  }
  again <- quiet(daybook(lines_of(book), day, revenue, product))
  expect_identical(again$alike, book$alike)
})
