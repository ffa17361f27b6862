test_that("the daily file equals SQL to the cent and in order, and its total is the audit's", {
  path <- withr::local_tempfile(fileext = ".csv")
  book <- kilnmoor_book()
  deliver(totals(book, by = product, every = "day"), path)
  db <- demo_database()
  expected <- sql(db,
                  "SELECT day, product, printf('%s%d.%02d', iif(units < 0, '-', ''), abs(units) / 100, abs(units) % 100)
                         AS revenue
                       FROM (SELECT day, product, sum(units) AS units FROM sales GROUP BY day, product)
                       ORDER BY day, units DESC, product")
  expect_identical(utils::read.csv(path, colClasses = "character"), expected)
  cents <- as.integer(sub(".", "", expected$revenue, fixed = TRUE))
  expect_identical(sum(cents) / 100, utils::tail(audit(book)$revenue_after, 1))
})

test_that("numbers are plain and blanks are blank", {
  path <- withr::local_tempfile(fileext = ".csv")
  deliver(data.frame(n = c(1e5, 1e15, 0.1), s = c("a,b", NA, "c")), path)
  expect_identical(readLines(path), c("n,s", "100000,\"a,b\"", "1000000000000000,", "0.1,c"))
})

test_that("what cannot be written says why and leaves the former file whole", {
  dir <- withr::local_tempdir()
  withr::local_dir(dir)
  writeLines("former", "t.png")
  broken <- ggplot2::ggplot(data.frame(n = 1), ggplot2::aes(nowhere)) + ggplot2::geom_bar()
  expect_error(deliver(broken, "t.png"), "nowhere")
  expect_identical(readLines("t.png"), "former")
  expect_identical(list.files(all.files = TRUE, no.. = TRUE), "t.png")
  table <- data.frame(n = 1)
  expect_snapshot(error = TRUE, {
    deliver(table, "t.doc")
    deliver(table, "nowhere/t.csv")
  })
  table$f <- list(sum)
  expect_snapshot(error = TRUE, {
    deliver(table, "t.csv")
    deliver(1, "t.csv")
  })
})

test_that("a figure is written at the size asked for", {
  path <- withr::local_tempfile(fileext = ".png")
  deliver(figure_trend(totals(a_book(), every = "day")), path)
  # A PNG's width and height are bytes 17 to 24.
  size <- readBin(path, "raw", 24)[17:24]
  expect_identical(sum(as.integer(size[1:4]) * 256^(3:0)), 1280)
  expect_identical(sum(as.integer(size[5:8]) * 256^(3:0)), 800)
})

test_that("figures are written as SVG and PDF too", {
  figure <- figure_trend(totals(kilnmoor_book(), every = "month"))
  svg <- deliver(figure, withr::local_tempfile(fileext = ".svg"))
  expect_match(paste(readLines(svg), collapse = ""), "Monthly revenue")
  pdf <- deliver(figure, withr::local_tempfile(fileext = ".pdf"))
  expect_identical(readChar(pdf, 5), "%PDF-")
})

test_that("the names of a plain table's columns decide nothing", {
  path <- deliver(data.frame(shop = "a", market_share = 25.5, price_change = 3, revenue = 7),
                  withr::local_tempfile(fileext = ".md"))
  expect_identical(readLines(path)[3], "| a | 25.5 | 3 | 7 |")
  json <- deliver(data.frame(kilograms = 1.5, revenue = 2), withr::local_tempfile(fileext = ".json"))
  expect_identical(jsonlite::fromJSON(json)$description$columns$type, c("number", "number"))
})

test_that("a figure of any size is laid out for the same room", {
  figure <- figure_ranking(totals(kilnmoor_book(), by = region))
  texts <- lapply(list(c(1280, 800), c(640, 400), c(1000, 1600)), function(size) {
    path <- withr::local_tempfile(fileext = ".svg")
    deliver(figure, path, size[1], size[2])
    all <- paste(readLines(path), collapse = "")
    list(box = as.numeric(regmatches(all, regexec("viewBox='0 0 ([0-9.]+) ([0-9.]+)'", all))[[1]][2:3]),
         sizes = unique(regmatches(all, gregexpr("font-size: [0-9.]+", all))[[1]]))
  })
  expect_identical(texts[[1]], texts[[2]])
  expect_identical(texts[[3]]$sizes, texts[[1]]$sizes)
  expect_equal(texts[[3]]$box, c(640, 1024), tolerance = 1e-3)
})
