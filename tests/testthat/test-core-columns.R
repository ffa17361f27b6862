test_that("text is coded once, blanks are missing, encodings of one text are one value", {
  latin <- iconv("Gl\u00fchofen", "UTF-8", "latin1")
  coded <- hinterfeld:::encode_text(c("b", "a", NA, "b", "", "  ", latin, "Gl\u00fchofen"))
  expect_identical(as.integer(coded), c(1L, 2L, NA, 1L, NA, NA, 3L, 3L))
  expect_identical(levels(coded), c("b", "a", "Gl\u00fchofen"))
  expect_identical(Encoding(levels(coded)[3]), "UTF-8")
})

test_that("a blank group is nobody's: it is called not given", {
  book <- daybook(a_sale(region = c("", " ", NA, "Vale")), day, revenue, product)
  expect_identical(totals(book, by = region, measures = "lines")$lines, c(3, 1))
  expect_identical(totals(book, by = region, measures = "lines")$region, c("not given", "Vale"))
  expect_identical(lines_of(book)$region, c(NA, NA, NA, "Vale"))
})

test_that("columns are picked bare, as strings, with selections and with values from outside", {
  book <- daybook(a_sale(region = "Vale", town = "Oldkiln"), day, revenue, product)
  wanted <- c("town", "region")
  by_all <- list(
    totals(book, by = c(town, region)), totals(book, by = c("town", "region")),
    totals(book, by = tidyselect::all_of(wanted))
  )
  for (t in by_all) expect_named(t, c("town", "region", "revenue"))
  expect_snapshot(error = TRUE, {
    totals(book, by = c(town, reigon))
    totals(book, by = toupper(town))
  })
})

test_that("columns of lists are carried, surveyed as such, and cannot be grouped", {
  sales <- a_sale()
  sales$tags <- list(c("a", "b"))
  book <- daybook(sales, day, revenue, product)
  expect_identical(lines_of(book)$tags, list(c("a", "b")))
  expect_identical(survey(book)$type[4], "list")
  expect_snapshot(error = TRUE, totals(book, by = tags))
})

test_that("every type of column splits and comes back as it was", {
  at <- as.POSIXct("2026-01-01 08:00", tz = "UTC")
  book <- daybook(a_sale(whole = 3L, at = at, on = as.Date("2026-01-01"), yes = TRUE, kind = factor("b", c("z", "b"))),
                  day, revenue, product)
  t <- totals(book, by = c(whole, at, on, yes, kind))
  expect_identical(t$whole, 3L)
  expect_identical(t$at, at)
  expect_identical(t$on, as.Date("2026-01-01"))
  expect_identical(t$yes, TRUE)
  expect_identical(t$kind, "b")
  with_total <- totals(book, by = c(whole, yes), subtotals = TRUE)
  expect_identical(with_total$whole, c("3", "3", "Total"))
})

test_that("texts are coded by what they say, whatever their encoding, in any number of threads", {
  latin <- "Kr\xfcge"
  Encoding(latin) <- "latin1"
  products <- rep(c(latin, enc2utf8(latin), "Krug", NA, " "), 60000)
  coded <- lapply(1:3, function(n) {
    withr::local_options(hinterfeld.threads = n)
    hinterfeld:::encode_text(products)
  })
  expect_identical(levels(coded[[1]]), c(enc2utf8(latin), "Krug"))
  expect_identical(as.integer(coded[[1]]), rep(c(1L, 1L, 2L, NA, NA), 60000))
  expect_identical(coded[[2]], coded[[1]])
  expect_identical(coded[[3]], coded[[1]])
  # More distinct texts than the dictionary starts with, the last of them met by the last thread only.
  many <- sprintf("p%d", c(1:100000, 100000:1, 1:7))
  withr::local_options(hinterfeld.threads = 2)
  expect_identical(as.character(hinterfeld:::encode_text(many)), many)
  expect_identical(levels(hinterfeld:::encode_text(factor(c("b", "a", " "), c("a", "b", " ")))), c("a", "b"))
})

test_that("a daybook of plain lines is smaller than its table and gives the same values back", {
  sales <- a_sale(product = rep(c("a", "b"), 5000), region = "Vale", revenue = seq(1, 10000) / 100, pieces = 2)
  book <- daybook(sales, day, revenue, product, units = pieces)
  expect_lt(as.numeric(object.size(book)), 0.7 * as.numeric(object.size(sales)))
  expect_identical(lines_of(book)$revenue, sales$revenue)
  expect_identical(lines_of(book)$units, sales$pieces)
  # Revenue beyond 32 bits, and missing units, are held as exactly.
  large <- daybook(a_sale(product = c("a", "b"), revenue = c(98765432.11, 1), pieces = c(NA, 1)), day, revenue, product,
                   units = pieces)
  expect_identical(lines_of(large)$revenue, c(98765432.11, 1))
  expect_identical(totals(large, measures = c("revenue", "units"))$units, 1)
})

# A text and the same held as codes, with a label that nobody uses and one that stands twice in the dictionary.
twins <- function(n = 2000, seed = 3) {
  withr::local_seed(seed)
  labels <- c("Glaze", "Kr\u00fcge", "", "unused", "Sieve", "Glaze")
  codes <- sample(c(1:3, 5L, 6L, NA), n, replace = TRUE)
  list(plain = labels[codes], coded = hinterfeld:::lazy_text(codes, labels))
}

test_that("coded text reads like the text it stands for", {
  both <- twins()
  looks <- list(
    identity, length, is.na, anyNA, unique, duplicated, rev, sort, order, table, nchar, toupper, as.character,
    is.character, typeof,
    factor, rle, function(x) paste0(x, "!"), function(x) x == "Sieve", function(x) match(c("Sieve", "unused", NA), x),
    function(x) x %in% c("Glaze", NA), function(x) c(x, "more"), function(x) ifelse(is.na(x), "none", x),
    function(x) split(seq_along(x), x),
    function(x) order(x, method = "radix"), function(x) grepl("l", x), function(x) rep(x, 2),
    function(x) unlist(list(x, x)),
    function(x) unserialize(serialize(x, NULL)), function(x) tapply(seq_along(x), x, sum),
    function(x) utils::tail(x, 3), function(x) format(x)
  )
  for (look in looks) expect_identical(look(both$coded), look(both$plain))
  # Looking has not changed what was looked at.
  expect_identical(both$coded, both$plain)
})

test_that("some of a coded text is what some of the text is, however it is picked", {
  both <- twins()
  picks <- list(
    5:9, c(3, 1, 1), -(1:1990), 0, integer(), NULL, NA, c(2L, NA), c(1999, 2000, 2001), 2^31 + 5, TRUE,
    c(TRUE, FALSE, NA), both$plain == "Sieve"
  )
  for (pick in picks) expect_identical(both$coded[pick], both$plain[pick])
  expect_identical(both$coded[[7]], both$plain[[7]])
  expect_error(both$coded[[2001]])
  frames <- lapply(both, function(x) tibble::tibble(x = x))
  expect_identical(frames$coded[c(10, 2, NA), ], frames$plain[c(10, 2, NA), ])
  expect_identical(frames$coded[order(frames$coded$x), ], frames$plain[order(frames$plain$x), ])
  expect_identical(as.list(frames$coded), as.list(frames$plain))
})

test_that("what is written into a coded text stays in it and goes nowhere else", {
  both <- twins(50)
  other <- both$coded
  other[c(2, 51)] <- c("new", "at the end")
  plain <- both$plain
  plain[c(2, 51)] <- c("new", "at the end")
  expect_identical(other, plain)
  expect_identical(both$coded, both$plain)
  names(other) <- seq_along(other)
  expect_identical(other[["2"]], "new")
  # A value written in place is what it is coded as from then on.
  mine <- hinterfeld:::lazy_text(c(1L, 1L, 2L), c("a", "b"))
  mine[2] <- "z"
  found <- hinterfeld:::distinct_codes(mine)
  expect_identical(found$labels[found$codes], c("a", "z", "b"))
})

test_that("a table's text is coded, and figures give the same when it is not", {
  book <- kilnmoor_book()
  t <- totals(book, by = c(category, product), every = "year", subtotals = TRUE)
  found <- hinterfeld:::distinct_codes(t$product)
  expect_lt(length(found$labels), 100)
  expect_identical(found$labels[found$codes], paste0(t$product))
  plain <- unclass(t)
  plain[c("category", "product")] <- lapply(plain[c("category", "product")], paste0)
  class(plain) <- class(t)
  columns <- function(t) as.list(tibble::as_tibble(t))
  steps <- list(add_rank, add_share, add_change, function(t) add_running_total(t, within = c(category, product)),
                function(t) best_sellers(t, within = category))
  for (step in steps) expect_identical(columns(quiet(step(plain))), columns(quiet(step(t))))
})

test_that("codes of any column stand for its values", {
  days <- as.Date("2026-01-30") + c(3, 0, 0, 9)
  columns <- list(
    c("b", NA, "a", "b"), factor(c("b", NA, "a", "b"), c("z", "a", "b")), c(2.5, NA, -1, 2.5), c(3L, 3L, NA, 1L),
    c(TRUE, NA, FALSE, TRUE),
    days, replace(days, 2, NA), days + 0.5, days[0], as.POSIXct("2026-01-01", tz = "UTC") + 1:4
  )
  for (x in columns) {
    found <- hinterfeld:::distinct_codes(x)
    back <- found$labels[as.integer(found$codes)]
    expect_identical(as.vector(back), if (is.factor(x)) as.character(x) else if (is.object(x)) as.double(x) else x)
  }
})

test_that("plain names need no selection, everything else is selected as ever", {
  book <- daybook(a_sale(region = "Vale", town = "Oldkiln"), day, revenue, product)
  region <- "town"
  expect_named(totals(book, by = region), c("region", "revenue"))
  expect_named(totals(book, by = "region"), c("region", "revenue"))
  expect_named(totals(book, by = !!region), c("town", "revenue"))
  expect_named(totals(book, by = c(town, "region")), c("town", "region", "revenue"))
  expect_named(totals(book, by = c(town, town)), c("town", "revenue"))
  expect_named(totals(book, by = c(tidyselect::starts_with("t"), region)), c("town", "region", "revenue"))
  expect_named(totals(book, by = c(region:town, -town)), c("region", "revenue"))
  expect_error(totals(book, by = c(place = region)), class = "hinterfeld_error_column")
  expect_error(totals(book, by = c("region", "toun")), class = "hinterfeld_error_column")
})

test_that("a table's text becomes a daybook's column without a trace in the table", {
  t <- best_sellers(totals(kilnmoor_book(), by = c(region, product)), 2, within = region)
  found <- hinterfeld:::distinct_codes(t$product)
  lines <- tibble::tibble(day = as.Date("2026-01-01"), product = t$product, revenue = t$revenue)
  book <- daybook(lines, day, revenue, product)
  expect_identical(hinterfeld:::distinct_codes(t$product), found)
  expect_null(attributes(found$codes))
  # Only what is there is a value, whatever the table's dictionary holds.
  expect_setequal(levels(book$columns$product), unique(t$product))
  expect_identical(nrow(survey(lines, product)), length(unique(t$product)))
  expect_identical(lines_of(book)$product, paste0(t$product))
})

test_that("every way of reading a coded text tells what was written, in every way of writing", {
  ways <- list(
    untouched = function(x) x, sorted = function(x) sort(x), radix = function(x) sort(x, method = "radix"),
    reversed = function(x) rev(x),
    one = function(x) replace(x, 2, "new"), many = function(x) replace(x, c(1, 3), NA),
    longer = function(x) c(x, "more"),
    named = function(x) stats::setNames(x, seq_along(x)), encoded = function(x) enc2utf8(x),
    cased = function(x) toupper(x),
    element = function(x) {
      x[[2]] <- "new"
      x
    },
    frame = function(x) {
      d <- data.frame(x = x)
      d$x[2] <- "new"
      d$x
    }
  )
  readings <- list(
    as.character = as.character, elements = function(x) vapply(seq_along(x), function(i) x[[i]], ""),
    some = function(x) x[c(2, 1)],
    head = function(x) utils::head(x, 2), frame = function(x) data.frame(p = x)$p, unique = unique,
    match = function(x) match(x, "new"),
    order = function(x) order(x), paste = function(x) paste(x), factor = function(x) as.character(factor(x)),
    table = function(x) names(table(x)),
    serialised = function(x) unserialize(serialize(x, NULL)), coded = function(x) {
      found <- hinterfeld:::distinct_codes(x)
      found$labels[found$codes]
    }
  )
  for (way in names(ways)) {
    for (reading in names(readings)) {
      both <- twins(40)
      expect_identical(readings[[reading]](ways[[way]](both$coded)), readings[[reading]](ways[[way]](both$plain)),
                       label = paste(way, reading))
      expect_identical(both$coded, both$plain)
    }
  }
})

test_that("a text column is its texts, whatever it is called", {
  sales <- a_sale(product = c("x", "y"), units = c("kg", "l"), order = c("A", "B"), when = "2026-03-02")
  expect_error(daybook(sales, when, revenue, product), class = "hinterfeld_error_role")
  sales <- a_sale(product = c("x", "y"), units = c("kg", "l"), order = c("A", "B"))
  book <- daybook(sales, day, revenue, product)
  expect_identical(as.list(lines_of(book)[c("units", "order")]) |> lapply(as.character),
                   list(units = c("kg", "l"), order = c("A", "B")))
  expect_setequal(totals(book, by = units)$units, c("kg", "l"))
  expect_identical(nrow(totals(keep_lines(book, order == "A"), by = order)), 1L)
})

test_that("a day far away from all others makes no code for every day between", {
  days <- as.Date(c("2026-01-02", "9999-12-31", "2026-01-02", "0900-01-01"))
  found <- hinterfeld:::distinct_codes(days)
  expect_length(found$labels, 3)
  expect_identical(hinterfeld:::plain_days(found$labels[found$codes]), days)
})

test_that("a selection that finds nothing stops, and one that asks for nothing gives the whole", {
  book <- kilnmoor_book()
  expect_snapshot(error = TRUE, {
    totals(book, by = where(is.logical))
    totals(book, by = any_of("nothing"))
  }, transform = function(lines) sub("The columns are.*", "The columns are ...", lines))
  none <- character()
  for (t in list(totals(book, by = c()), totals(book, by = tidyselect::all_of(none)), totals(book, by = NULL))) {
    expect_identical(t$revenue, totals(book)$revenue)
  }
})
