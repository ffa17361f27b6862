# Lines with a text, a number of every kind and a day, some of them missing, in more rows than one thread takes.
lines_to_ask <- function(n) {
  some <- function(x) replace(x, sample(n, n %/% 9), NA)
  data.frame(day = as.Date("1969-12-20") + sample(40, n, TRUE), product = sample(c("a", "b", "c"), n, TRUE),
             revenue = sample(-500:500, n, TRUE) / 100, town = some(sample(c("Vale", "vale ", "Hull", ""), n, TRUE)),
             pieces = some(sample(-3:9, n, TRUE)), weight = some(round(stats::rnorm(n), 1)),
             due = some(as.Date("2025-01-01") + sample(20, n, TRUE)))
}

# A random condition, as text.
random_condition <- function(depth) {
  if (depth > 0 && stats::runif(1) < 0.7) {
    a <- random_condition(depth - 1)
    return(switch(sample(3, 1), sprintf("!(%s)", a), sprintf("(%s) & %s", a, random_condition(depth - 1)),
                  sprintf("(%s) | (%s)", a, random_condition(depth - 1))))
  }
  compare <- sample(c(">", ">=", "<", "<=", "==", "!="), 1)
  sample(c(
    sprintf("revenue %s %s", compare, sample(c("0", "1.25", "-3L", "limit"), 1)), sprintf("0.5 %s weight", compare),
    sprintf("pieces %s %d", compare, sample(-3:9, 1)), sprintf("pieces %s weight", compare),
    sprintf("revenue %s mean(revenue)", compare), "town == \"Vale\"", "reads_as(town, \"vale\")", "is.na(town)",
    "town %in% c(\"Hull\", NA)", "year(day) == 1969", sprintf("due %s as.Date(\"2025-01-11\")", compare),
    "weekday(due) == 3", "TRUE", "NA", "pieces %in% c(1, 2)", "nchar(product) == 1", "limit > 0"
  ), 1)
}

test_that("any condition keeps the lines for which R says yes, by one thread and by several", {
  withr::local_seed(71)
  limit <- 0.75
  for (round in seq_len(rounds(25, 400))) {
    n <- sample(c(3, 500, 120000), 1, prob = c(2, 7, 1))
    data <- lines_to_ask(n)
    # A blank text is a missing one.
    asked <- transform(data, town = ifelse(trimws(town) == "", NA, town))
    withr::local_options(hinterfeld.threads = sample(2, 1))
    text <- random_condition(3)
    language <- list(reads_as = reads_as, year = function(x) as.POSIXlt(x)$year + 1900L,
                     weekday = function(x) (as.POSIXlt(x)$wday + 6L) %% 7L + 1L, limit = limit)
    yes <- rep_len(eval(str2lang(text), c(asked, language)), n)
    book <- daybook(data, day, revenue, product)
    when <- rlang::new_quosure(str2lang(text))
    if (!any(yes %in% TRUE)) {
      expect_error(quiet(keep_lines(book, !!when)), class = "hinterfeld_error_no_lines")
      next
    }
    kept <- quiet(keep_lines(book, !!when))
    expect_identical(lines_of(kept)$revenue, data$revenue[yes %in% TRUE])
    steps <- audit(kept)
    unclear <- steps[steps$what == "undecided", ]
    expect_identical(sum(unclear$lines_before - unclear$lines_after), as.double(sum(is.na(yes))))
    if (all(yes %in% TRUE)) next
    left <- if (any(yes %in% FALSE)) lines_of(quiet(leave_out(book, !!when)))$revenue
    if (!is.null(left)) expect_identical(left, data$revenue[yes %in% FALSE])
  }
})

test_that("the compiled code takes only conditions that are whole", {
  ask <- function(...) hinterfeld:::answers_kernel(list(...), 2, 1L)
  expect_identical(ask(list(x = c(TRUE, NA)), list(x = NA), "&", "!"), c(NA, NA))
  expect_identical(ask(list(x = c(3L, -7L), answers = c(TRUE, FALSE), first = 3L)), c(TRUE, FALSE))
  expect_error(ask(list(x = TRUE), "&"), "nothing to join")
  expect_error(ask(list(x = TRUE), list(x = TRUE)), "one answer for each line")
  expect_error(ask(list(x = c(1, 2, 3), compare = ">", scale = 1, bound = 0)), "an answer for each line")
  expect_error(ask(list(x = c(1, 2), answers = TRUE, first = 1L)), "for each code")
  expect_error(ask(list(x = 1)), "yes or no")
  expect_error(ask(list(x = "a")), "codes, numbers or answers")
})
