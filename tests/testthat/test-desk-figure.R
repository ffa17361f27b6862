figure_answer <- function(...) quiet(desk_answer(a_desk(), desk_state(...)))

test_that("each bar of a picture has a mark that lies on it and leads to its row", {
  answer <- figure_answer(by = list("region", "product"), measures = list("revenue"),
                          pick = list(best_sellers = list(n = 3L, within = list("region"))))
  drawn <- drawn_figure(answer_figure(answer), answer)
  expect_setequal(drawn$marks$row, seq_len(nrow(answer$table)))
  # All panels have one scale: a mark is as wide as its bar's revenue, and the better stands higher.
  scale <- drawn$marks$width / answer$table$revenue[drawn$marks$row]
  expect_lt(diff(range(scale)) / mean(scale), 0.001)
  within <- split(drawn$marks$top[order(drawn$marks$row)], answer$table$region)
  expect_false(any(vapply(within, is.unsorted, NA)))
  expect_true(all(drawn$marks$left > 0 & drawn$marks$left + drawn$marks$width < 100))
})

test_that("a figure that was chosen is drawn while it suits, and else the first that does", {
  state <- new_state(list(by = list("region"), measures = list("revenue"), add = list(list(share = NULL))),
                                  figure = "ranking")
  answer <- desk_answer(a_desk(), state)
  expect_identical(attr(answer_figure(answer), "kind of figure"), "ranking")
  answer$state$figure <- "trend"
  expect_identical(attr(answer_figure(answer), "kind of figure"), "share")
  expect_false("places" %in% possible_figures(answer))
  expect_error(answer_figure(figure_answer(measures = list("revenue"))), class = "hinterfeld_error_figure")
})

# The texts of a picture, and the places where they end: none is cut.
texts_of <- function(drawn) {
  texts <- regmatches(drawn$svg, gregexpr("<text [^>]*>", drawn$svg))[[1]]
  number <- function(name) as.numeric(sub(sprintf(".* %s='([-0-9.]+)(px)?'.*", name), "\\1", texts))
  shift <- ifelse(grepl("text-anchor='end'", texts), 1, ifelse(grepl("text-anchor='middle'", texts), 0.5, 0))
  begin <- number("x") - number("textLength") * shift
  data.frame(begin = begin, end = begin + number("textLength"))
}

test_that("a figure is drawn for the room of the page, and no text leaves it", {
  grid <- list(rows = list("category"), columns = list("month"))
  answers <- list(
    figure_answer(by = list("region", "product"), measures = list("revenue"),
                  pick = list(best_sellers = list(n = 5L, within = list("region")))),
    figure_answer(by = list("region"), every = "year", measures = list("revenue"), add = list(list(change = NULL))),
    figure_answer(by = list("category"), every = "month", measures = list("revenue")),
    figure_answer(by = list("category"), every = "month", measures = list("revenue"), crosstab = grid)
  )
  for (answer in answers) for (width in c(349, 760)) {
    drawn <- quiet(answer_picture(answer, width))
    expect_identical(drawn$room[1], width)
    texts <- texts_of(drawn)
    inside <- 72 / 86 * width
    expect_true(all(texts$begin > -1 & texts$end < inside + 1))
  }
})

test_that("sorting and highlighting leave the picture as it is, with its marks at the rows of now", {
  reader <- a_reader(draws = TRUE)
  quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))
  first <- reader$me$drawn$picture
  bar_of <- function() {
    marks <- kept_picture(reader$me)$marks
    marks$top[match("Vale", reader$me$answer$table$region[marks$row])]
  }
  place <- bar_of()
  for (act in list(list(act = "sort", column = "region"), list(act = "mark", rows = "best"))) {
    quiet(rlang::exec(reader$act, !!!act))
    expect_identical(kept_picture(reader$me)$svg, first$svg)
    expect_identical(bar_of(), place)
  }
  regions <- reader$me$answer$table$region
  expect_identical(regions, sort(regions, decreasing = TRUE))
  quiet(reader$act(act = "room", width = 349))
  expect_identical(kept_picture(reader$me)$room[1], 349)
  quiet(reader$act(act = "room", width = "wide"))
  expect_identical(reader$me$room, 349)
})

if (thorough()) test_that("where there are other readers a copy draws, and what it draws is what one reader gets", {
  alone <- a_reader(draws = TRUE)
  among <- a_reader(draws = TRUE)
  among$me$desk$shared <- list2env(list(readers = 2), parent = emptyenv())
  for (reader in list(alone, among)) quiet(reader$act(act = "choose", part = "by", given = list(by = list("region"))))
  expect_identical(kept_picture(among$me), kept_picture(alone$me))
  # What cannot be drawn is told in the place of the figure.
  quiet(among$act(act = "choose", part = "by", given = list(by = list())))
  quiet(among$act(act = "choose", part = "every", given = list(every = "")))
  puts <- lapply(Filter(function(one) one[[1]] == "desk-put", among$session$sent), function(one) one[[2]]$figure)
  expect_match(unlist(puts), "No figure:", all = FALSE)
})

test_that("the page says what the picture's own words say, and turns to its other pages", {
  reader <- a_reader(draws = TRUE)
  quiet(reader$act(act = "link", link = state_link(desk_state(
    by = list("category"), every = list("month"), measures = list("revenue"),
    crosstab = list(rows = list("category"), columns = list("month"))))))
  notes <- paste(kept_picture(reader$me)$notes, collapse = " ")
  expect_match(notes, "Cells are in thousands.", fixed = TRUE)
  expect_match(notes, "earlier columns, not drawn.", fixed = TRUE)
  expect_no_match(notes, "Left out")
  towns <- desk_state(by = list("town", "product"), measures = list("revenue"))
  quiet(reader$act(act = "link", link = state_link(towns)))
  first <- kept_picture(reader$me)
  expect_gt(first$pages, 1)
  expect_match(html_text(figure_tags(first, reader$me$answer)), sprintf("1 of %d", first$pages))
  quiet(reader$act(act = "figure-page", page = 2))
  second <- kept_picture(reader$me)
  expect_identical(second$page, 2L)
  expect_false(identical(second$svg, first$svg))
})
