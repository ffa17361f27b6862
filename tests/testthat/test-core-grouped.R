# The rows of a daybook put together by what they hold besides amounts, as rows that stand for several lines.
grouped_book <- function(book) {
  lines <- as.data.frame(lines_of(book))
  keys <- interaction(lines[c("day", "product", "region")], drop = TRUE, lex.order = TRUE)
  minor <- round(lines$revenue * 100)
  first <- match(levels(keys), keys)
  rows <- lines[first, c("day", "product", "region")]
  rows$revenue <- as.vector(tapply(minor, keys, sum)) / 100
  groups <- new_grouped(as.vector(table(keys)), list(revenue = as.vector(tapply(minor, keys, min))),
                        list(revenue = as.vector(tapply(minor, keys, max))))
  n <- nrow(lines)
  quiet(daybook(set_origin(tibble::as_tibble(rows), new_places("there", nrow(rows)), new_trail("read", "there", 0, n),
                           grouped = groups), day, revenue, product))
}

test_that("rows that stand for several lines give what the lines give", {
  for (seed in seeds(31, 1, 3)) {
    book <- random_book(seed)$book
    book <- keep_lines(book, !is.na(region), why = "region known")
    groups <- grouped_book(book)
    kept <- list(keep_lines(groups, region != "Vale"), keep_lines(book, region != "Vale"))
    expect_identical(unlist(audit(kept[[1]])[3, c("lines_before", "lines_after", "revenue_before", "revenue_after")]),
                     unlist(utils::tail(audit(kept[[2]]), 1)[c("lines_before", "lines_after", "revenue_before",
                                                               "revenue_after")]))
    measures <- list("revenue", lines = "lines", mean = mean_of(revenue), low = smallest_of(revenue),
                     high = largest_of(revenue), day = largest_of(revenue, per = "day"),
                     kinds = count_distinct(product),
                     q = mean_of(revenue, where = region == "Highfen"))
    for (by in list("region", c("product", "region"))) {
      tables <- lapply(kept, function(facts) {
        tally <- tally_of(facts, by = tidyselect::all_of(by), every = "month", measures = measures)
        as.list(tibble::as_tibble(totals(tally, by = tidyselect::all_of(by), every = "month",
                                         measures = names(measures)[-1])))
      })
      expect_identical(tables[[1]], tables[[2]])
    }
  }
})
