# Small and random sale lines.

a_sale <- function(...) {
  sale <- list(day = as.Date("2026-03-02"), product = "Needle tool", revenue = 5.75)
  tibble::as_tibble(utils::modifyList(sale, list(...)))
}

a_book <- function(...) {
  daybook(a_sale(...), day, revenue, product)
}

# Lines with blanks, bad days, bad numbers and values just beside a half.
random_sales <- function(seed, n = 400, days = 430) {
  withr::local_seed(seed)
  some <- function(x, share = 0.05) replace(x, stats::runif(n) < share, NA)
  day <- format(as.Date("2023-12-20") + sample(0:days, n, replace = TRUE))
  day[sample(n, 5)] <- c("2024-02-30", "soon", "2024-13-01", "", "2024-02-29")
  cents <- sample(c(-500:4000, 12345678), n, replace = TRUE)
  price <- sprintf("%.3f", cents / 100 + sample(c(0, 0.005, 0.004), n, replace = TRUE))
  price[sample(n, 3)] <- c("free", "", "1e400")
  tibble::tibble(
    day = some(day), product = some(sample(c("Kiln wash", "kiln wash", "Sieve", "Zinc oxide"), n, replace = TRUE)),
    region = some(sample(c("Vale", "Highfen", "vale "), n, replace = TRUE), 0.1),
    status = some(sample(c("paid", "Paid ", "open"), n, replace = TRUE), 0.1),
    price = some(price), pieces = some(as.double(sample(1:9, n, replace = TRUE)))
  )
}

quiet <- function(code) suppressMessages(code, classes = "hinterfeld_message")

# What is played again and again: few rounds here, more in CI, any number with HINTERFELD_ROUNDS.
rounds <- function(few, many) {
  asked <- Sys.getenv("HINTERFELD_ROUNDS")
  if (nzchar(asked)) as.integer(asked) else if (nzchar(Sys.getenv("HINTERFELD_CI"))) many else few
}

# Is there time for long tests that have a shorter one of their kind beside them? In CI there is.
thorough <- function() rounds(FALSE, TRUE)

# Which of some ways are played: a few of them here, by chance, and all in CI.
some_of <- function(all, few) {
  sort(sample(all, min(all, rounds(few, all))))
}

seeds <- function(first, few, many) {
  first - 1L + seq_len(rounds(few, many))
}

# What is made once for all test files of a process.
made_once <- function(name, code) {
  made <- getOption("hinterfeld.tests", new.env())
  options(hinterfeld.tests = made)
  if (is.null(made[[name]])) assign(name, code, made)
  made[[name]]
}

# The demo's daybook.
kilnmoor_book <- function(completed = TRUE) {
  made_once(paste("book", completed), demo_daybook(completed))
}

# Lines of one day or of years, few or many, with any of the usual columns, also such that add up to nothing.
any_daybook <- function(seed) {
  withr::local_seed(seed)
  lines <- sample(c(1, 3, 30, 400), 1)
  day <- as.Date("2024-02-26") + sample(0:300, 1) + sample(0:sample(c(0, 4, 39, 299, 1199), 1), lines, TRUE)
  amounts <- round(stats::rlnorm(lines, 3, 1), 2) * sample(c(1, 1, 1, 1, -1, 0), lines, TRUE)
  further <- list(
    units = sample(0:5, lines, TRUE), order = sample(lines, lines, TRUE), region = sample(c("n", "s"), lines, TRUE),
    category = sample(c("a", "b", NA), lines, TRUE), town = sample(c("x", "y"), lines, TRUE)
  )
  further <- further[stats::runif(5) < 0.5]
  sales <- data.frame(c(list(day = day, product = sample(letters[1:9], lines, TRUE), revenue = amounts), further))
  roles <- stats::setNames(nm = intersect(names(further), c("units", "order")))
  covers <- if (stats::runif(1) < 0.3) range(day) + c(-sample(0:40, 1), sample(0:40, 1))
  calendar <- sales_calendar(sample(c("01-01", "04-01"), 1), weeks = sample(c("iso", "445"), 1))
  rlang::exec(daybook, sales, "day", "revenue", "product", !!!as.list(roles), calendar = calendar, covers = covers)
}
